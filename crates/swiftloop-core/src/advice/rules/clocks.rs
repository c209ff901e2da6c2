//! Input and output have one clock.

use super::super::{AdviceContext, Warning};
use crate::rig::{Clock, Devices};
use swiftloop_units::{Ppm, Seconds};

pub fn two_crystals(look: &AdviceContext<'_>) -> Vec<Warning> {
    let interface = look.context.interface(look.setting);
    if interface.devices != Devices::Separate || interface.clock != Clock::Internal {
        return Vec::new();
    }
    let apart = look.context.tables.assume.crystal_ppm.map(|f| Ppm::new(f.raw()));
    let slips_per_second = apart.typical().raw() * 1e-6 * f64::from(look.setting.rate.get());
    let every = Seconds::new(1.0 / slips_per_second);
    vec![Warning::TwoClocks { interface: look.setting.interface, apart, every }]
}
