//! The context in which a setting is looked at: the rig, the session and the tables that never change while settings are compared.

use crate::doubt::Rigs;
use crate::rig::{Driver, Interface, MeasuredTrip, Rig, Setting};
use crate::session::Session;
use crate::tables::{DriverModel, Tables};
use swiftloop_measure::probe::fit;
use swiftloop_units::ids::InterfaceId;
use swiftloop_units::{Blocks, Hz, Range};

/// What never changes while settings are compared.
#[derive(Debug, Clone, Copy)]
pub struct Context<'a> {
    /// What is known of the world.
    pub tables: &'a Tables,
    pub rig: &'a Rig,
    pub session: &'a Session,
    /// Possible rigs that agree with all of it.
    pub rigs: &'a Rigs,
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

    /// Blocks of delay on the way out, once a block was captured: as set on the panel, as the rig says, or as the table says.
    /// A device that holds n blocks of `size` gives n·size from input to output, of which capture takes one.
    #[must_use]
    pub fn blocks_out(&self, setting: &Setting) -> Range<Blocks> {
        let model = self.model(setting);
        match setting.buffer.count {
            Some(count) => model.way.blocks_out(count, model.blocks_out),
            None => self.driver(setting).blocks_out.unwrap_or(model.blocks_out),
        }
    }

    /// By how many periods a block may be late before the sound breaks.
    #[must_use]
    pub fn reserve(&self, setting: &Setting) -> Range<Blocks> {
        let out = self.measured_blocks_out(setting).unwrap_or(self.blocks_out(setting));
        self.model(setting).way.bears(out)
    }

    /// Blocks on the way out as measured trips tell: those of a line through two buffers or more, less those captured.
    fn measured_blocks_out(&self, setting: &Setting) -> Option<Range<Blocks>> {
        let driver = self.driver(setting);
        let here = |t: &&MeasuredTrip| t.rate_hz == setting.rate && t.is_with(&setting.buffer);
        let points: Vec<_> = driver
            .measured
            .iter()
            .filter(here)
            .filter_map(|t| Some((t.buffer_frames?, t.round_trip_frames.typical())))
            .collect();
        let all = fit(&points)?.usable(&points).ok()?.whole_blocks()?;
        let captured = driver.blocks_in.unwrap_or(self.model(setting).blocks_in).typical();
        Some(Range::exact(Blocks::new(all as f64) - captured))
    }

    /// Whether other programs keep their sound.
    #[must_use]
    pub fn is_shared(&self, setting: &Setting) -> bool {
        self.driver(setting).shared.unwrap_or(self.model(setting).shared)
    }

    /// Below what drivers of this model are known to run.
    #[must_use]
    pub fn is_too_small(&self, setting: &Setting) -> bool {
        let least = self.model(setting).smallest_at(setting.rate);
        setting.buffer.speed.is_none() && setting.buffer.block < least
    }

    /// This very buffer was measured on this driver at this rate: whatever a table says, it runs.
    #[must_use]
    pub fn is_measured(&self, setting: &Setting) -> bool {
        let here = |t: &MeasuredTrip| t.rate_hz == setting.rate && t.is_at(&setting.buffer);
        self.driver(setting).measured.iter().any(here)
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
        all.retain(|s| !self.is_too_small(s) || self.is_measured(s));
        all
    }
}
