//! The work of one kind of block (cue or roll) before any remedy, and the state that remedies leave behind.

use super::PhaseProblem;
use crate::ids::{NodeId, PerformerId, ProcessorId, ProgramId, RemedyId};
use crate::load::{BurstCycle, CallCost, KindOfBlock, burst_cycle};
use crate::session::Routes;
use crate::units::{Block, Frames, Gigabytes, Micros};
use typed_index_collections::TiVec;

/// The work of one kind of block before any remedy.
#[derive(Debug)]
pub struct BlockWork {
    /// Frames in the block.
    pub block: Block,
    /// Nodes that belong to it.
    pub included: TiVec<NodeId, bool>,
    /// Distinct blocks of the cycle; the worst is the last.
    pub cycle: BurstCycle,
    costs: TiVec<ProcessorId, CallCost>,
    /// Base cost of every node, for each kind of block.
    pub(super) base: Vec<TiVec<NodeId, Micros>>,
    /// Base cost of every processor in the worst block.
    pub(super) worst: TiVec<ProcessorId, Micros>,
}

/// The state that a set of remedies leaves behind.
#[derive(Debug, Clone)]
pub struct Applied {
    /// Factor on the work of each processor.
    pub factor: TiVec<ProcessorId, f64>,
    /// Latency of each processor, typical.
    pub latency: TiVec<ProcessorId, Frames>,
    /// Nodes that were switched off.
    pub nodes_off: Vec<NodeId>,
    /// Nodes whose cost differs from the base.
    pub(super) touched: Vec<NodeId>,
    pub(super) shared: Vec<RemedyId>,
    pub(super) all_work: f64,
    pub(super) timeline: f64,
    /// More channels from disk.
    pub channels: u32,
    /// Change of memory.
    pub memory: Gigabytes,
    /// Programs that were quit.
    pub quit: Vec<ProgramId>,
    /// The machine went to its performance plan.
    pub full_power: bool,
    /// Performers who went direct.
    pub direct: Vec<PerformerId>,
}

impl BlockWork {
    pub(super) fn new(problem: &PhaseProblem<'_>, block: Block, included: TiVec<NodeId, bool>) -> Self {
        let routes = problem.context.session.routes();
        let own = problem.context.session.engine.block_frames.filter(|&b| b != block);
        let fit = |c: &CallCost| match own {
            Some(b) => CallCost { internal: Some(c.internal.map_or(b, |i| i.max(b))), ..*c },
            None => *c,
        };
        let costs: TiVec<ProcessorId, CallCost> = problem.costs.iter().map(fit).collect();
        let nodes: TiVec<NodeId, CallCost> = problem.node_costs.iter().map(fit).collect();
        let mine = |p: ProcessorId| included[routes.processors[p].node];
        let internal = costs.keys().filter(|&p| mine(p)).filter_map(|p| costs[p].internal);
        let cycle = burst_cycle(block, internal.chain(own));
        let in_block = |c: CallCost, kind: KindOfBlock| {
            c.in_block(block, c.internal.is_some_and(|m| cycle.is_due(m, kind)))
        };
        let node_base = |n: NodeId, kind: KindOfBlock| {
            if !included[n] {
                return Micros::new(0.0);
            }
            let chain: Micros = routes.nodes[n].processors().map(|p| in_block(costs[p], kind)).sum();
            in_block(nodes[n], kind) + chain
        };
        let base =
            cycle.blocks.iter().map(|&kind| nodes.keys().map(|n| node_base(n, kind)).collect()).collect();
        let worst_kind = cycle.blocks.last().copied().unwrap_or(KindOfBlock { share: 1.0, due: 0 });
        let worst_of =
            |p: ProcessorId| if mine(p) { in_block(costs[p], worst_kind) } else { Micros::new(0.0) };
        let worst = costs.keys().map(worst_of).collect();
        Self { block, included, costs, base, worst, cycle }
    }

    /// Node costs of kind `k` of the cycle after `applied`.
    #[must_use]
    pub fn node_costs(&self, k: usize, routes: &Routes, applied: &Applied) -> TiVec<NodeId, Micros> {
        let mut cost = self.base[k].clone();
        let kind = self.cycle.blocks[k];
        for &n in &applied.touched {
            if !self.included[n] {
                continue;
            }
            for p in routes.nodes[n].processors() {
                if applied.factor[p] < 1.0 {
                    cost[n] -= self.processor_work(p, kind) * (1.0 - applied.factor[p]);
                }
            }
            cost[n] = cost[n].max(Micros::new(0.0));
        }
        for &n in &applied.nodes_off {
            cost[n] = Micros::new(0.0);
        }
        cost
    }

    pub(super) fn processor_work(&self, p: ProcessorId, kind: KindOfBlock) -> Micros {
        let c = self.costs[p];
        c.in_block(self.block, c.internal.is_some_and(|m| self.cycle.is_due(m, kind)))
    }

    pub(super) fn worst_index(&self) -> usize {
        self.base.len() - 1
    }
}
