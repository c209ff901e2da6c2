//! The remedies taken: what they leave of work, delays, disk, memory and machine.

use swiftloop_units::ids::{NodeId, PerformerId, ProcessorId, ProgramId, RemedyId};
use swiftloop_units::{Frames, Gigabytes};
use typed_index_collections::TiVec;

/// Factors on the work of a processor.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WorkFactor {
    pub call: f64,
    pub frame: f64,
}

impl WorkFactor {
    pub const ONE: Self = Self { call: 1.0, frame: 1.0 };
    /// Nothing is left of it.
    pub const GONE: Self = Self { call: 0.0, frame: 0.0 };

    #[must_use]
    pub fn times(self, call: f64, frame: f64) -> Self {
        Self { call: self.call * call, frame: self.frame * frame }
    }

    #[must_use]
    pub fn is_gone(self) -> bool {
        self == Self::GONE
    }
}

/// The state that a set of remedies leaves behind.
#[derive(Debug, Clone)]
pub struct RemediesTaken {
    /// Factors on the work of each processor.
    pub factor: TiVec<ProcessorId, WorkFactor>,
    /// Latency of each processor, typical.
    pub latency: TiVec<ProcessorId, Frames>,
    /// Nodes that were switched off.
    pub nodes_off: Vec<NodeId>,
    /// Nodes whose cost differs from the base.
    pub(super) touched: Vec<NodeId>,
    pub(super) shared: Vec<RemedyId>,
    /// Copies of which the one that is left is taken for nothing: a bound.
    pub(super) shared_hoped: Vec<RemedyId>,
    pub(super) all_work: f64,
    pub(super) timeline: f64,
    /// More channels from disk, or fewer.
    pub channels: i64,
    /// Change of memory, read-ahead not counted.
    pub memory: Gigabytes,
    /// Programs that were quit.
    pub quit: Vec<ProgramId>,
    /// The machine went to its performance plan.
    pub full_power: bool,
    /// Performers who went direct.
    pub direct: Vec<PerformerId>,
}

/// The best that remedies can do for delays.
#[derive(Debug, Clone, Default)]
pub struct Shortest {
    /// Least latency of each processor.
    pub latency: TiVec<ProcessorId, Frames>,
    /// Performers who can go direct.
    pub direct: Vec<PerformerId>,
}
