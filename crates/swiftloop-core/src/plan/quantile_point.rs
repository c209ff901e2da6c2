//! With which figures a set of remedies is looked for. What has to hold in 9 of 10 rigs is searched with figures somewhat
//! worse than typical, all of them at once, and then held against all rigs; where it holds in too few, the search goes
//! on with worse ones (a design point, Hasofer and Lind 1974, found by trying).

use crate::doubt::{SURE, lean};
use crate::loops::Context;
use crate::rig::PowerPlan;
use crate::risk::WakeSet;
use swiftloop_units::{Blocks, Quantity, Range};

/// What is wanted of everybody's delay.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Goal {
    /// They can play in time.
    Playable,
    /// They do not notice it, where that can be had at all.
    Immediate,
}

/// With which figures a set is looked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct QuantilePoint(usize);

/// Shares of rigs that do better than the figures of each design, cause by cause. Where two causes count alike both lie between
/// the second and the third when nine of ten rigs do better than both together; where only one counts, it takes the fourth.
const BETTER: [f64; 5] = [0.5, 0.78, 0.86, 0.92, 0.97];

impl QuantilePoint {
    pub(super) const TYPICAL: Self = Self(0);
    /// The first for what has to hold in 9 of 10 rigs.
    pub(super) const FIRST: Self = Self(1);

    pub(super) fn all() -> impl Iterator<Item = Self> {
        (0..BETTER.len()).map(Self)
    }

    /// Its place among all.
    pub(super) fn index(self) -> usize {
        self.0
    }

    /// The next worse one.
    pub(super) fn next_worse(self) -> Option<Self> {
        (self.0 + 1 < BETTER.len()).then_some(Self(self.0 + 1))
    }

    /// In which share of rigs delays have to stay under their limits.
    pub(super) fn share(self) -> f64 {
        if self == Self::TYPICAL { 0.5 } else { SURE.raw() }
    }

    /// How far every figure leans to its bad side.
    pub(super) fn lean(self) -> f64 {
        lean(BETTER[self.0])
    }

    /// In which share of rigs each figure is better.
    pub(super) fn better(self) -> f64 {
        BETTER[self.0]
    }

    /// The reserve: less is worse.
    pub(super) fn reserve(self, reserve: Range<Blocks>) -> Range<Blocks> {
        if self == Self::TYPICAL {
            return reserve;
        }
        let worse = reserve.typical().raw() + (reserve.low() - reserve.typical()).raw() * self.lean();
        Range::exact(Blocks::of(worse))
    }
}

/// How far wake-ups lean at the points that are worked out.
pub(super) const WAKE_POINTS: [f64; 3] = [-0.7, 0.1, 0.85];

/// The machine under one power plan.
#[derive(Debug, Clone)]
pub struct UnderPower {
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
        designs: QuantilePoint::all().map(|d| wake.leaning(d.lean())).collect(),
        points: points.iter().map(|lean| wake.leaning(*lean)).collect(),
        speed: rig.speed_under(power),
        wake,
    }
}

/// So much effort it is worth that a performer does not notice the delay: one change that somebody feels.
pub(super) const LITTLE: f64 = 3.0;
