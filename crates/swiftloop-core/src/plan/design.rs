//! With which figures a set of remedies is looked for. What has to hold in 9 of 10 rigs is searched with figures somewhat
//! worse than typical, all of them at once, and then held against all rigs; where it holds in too few, the search goes
//! on with worse ones (a design point, Hasofer and Lind 1974, found by trying).

use crate::doubt::{SURE, lean};
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
pub(super) struct Design(usize);

/// Shares of rigs that do better than the figures of each design, cause by cause. Where two causes count alike both lie between
/// the second and the third when nine of ten rigs do better than both together; where only one counts, it takes the fourth.
const BETTER: [f64; 5] = [0.5, 0.78, 0.86, 0.92, 0.97];

impl Design {
    /// Typical figures.
    pub(super) const TYPICAL: Self = Self(0);
    /// The first for what has to hold in 9 of 10 rigs.
    pub(super) const FIRST: Self = Self(1);

    /// All of them.
    pub(super) fn all() -> impl Iterator<Item = Self> {
        (0..BETTER.len()).map(Self)
    }

    /// Its place among all.
    pub(super) fn index(self) -> usize {
        self.0
    }

    /// The next gloomier one.
    pub(super) fn gloomier(self) -> Option<Self> {
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
