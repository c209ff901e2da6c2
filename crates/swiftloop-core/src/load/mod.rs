//! Load: the work of one block. A session's graph with the cost of every node comes in; the worst block on so
//! many workers, its distribution, the chain that binds and what binds come out. The one idea: what matters is
//! not the average but the longest time that one block can take, whatever order the host works in. That is
//! bounded by Graham's inequality, which only ever falls when work is removed or a worker is added.

mod burst;
mod cost;
mod response;
mod schedule;

pub use burst::{Patterns, patterns};
pub use cost::{CallCost, node_cost, processor_cost};
pub use response::response_time;
pub use schedule::{chain_length, critical_path, graham_bound, list_schedule};

use serde::Serialize;

/// What keeps a block from being shorter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum BoundBy {
    /// The sum of all work: more cores, or less work anywhere, would help.
    Cores,
    /// One chain that cannot be spread: only less work on it helps.
    Chain,
    /// Processors with blocks of their own that fall due together.
    Burst,
}

impl BoundBy {
    /// The word used in every output.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Cores => "cores",
            Self::Chain => "chain",
            Self::Burst => "burst",
        }
    }
}

/// The load of one kind of block (cue or roll) at one setting. Times in microseconds on this machine.
#[derive(Debug, Clone)]
pub struct BlockLoad {
    /// Frames in the block.
    pub block_frames: u32,
    /// Workers that share it.
    pub workers: u32,
    /// Time until the block must be ready.
    pub deadline_us: f64,
    /// All work of the worst block.
    pub total_us: f64,
    /// The longest chain of the worst block.
    pub critical_path_us: f64,
    /// The worst block, scheduled by longest remaining path.
    pub makespan_us: f64,
    /// The worst block in whatever order the host works: `total/P + (1 − 1/P) × critical path`.
    pub guaranteed_us: f64,
    /// The mean block under the same bound.
    pub mean_us: f64,
    /// What binds.
    pub bound_by: BoundBy,
    /// Nodes of the longest chain.
    pub critical_chain: Vec<usize>,
    /// Weight and guaranteed time of every distinct block of the cycle.
    pub patterns: Vec<(f64, f64)>,
    /// The cycle was longer than the cap, so all bursts were taken to fall together always.
    pub capped: bool,
}

impl BlockLoad {
    /// Worst block as a share of the deadline.
    #[must_use]
    pub fn worst_ratio(&self) -> f64 {
        self.guaranteed_us / self.deadline_us
    }

    /// Mean block as a share of the deadline.
    #[must_use]
    pub fn mean_ratio(&self) -> f64 {
        self.mean_us / self.deadline_us
    }
}
