//! Loops: from a performer's act back to their ear. Rig, session and a setting come in; legs with low,
//! typical, high and origin come out, summed and held against the performer's limit. A loop is
//! nothing but a list of legs, so that every frame of delay has a name and somebody to answer for it.

mod air;
mod chain;
mod context;
mod electric;
pub mod far;
mod judged;
mod kinds;
mod leg;
mod limit;
mod ranking;

pub(crate) use air::{air, air_out};
pub use chain::{Chains, compensated, latencies};
pub use context::Context;
pub use electric::{Electric, hidden};
pub use judged::PerRig;
pub use kinds::{ChainsRange, loop_of, loops_of, playback_loop};
pub use leg::{Leg, LegKind, LegNote, Remeasure};
pub use limit::{Limit, LimitReason, SMALL_DOUBT, WidestDoubt, limit_for};
pub use ranking::{RankedDriver, ranked_drivers};

use crate::doubt::DelayShares;
pub use crate::doubt::DelayVerdict;
use serde::Serialize;
use swiftloop_units::ids::{FarId, PerformerId};
use swiftloop_units::{Ms, Range};

/// What kind of loop.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum LoopKind {
    /// Microphone to ear, through the software.
    Sound,
    /// Key to ear, through the software.
    Keys,
    /// Microphone to ear, inside the interface.
    Direct,
    /// From the software's cursor to the ear; nobody performs.
    Playback,
    /// From one performer's act to the ear at the far side, or from theirs to ours, whichever is longer.
    Together,
    /// From a performer's act back to their own ear through a meeting point.
    Returned,
}

impl LoopKind {
    /// The word used in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Sound => "sound",
            Self::Keys => "keys",
            Self::Direct => "direct",
            Self::Playback => "playback",
            Self::Together => "together",
            Self::Returned => "returned",
        }
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct Loop {
    /// Whose; none when nobody performs: from the cursor to the ear.
    pub performer: Option<PerformerId>,
    /// With which far side; none within one place.
    pub far: Option<FarId>,
    pub kind: LoopKind,
    /// Its legs, from act to ear.
    pub legs: Vec<Leg>,
    pub total: Range<Ms>,
    /// What the performer can bear; none when nobody performs.
    pub limit: Option<Limit>,
    /// In which share of rigs it stays under its limits; in all where there are none.
    pub shares: DelayShares,
}

impl Loop {
    /// A loop from its legs.
    #[must_use]
    pub fn from_legs(performer: Option<PerformerId>, kind: LoopKind, legs: Vec<Leg>) -> Self {
        let total = legs.iter().fold(Range::zero(), |sum, leg| sum.plus(leg.span));
        Self { performer, far: None, kind, legs, total, limit: None, shares: DelayShares::ALWAYS }
    }

    /// Held against its limits; a loop without any is immediate.
    #[must_use]
    pub fn verdict(&self) -> DelayVerdict {
        self.shares.verdict()
    }

    /// How far the typical figure lies above where playing in time fails (0 when it fits).
    #[must_use]
    pub fn excess(&self) -> Ms {
        let over = |limit: &Limit| Ms::new((self.total.typical() - limit.fails).raw().max(0.0));
        self.limit.as_ref().map_or(Ms::new(0.0), over)
    }

    /// What is left until it is noticed (below zero when it is); without a limit, endless.
    #[must_use]
    pub fn room(&self) -> Ms {
        self.limit.as_ref().map_or(Ms::new(f64::INFINITY), |limit| limit.noticed - self.total.typical())
    }

    #[must_use]
    pub fn longest_leg(&self) -> Option<&Leg> {
        self.legs.iter().max_by(|a, b| a.span.typical().raw().total_cmp(&b.span.typical().raw()))
    }
}
