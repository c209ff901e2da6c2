//! Load: the work of one block. A session's graph with the cost of every node comes in; how long each distinct block
//! takes on so many workers, the chain that binds and what binds come out. What matters is not the average but
//! the longest block. What to expect of it is a schedule in the order in which such software works; how bad it can be is
//! bounded by Graham's inequality, how good by the longest chain and the sum of all work.

mod burst;
mod cost;
mod doubt;
mod graph;
mod response;
mod schedule;

pub use burst::{BurstCycle, KindOfBlock, Served, burst_cycle};
pub use cost::{CallCost, CostRange, Turns, node_cost, processor_cost};
pub use doubt::{WorkDoubt, WorkPart, WorkSpread, WorkSums};
pub use graph::{BlockGraph, Graph};
pub use response::{BlockSequence, response_time, responses};
pub use schedule::{
    ScheduleRule, Turn, critical_path, first_ready_bound, graham_bound, least_bound, list_schedule,
    longest_turn,
};

use serde::Serialize;
use swiftloop_units::ids::NodeId;
use swiftloop_units::{Block, Micros};

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
    /// The worst block, in the order in which such software works.
    pub makespan: Micros,
    /// The worst block in whatever order the host works: `total/P + (1 − 1/P) × critical path`.
    pub guaranteed: Micros,
    /// Factors on all work: how far it may be off in 8 of 10 rigs.
    pub doubt: WorkDoubt,
    /// The mean block, scheduled likewise.
    pub mean: Micros,
    /// What keeps it from being shorter.
    pub bound_by: BoundBy,
    /// Nodes of the longest chain.
    pub critical_chain: Vec<NodeId>,
    /// What every distinct block of the cycle takes.
    pub distribution: Vec<WorkShare>,
    /// The cycle is too long to be walked: shares are those of its beginning.
    pub capped: bool,
}

impl BlockLoad {
    /// Worst block as a share of the deadline.
    #[must_use]
    pub fn worst_ratio(&self) -> f64 {
        self.makespan / self.deadline
    }

    /// Mean block as a share of the deadline.
    #[must_use]
    pub fn mean_ratio(&self) -> f64 {
        self.mean / self.deadline
    }
}
