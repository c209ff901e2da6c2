//! Load: the work of one block. A session's graph with the cost of every node comes in; the worst block on so
//! many workers, its distribution, the chain that binds and what binds come out. The one idea: what matters is
//! not the average but the longest time that one block can take, whatever order the host works in. That is
//! bounded by Graham's inequality, which only ever falls when work is removed or a worker is added.

mod burst;
mod cost;
mod response;
mod schedule;

pub use burst::{BurstCycle, KindOfBlock, burst_cycle};
pub use cost::{CallCost, node_cost, processor_cost};
pub use response::response_time;
pub use schedule::{chain_length, critical_path, graham_bound, list_schedule};

use crate::ids::NodeId;
use crate::units::{Block, Micros};
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

/// How often a block takes so long.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WorkShare {
    /// Share of all blocks.
    pub share: f64,
    /// What they take.
    pub work: Micros,
}

/// The load of one kind of block (cue or roll) at one setting, on this machine.
#[derive(Debug, Clone)]
pub struct BlockLoad {
    /// Frames in the block.
    pub block: Block,
    /// Workers that share it.
    pub workers: u32,
    /// Time until the block must be ready.
    pub deadline: Micros,
    /// All work of the worst block.
    pub total: Micros,
    /// The longest chain of the worst block.
    pub critical_path: Micros,
    /// The worst block, scheduled by longest remaining path.
    pub makespan: Micros,
    /// The worst block in whatever order the host works: `total/P + (1 − 1/P) × critical path`.
    pub guaranteed: Micros,
    /// The mean block under the same bound.
    pub mean: Micros,
    /// What keeps it from being shorter.
    pub bound_by: BoundBy,
    /// Nodes of the longest chain.
    pub critical_chain: Vec<NodeId>,
    /// Guaranteed time of every distinct block of the cycle.
    pub distribution: Vec<WorkShare>,
    /// The cycle was longer than the cap, so all bursts were taken to fall together always.
    pub capped: bool,
}

impl BlockLoad {
    /// Worst block as a share of the deadline.
    #[must_use]
    pub fn worst_ratio(&self) -> f64 {
        self.guaranteed / self.deadline
    }

    /// Mean block as a share of the deadline.
    #[must_use]
    pub fn mean_ratio(&self) -> f64 {
        self.mean / self.deadline
    }
}
