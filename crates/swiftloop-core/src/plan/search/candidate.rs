//! What became of an arrangement: the remedies with which it meets limits and target, or how far it misses them.

use crate::plan::Arrangement;
use swiftloop_units::ids::{PerformerId, ProcessorId, RemedyId};
use swiftloop_units::{Ms, PerHour};

/// An arrangement and what became of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    pub arrangement: Arrangement,
    /// What became of it.
    pub outcome: Outcome,
}

/// What became of one arrangement.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    /// Limits and target are met.
    Meets(Met),
    /// It could be met, but only with at least this effort, which is more than another arrangement of the same driver.
    Dearer(u32),
    /// Not even every remedy together meets limits and target.
    Fails {
        /// How far the worst performer stays over the limit.
        over: Ms,
        performer: Option<PerformerId>,
        /// Dropouts per hour that remain.
        dropouts: PerHour,
    },
    /// Some performer stays over the limit whatever is done; the load was not looked at.
    Late { over: Ms, performer: Option<PerformerId> },
    /// Rendering ahead is not possible here: this processor can neither ride the cue block nor be bypassed.
    NoRoll(ProcessorId),
}

/// With what limits and target are met.
#[derive(Debug, Clone, PartialEq)]
pub struct Met {
    pub remedies: Vec<RemedyId>,
    /// Their effort and that of the arrangement.
    pub effort: u32,
    /// By how much the effort may lie above that of the cheapest; nothing where that is proven.
    pub gap: u32,
    /// What it counts like that performers notice their delay.
    pub noticed: u32,
    /// It holds in 9 of 10 rigs; else with typical figures.
    pub sure: bool,
}

impl Outcome {
    /// With what limits and target are met, if they are.
    #[must_use]
    pub fn met(&self) -> Option<&Met> {
        match self {
            Self::Meets(met) => Some(met),
            Self::Dearer(_) | Self::Fails { .. } | Self::Late { .. } | Self::NoRoll(_) => None,
        }
    }
}
