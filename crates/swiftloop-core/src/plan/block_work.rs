//! The work of one kind of block (cue or roll) before any remedy, and the state that remedies leave behind.

use super::effect::Effect;
use super::question::PhaseQuestion;
use super::taken::{RemediesTaken, WorkFactor};
use crate::load::{BlockGraph, BurstCycle, CallCost, KindOfBlock, Turns, WorkPart, WorkSums, burst_cycle};
use std::sync::{Arc, OnceLock};
use swiftloop_units::ids::{NodeId, ProcessorId};
use swiftloop_units::{Block, Micros, Range};
use typed_index_collections::TiVec;

/// Which nodes a block works on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Nodes {
    All,
    /// Those downstream of live sound.
    Live,
    /// Those that only play what is recorded.
    Recorded,
}

/// The work of one kind of block before any remedy.
#[derive(Debug)]
pub struct BlockWork {
    /// Frames in the block.
    pub block: Block,
    /// Which nodes it works on.
    pub(super) nodes: Nodes,
    /// Nodes that belong to it, those that copies could be sent to among them.
    pub included: TiVec<NodeId, bool>,
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

impl BlockWork {
    /// Nodes that a kind of block works on: those of the routing, then those that copies could be sent to, which have no work until
    /// they are.
    pub(super) fn included(question: &PhaseQuestion<'_>, nodes: Nodes) -> TiVec<NodeId, bool> {
        let buses = question.graph.to.len() - question.context.session.routes().nodes.len();
        let mut included: TiVec<NodeId, bool> = match nodes {
            Nodes::All => question.active.clone(),
            Nodes::Live | Nodes::Recorded => {
                let live = nodes == Nodes::Live;
                question.cue.iter().zip(&question.active).map(|(&c, &a)| a && c == live).collect()
            }
        };
        included.extend(std::iter::repeat_n(true, buses));
        included
    }

    /// Of the nodes that are `included`, with their graph.
    pub(super) fn of(
        question: &PhaseQuestion<'_>,
        (block, nodes): (Block, Nodes),
        included: TiVec<NodeId, bool>,
        graph: Arc<BlockGraph>,
    ) -> Self {
        let routes = question.context.session.routes();
        let mine = |p: ProcessorId| included[routes.processors[p].node];
        let internal =
            question.costs.keys().filter(|&p| mine(p)).filter_map(|p| question.costs[p].typical.internal);
        let cycle = burst_cycle(block, question.context.session.engine.block_frames, internal);
        let sizes = || std::iter::once(None).chain(cycle.sizes.iter().copied().map(Some));
        let turns_in = |b: &KindOfBlock| sizes().map(|m| Turns::of(m, &cycle, &b.served)).collect::<Vec<_>>();
        let turns: Vec<Vec<Turns>> = cycle.blocks.iter().map(turns_in).collect();
        let cost_of = |p: ProcessorId| {
            let cost = if mine(p) { question.costs[p].typical } else { CallCost::FREE };
            (cost, sizes().position(|m| m == cost.internal).unwrap_or(0))
        };
        let costs: TiVec<ProcessorId, _> = question.costs.keys().map(cost_of).collect();
        let node_base = |n: NodeId, k: usize| {
            if !included[n] {
                return Micros::new(0.0);
            }
            let of = |p: ProcessorId| costs[p].0.so_often(turns[k][costs[p].1]);
            let chain: Micros = routes.nodes[n].processors().map(of).sum();
            question.node_costs[n].so_often(turns[k][0]) + chain
        };
        // What copies could be sent to has no work until they are.
        let buses = question.graph.to.len() - routes.nodes.len();
        let base = (0..cycle.blocks.len())
            .map(|k| {
                let nodes = routes.nodes.keys().map(|n| node_base(n, k));
                nodes.chain(std::iter::repeat_n(Micros::new(0.0), buses)).collect()
            })
            .collect();
        let bus = question.bus_cost.so_often(turns[cycle.worst()][0]);
        Self { block, nodes, included, graph, base, costs, turns, bus, cycle, sums: OnceLock::new() }
    }

