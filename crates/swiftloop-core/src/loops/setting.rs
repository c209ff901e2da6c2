//! A setting, and the bench it is tried on: the rig, the session and the tables that never change while
//! settings are compared.

use crate::rig::{Driver, Interface, Offered, Rig};
use crate::session::Session;
use crate::tables::{DriverModel, Tables};
use crate::units::{Blocks, Hz, Range};

/// What never changes while settings are compared.
#[derive(Debug, Clone, Copy)]
pub struct Bench<'a> {
    /// What is known of the world.
    pub tables: &'a Tables,
    /// What there is.
    pub rig: &'a Rig,
    /// What is wanted.
    pub session: &'a Session,
}

/// One setting of one interface.
#[derive(Debug, Clone, PartialEq)]
pub struct Setting {
    /// Index of the interface in the rig.
    pub interface: usize,
    /// Index of the driver on that interface.
    pub driver: usize,
    /// Sample rate.
    pub rate: Hz,
    /// What to set on the panel.
    pub buffer: Offered,
}

impl<'a> Bench<'a> {
    /// The interface of a setting.
    #[must_use]
    pub fn interface(&self, setting: &Setting) -> &'a Interface {
        &self.rig.interfaces[setting.interface]
    }

    /// The driver of a setting.
    #[must_use]
    pub fn driver(&self, setting: &Setting) -> &'a Driver {
        &self.interface(setting).drivers[setting.driver]
    }

    /// The driver model of a setting. A checked rig names only models of the table.
    #[must_use]
    pub fn model(&self, setting: &Setting) -> &'a DriverModel {
        let wanted = &self.driver(setting).model;
        self.tables.driver.iter().find(|m| &m.id == wanted).unwrap_or(&self.tables.driver[0])
    }

    /// Blocks held on the way out: as set on the panel, as the rig says, or as the table says.
    #[must_use]
    pub fn blocks_out(&self, setting: &Setting) -> Range<Blocks> {
        match setting.buffer.count {
            Some(count) => Range::exact(Blocks(f64::from(count))),
            None => self.driver(setting).blocks_out.unwrap_or(self.model(setting).blocks_out),
        }
    }

    /// Whether other programs keep their sound.
    #[must_use]
    pub fn is_shared(&self, setting: &Setting) -> bool {
        self.driver(setting).shared.unwrap_or(self.model(setting).shared)
    }

    /// Every setting that `interface` offers at `rate` and its drivers' models can run.
    #[must_use]
    pub fn settings(&self, interface: usize, rate: Hz) -> Vec<Setting> {
        let mut all = Vec::new();
        for (driver, d) in self.rig.interfaces[interface].drivers.iter().enumerate() {
            if d.rates_hz.contains(&rate) {
                let offered = d.buffers.offered(rate).into_iter();
                all.extend(offered.map(|buffer| Setting { interface, driver, rate, buffer }));
            }
        }
        all.retain(|s| {
            let model = self.model(s);
            s.buffer.speed.is_some()
                || (s.buffer.block >= model.smallest_block
                    && s.buffer.block.frames().at(s.rate) >= model.smallest_ms)
        });
        all
    }
}
