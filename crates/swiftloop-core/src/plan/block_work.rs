//! The work of one kind of block (cue or roll) before any remedy, and the state that remedies leave behind.

use super::PhaseProblem;
use super::effect::Effect;
use crate::load::{BlockGraph, BurstCycle, CallCost, KindOfBlock, Turns, WorkPart, WorkSums, burst_cycle};
use std::sync::{Arc, OnceLock};
use swiftloop_units::ids::{NodeId, PerformerId, ProcessorId, ProgramId, RemedyId};
use swiftloop_units::{Block, Frames, Gigabytes, Micros, Range};
use typed_index_collections::TiVec;

/// The work of one kind of block before any remedy.
#[derive(Debug)]
pub struct BlockWork {
    /// Frames in the block.
    pub block: Block,
    /// Nodes that belong to it, those that copies could be sent to among them.
    pub included: TiVec<NodeId, bool>,
    /// Their graph.
    pub graph: Arc<BlockGraph>,
    /// Distinct blocks of the cycle; the worst is the last.
    pub cycle: BurstCycle,
    /// Base cost of every node, for each kind of block.
    pub(super) base: Vec<TiVec<NodeId, Micros>>,
    /// What a turn of every processor costs before any remedy, nothing where it does not belong to the block; and which
    /// turns it gets.
    costs: TiVec<ProcessorId, (CallCost, usize)>,
    /// How often a turn comes, for each kind of block: of what has no block of its own, then of every internal size.
    turns: Vec<Vec<Turns>>,
    /// Cost of one more bus in the worst block.
    pub(super) bus: Micros,
    /// The work of its processors in the worst block before any remedy, once that was asked for.
    sums: OnceLock<WorkSums>,
}

/// Factors on the work of a processor.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WorkFactor {
    /// On each call.
    pub call: f64,
    /// On each frame.
    pub frame: f64,
}

impl WorkFactor {
    /// As it stands.
    pub const ONE: Self = Self { call: 1.0, frame: 1.0 };
    /// Nothing is left of it.
    pub const GONE: Self = Self { call: 0.0, frame: 0.0 };

    /// Both at once.
    #[must_use]
    pub fn times(self, call: f64, frame: f64) -> Self {
        Self { call: self.call * call, frame: self.frame * frame }
    }

    /// Nothing is left.
    #[must_use]
    pub fn is_gone(self) -> bool {
        self == Self::GONE
    }
}

/// The state that a set of remedies leaves behind.
#[derive(Debug, Clone)]
pub struct Applied {
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

impl BlockWork {
    /// Of the nodes of the routing that are `wanted`.
    pub(super) fn new(problem: &PhaseProblem<'_>, block: Block, wanted: TiVec<NodeId, bool>) -> Self {
        let routes = problem.context.session.routes();
        let mine = |p: ProcessorId| wanted[routes.processors[p].node];
        let internal =
            problem.costs.keys().filter(|&p| mine(p)).filter_map(|p| problem.costs[p].typical.internal);
        let cycle = burst_cycle(block, problem.context.session.engine.block_frames, internal);
        let sizes = || std::iter::once(None).chain(cycle.sizes.iter().copied().map(Some));
        let turns_in = |b: &KindOfBlock| sizes().map(|m| Turns::of(m, &cycle, &b.served)).collect::<Vec<_>>();
        let turns: Vec<Vec<Turns>> = cycle.blocks.iter().map(turns_in).collect();
        let cost_of = |p: ProcessorId| {
            let cost = if mine(p) { problem.costs[p].typical } else { CallCost::FREE };
            (cost, sizes().position(|m| m == cost.internal).unwrap_or(0))
        };
        let costs: TiVec<ProcessorId, _> = problem.costs.keys().map(cost_of).collect();
        let node_base = |n: NodeId, k: usize| {
            if !wanted[n] {
                return Micros::new(0.0);
            }
            let of = |p: ProcessorId| costs[p].0.so_often(turns[k][costs[p].1]);
            let chain: Micros = routes.nodes[n].processors().map(of).sum();
            problem.node_costs[n].so_often(turns[k][0]) + chain
        };
        // What copies could be sent to has no work until they are.
        let buses = problem.graph.to.len() - routes.nodes.len();
        let base = (0..cycle.blocks.len())
            .map(|k| {
                let nodes = routes.nodes.keys().map(|n| node_base(n, k));
                nodes.chain(std::iter::repeat_n(Micros::new(0.0), buses)).collect()
            })
            .collect();
        let mut included = wanted.clone();
        included.extend(std::iter::repeat_n(true, buses));
        let graph = problem.graph_of(&included);
        let bus = problem.bus_cost.so_often(turns[cycle.worst()][0]);
        Self { block, included, graph, base, costs, turns, bus, cycle, sums: OnceLock::new() }
    }

