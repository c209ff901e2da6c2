//! The machine under its power plans: a rig and a plan come in; wake-ups and speed go out, as typical, as each design of the
//! search takes them, and at the points between which rates are interpolated.

use super::design::Design;
use super::rates::WAKE_POINTS;
use crate::loops::Context;
use crate::rig::PowerPlan;
use crate::risk::WakeSet;

/// The machine under one power plan.
#[derive(Debug, Clone)]
pub struct UnderPower {
    /// Wake-up delays.
    pub wake: WakeSet,
    /// The same as each design of the search takes them.
    pub(super) designs: Vec<WakeSet>,
    /// The same at the points between which rates are interpolated.
    pub(super) points: Vec<WakeSet>,
    /// Speed of a core beside the reference core.
    pub speed: f64,
}

/// The machine under a power plan. A measured speed is that under one plan; another plan changes it as the class does.
pub(super) fn under_power(context: &Context<'_>, power: PowerPlan) -> UnderPower {
    let rig = context.rig;
    let wake = WakeSet::of(rig, power);
    let points: &[f64] = if wake.is_exact() { &[0.0] } else { &WAKE_POINTS };
    UnderPower {
        designs: Design::all().map(|d| wake.leaning(d.lean())).collect(),
        points: points.iter().map(|lean| wake.leaning(*lean)).collect(),
        speed: rig.speed_under(power),
        wake,
    }
}