    /// Node costs of kind `k` of the cycle after `applied`.
    #[must_use]
    pub fn node_costs(
        &self,
        question: &PhaseQuestion<'_>,
        k: usize,
        applied: &RemediesTaken,
    ) -> TiVec<NodeId, Micros> {
        let routes = question.context.session.routes();
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
            for effect in &question.remedies[r].effects {
                if let Effect::Share { copies, bus } = effect {
                    let left = self.share(question, k, applied, copies, &mut cost);
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
        question: &PhaseQuestion<'_>,
        k: usize,
        applied: &RemediesTaken,
        copies: &[ProcessorId],
        cost: &mut TiVec<NodeId, Micros>,
    ) -> Option<Micros> {
        let routes = question.context.session.routes();
        let mut most: Option<Micros> = None;
        for &p in copies {
            let node = routes.processors[p].node;
            if self.included[node] && !applied.nodes_off.contains(&node) {
                let work = self.processor_work(p, k, applied.factor[p]);
                cost[node] = (cost[node] - work).max(Micros::new(0.0));
                most = Some(most.map_or(work, |m| m.max(work)));
            }
        }
        most.map(|work| work + question.bus_cost.so_often(self.turns[k][0]))
    }

    /// The work of a processor in blocks of kind `k`, with factors; nothing where it does not belong to the block.
    pub(super) fn processor_work(&self, p: ProcessorId, k: usize, factor: WorkFactor) -> Micros {
        let (cost, size) = self.costs[p];
        cost.times(factor.call, factor.frame).so_often(self.turns[k][size])
    }

    /// How the work of processors in the worst block is known after `applied`.
    pub(super) fn sums_after(&self, question: &PhaseQuestion<'_>, applied: &RemediesTaken) -> WorkSums {
        let routes = question.context.session.routes();
        let node_of = |p: ProcessorId| routes.processors[p].node;
        let all = || {
            let mine = question.costs.keys().filter(|p| self.included[node_of(*p)]);
            mine.map(|p| self.part(question, p, WorkFactor::ONE)).collect()
        };
        let mut sums = self.sums.get_or_init(all).clone();
        let off = |n: &NodeId| applied.nodes_off.contains(n);
        let changed = applied.touched.iter().filter(|n| !off(n)).chain(&applied.nodes_off);
        for n in changed.filter(|&&n| self.included[n]) {
            for p in routes.nodes[*n].processors() {
                let factor = if off(n) { WorkFactor::GONE } else { applied.factor[p] };
                if factor != WorkFactor::ONE {
                    sums.take(self.part(question, p, WorkFactor::ONE));
                    sums.add(self.part(question, p, factor));
                }
            }
        }
        sums
    }

    /// The work of a processor in the worst block, with factors.
    fn part(&self, question: &PhaseQuestion<'_>, p: ProcessorId, factor: WorkFactor) -> WorkPart {
        let turns = self.turns[self.worst_index()][self.costs[p].1];
        let of = |cost: CallCost| cost.times(factor.call, factor.frame).so_often(turns);
        let cost = question.costs[p];
        let work = Range::spanning(of(cost.low), of(cost.typical), of(cost.high));
        WorkPart { known: question.context.session.cost(p).known, work }
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

impl BlockWork {
    /// Whether it can lighten a self.
    pub(super) fn is_lightened_by(&self, effect: &Effect) -> bool {
        match effect {
            Effect::Work(p, factor) | Effect::Frames(p, factor) => {
                self.worst(*p).raw() * (1.0 - factor) > 0.0
            }
            Effect::NodeOff(n) => self.included[*n],
            // What is saved has to be more than another bus costs.
            Effect::Share { copies, .. } => {
                let each = copies.iter().map(|&p| self.worst(p).raw());
                each.clone().sum::<f64>() - each.fold(0.0, f64::max) > self.bus.raw()
            }
            Effect::AllWork(_) | Effect::Timeline(_) => true,
            Effect::Latency(..)
            | Effect::Stream { .. }
            | Effect::Quit(_)
            | Effect::FullPower
            | Effect::Direct(_) => false,
        }
    }

    /// The most work that an effect can save in blocks of kind `k` on the reference core; see [`SavedWork`].
    pub(super) fn saved_by(
        &self,
        question: &PhaseQuestion<'_>,
        effect: &Effect,
        k: usize,
        now: &RemediesTaken,
    ) -> SavedWork {
        let routes = question.context.session.routes();
        let of = |p: ProcessorId, factor: WorkFactor| self.processor_work(p, k, factor);
        let all = |p: ProcessorId| of(p, now.factor[p]);
        match effect {
            Effect::Work(p, factor) => SavedWork::OnNode {
                node: routes.processors[*p].node,
                work: all(*p) - of(*p, now.factor[*p].times(*factor, *factor)),
            },
            Effect::Frames(p, factor) => SavedWork::OnNode {
                node: routes.processors[*p].node,
                work: all(*p) - of(*p, now.factor[*p].times(1.0, *factor)),
            },
            Effect::NodeOff(n) => SavedWork::OnNode { node: *n, work: self.base[k][*n] },
            Effect::Share { copies, .. } => {
                let each: Vec<(NodeId, Micros)> =
                    copies.iter().map(|&p| (routes.processors[p].node, all(p))).collect();
                let zero = Micros::new(0.0);
                let (sum, most) = each.iter().fold((zero, zero), |(sum, most), c| (sum + c.1, most.max(c.1)));
                SavedWork::Copies { each, in_all: sum - most }
            }
            Effect::Timeline(factor) => SavedWork::Timeline(1.0 - factor),
            Effect::AllWork(factor) => SavedWork::OfAll(1.0 - factor),
            // What these save, the work limit or other parts of the bound know.
            Effect::Latency(..)
            | Effect::Stream { .. }
            | Effect::Quit(_)
            | Effect::FullPower
            | Effect::Direct(_) => SavedWork::None,
        }
    }
}

/// Work that an effect saves, by where it is saved.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum SavedWork {
    None,
    OnNode {
        node: NodeId,
        work: Micros,
    },
    /// Copies leave their nodes, and one of them works elsewhere.
    Copies {
        /// What leaves each node.
        each: Vec<(NodeId, Micros)>,
        /// What is saved of all work.
        in_all: Micros,
    },
    /// This share of the timeline's cost.
    Timeline(f64),
    /// This share of everything.
    OfAll(f64),
}
