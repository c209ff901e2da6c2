//! A setting, and the context it is looked at in: the rig, the session and the tables that never change while
//! settings are compared.

use crate::ids::{DriverId, InterfaceId};
use crate::rig::{Driver, Interface, Offered, Rig};
use crate::session::Session;
use crate::tables::{DriverModel, Tables};
use crate::units::{Blocks, Hz, Range};

/// What never changes while settings are compared.
#[derive(Debug, Clone, Copy)]
pub struct Context<'a> {
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
    /// The interface.
    pub interface: InterfaceId,
    /// The driver of that interface.
    pub driver: DriverId,
    /// Sample rate.
    pub rate: Hz,
    /// What to set on the panel.
    pub buffer: Offered,
}

impl<'a> Context<'a> {
    /// The interface of a setting.
    #[must_use]
    pub fn interface(&self, setting: &Setting) -> &'a Interface {
        self.rig.interface(setting.interface)
    }

    /// The driver of a setting.
    #[must_use]
    pub fn driver(&self, setting: &Setting) -> &'a Driver {
        self.rig.driver(setting.interface, setting.driver)
    }

    /// The driver model of a setting.
    #[must_use]
    pub fn model(&self, setting: &Setting) -> &'a DriverModel {
        self.rig.model(setting.interface, setting.driver)
    }

    /// Blocks held on the way out: as set on the panel, as the rig says, or as the table says.
    #[must_use]
    pub fn blocks_out(&self, setting: &Setting) -> Range<Blocks> {
        match setting.buffer.count {
            Some(count) => Range::exact(Blocks::new(f64::from(count))),
            None => self.driver(setting).blocks_out.unwrap_or(self.model(setting).blocks_out),
        }
    }

    /// Periods until a block must be done: playback blocks less one, at least one.
    #[must_use]
    pub fn reserve(&self, setting: &Setting) -> f64 {
        (self.blocks_out(setting).typical().raw().round() - 1.0).max(1.0)
    }

    /// Whether other programs keep their sound.
    #[must_use]
    pub fn is_shared(&self, setting: &Setting) -> bool {
        self.driver(setting).shared.unwrap_or(self.model(setting).shared)
    }

    /// Every setting that `interface` offers at `rate` and its drivers' models can run.
    #[must_use]
    pub fn settings(&self, interface: InterfaceId, rate: Hz) -> Vec<Setting> {
        let mut all = Vec::new();
        for (driver, d) in self.rig.interface(interface).drivers.iter().enumerate() {
            if d.rates_hz.contains(&rate) {
                let offered = d.buffers.offered(rate).into_iter();
                all.extend(offered.map(|buffer| Setting { interface, driver: driver.into(), rate, buffer }));
            }
        }
        all.retain(|s| s.buffer.speed.is_some() || s.buffer.block >= self.model(s).smallest_at(s.rate));
        all
    }
}