    /// Node costs of kind `k` of the cycle after `applied`.
    #[must_use]
    pub fn node_costs(
        &self,
        problem: &PhaseProblem<'_>,
        k: usize,
        applied: &Applied,
    ) -> TiVec<NodeId, Micros> {
        let routes = problem.context.session.routes();
        let mut cost = self.base[k].clone();
        for &n in applied.touched.iter().filter(|&&n| self.included[n]) {
            for p in routes.nodes[n].processors() {
                let factor = applied.factor[p];
                if factor != WorkFactor::ONE {
                    cost[n] -= self.processor_work(p, k, WorkFactor::ONE) - self.processor_work(p, k, factor);
                }
            }
            cost[n] = cost[n].max(Micros::new(0.0));
        }
        for &n in &applied.nodes_off {
            cost[n] = Micros::new(0.0);
        }
        let shared = applied.shared.iter().map(|r| (r, true));
        for (&r, paid) in shared.chain(applied.shared_hoped.iter().map(|r| (r, false))) {
            for effect in &problem.remedies[r].effects {
                if let Effect::Share { copies, bus } = effect {
                    let left = self.share(problem, k, applied, copies, &mut cost);
                    if let (Some(left), true) = (left, paid) {
                        cost[*bus] += left;
                    }
                }
            }
        }
        cost
    }

    /// The copies leave their tracks; what the dearest of them takes on a bus of its own, which costs what a bus costs.
    fn share(
        &self,
        problem: &PhaseProblem<'_>,
        k: usize,
        applied: &Applied,
        copies: &[ProcessorId],
        cost: &mut TiVec<NodeId, Micros>,
    ) -> Option<Micros> {
        let routes = problem.context.session.routes();
        let mut most: Option<Micros> = None;
        for &p in copies {
            let node = routes.processors[p].node;
            if self.included[node] && !applied.nodes_off.contains(&node) {
                let work = self.processor_work(p, k, applied.factor[p]);
                cost[node] = (cost[node] - work).max(Micros::new(0.0));
                most = Some(most.map_or(work, |m| m.max(work)));
            }
        }
        most.map(|work| work + problem.bus_cost.so_often(self.turns[k][0]))
    }

    /// The work of a processor in blocks of kind `k`, with factors; nothing where it does not belong to the block.
    pub(super) fn processor_work(&self, p: ProcessorId, k: usize, factor: WorkFactor) -> Micros {
        let (cost, size) = self.costs[p];
        cost.times(factor.call, factor.frame).so_often(self.turns[k][size])
    }

    /// How the work of processors in the worst block is known after `applied`.
    pub(super) fn sums_after(&self, problem: &PhaseProblem<'_>, applied: &Applied) -> WorkSums {
        let routes = problem.context.session.routes();
        let node_of = |p: ProcessorId| routes.processors[p].node;
        let all = || {
            let mine = problem.costs.keys().filter(|p| self.included[node_of(*p)]);
            mine.map(|p| self.part(problem, p, WorkFactor::ONE)).collect()
        };
        let mut sums = self.sums.get_or_init(all).clone();
        let off = |n: &NodeId| applied.nodes_off.contains(n);
        let changed = applied.touched.iter().filter(|n| !off(n)).chain(&applied.nodes_off);
        for n in changed.filter(|&&n| self.included[n]) {
            for p in routes.nodes[*n].processors() {
                let factor = if off(n) { WorkFactor::GONE } else { applied.factor[p] };
                if factor != WorkFactor::ONE {
                    sums.take(self.part(problem, p, WorkFactor::ONE));
                    sums.add(self.part(problem, p, factor));
                }
            }
        }
        sums
    }

    /// The work of a processor in the worst block, with factors.
    fn part(&self, problem: &PhaseProblem<'_>, p: ProcessorId, factor: WorkFactor) -> WorkPart {
        let turns = self.turns[self.worst_index()][self.costs[p].1];
        let of = |cost: CallCost| cost.times(factor.call, factor.frame).so_often(turns);
        let cost = problem.costs[p];
        let work = Range::spanning(of(cost.low), of(cost.typical), of(cost.high));
        WorkPart { known: problem.context.session.cost(p).known, work }
    }

    /// The work of a processor in the worst block as it stands.
    pub(super) fn worst(&self, p: ProcessorId) -> Micros {
        self.processor_work(p, self.cycle.worst(), WorkFactor::ONE)
    }

    /// The worst kind of block that comes at all.
    pub(super) fn worst_index(&self) -> usize {
        self.cycle.blocks.iter().rposition(|b| b.share > 0.0).unwrap_or(0)
    }
}
