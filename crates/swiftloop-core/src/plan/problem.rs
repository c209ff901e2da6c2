//! A question that is being answered: what is asked, what is remembered of it, and how much the search may still work out.

use super::block_work::{BlockWork, Nodes};
use super::latency_budget::LatencyBudget;
use super::memory::{LiveBlocker, Memory};
use super::quantile_point::QuantilePoint;
use super::question::PhaseQuestion;
use super::taken::RemediesTaken;
use crate::load::BlockGraph;
use crate::loops::Context;
use crate::rig::Setting;
use crate::risk::StepMeter;
use std::sync::Arc;
use swiftloop_units::ids::{InterfaceId, NodeId, PhaseId};
use swiftloop_units::{Block, Hz};
use typed_index_collections::TiVec;

/// What all searches of a plan may work out together, in steps of the meter.
pub(super) const ALL_STEPS: u64 = 6_000_000_000;

/// How much a search may work out, and what it has.
#[derive(Debug)]
pub struct SearchBudget {
    /// Steps that may be taken to find the cheapest remedies of all settings of the question.
    pub(super) steps: u64,
    /// Steps that were taken.
    pub(super) meter: StepMeter,
}

impl SearchBudget {
    /// From now on so many steps; none is taken yet. What is known stays known.
    pub(super) fn renewed(&self, steps: u64) -> Self {
        Self { steps, meter: self.meter.anew() }
    }
}

/// One phase on one interface at one rate, being solved.
#[derive(Debug)]
pub struct PhaseProblem<'a> {
    pub question: PhaseQuestion<'a>,
    /// What is remembered of it.
    pub memory: Memory,
    /// How much may be worked out.
    pub(super) budget: SearchBudget,
}

impl<'a> PhaseProblem<'a> {
    /// Puts a question by itself, with all that any plan may take. Phases and interfaces are those of a checked session and rig.
    #[must_use]
    pub fn new(context: Context<'a>, interface: InterfaceId, phase: PhaseId, rate: Hz) -> Self {
        Self::of(PhaseQuestion::new(context, interface, phase, rate), StepMeter::default())
    }

    /// A question, with what its meter shares with others.
    pub(super) fn of(question: PhaseQuestion<'a>, meter: StepMeter) -> Self {
        let memory = Memory::of(&question);
        Self { question, memory, budget: SearchBudget { steps: ALL_STEPS, meter } }
    }

    /// The same where these remedies are in effect anyway.
    pub(super) fn with_done(self, ids: &[String]) -> Self {
        Self { question: self.question.with_done(ids), ..self }
    }

    /// The part of the graph that a kind of block works on: many arrangements share it.
    fn graph_of(&self, included: &TiVec<NodeId, bool>) -> Arc<BlockGraph> {
        self.memory
            .graphs
            .get_or(included.clone(), || Arc::new(BlockGraph::of(&self.question.graph, included)))
    }

    /// The work of a block: many arrangements share it.
    pub(super) fn block_work(&self, block: Block, nodes: Nodes) -> Arc<BlockWork> {
        self.memory.works.get_or((block, nodes), || {
            let included = BlockWork::included(&self.question, nodes);
            let graph = self.graph_of(&included);
            Arc::new(BlockWork::of(&self.question, (block, nodes), included, graph))
        })
    }

    /// How long live chains may be at a setting, at a quantile point.
    pub(super) fn latency_budget(&self, setting: &Setting, point: QuantilePoint) -> LatencyBudget {
        // All but the typical one ask for the same share of rigs.
        let point = if point == QuantilePoint::TYPICAL { point } else { QuantilePoint::FIRST };
        let key = (setting.clone(), point);
        self.memory
            .budgets
            .get_or(key, || LatencyBudget::at(&self.question, &self.memory.shortest, setting, point))
    }

    /// What cannot ride the cue block after `applied`, although somebody hears it through the software.
    pub fn cannot_ride(&self, applied: &RemediesTaken) -> impl Iterator<Item = &LiveBlocker> {
        let routes = self.question.context.session.routes();
        self.memory.live_blockers.iter().filter(move |r| {
            let cured = !self.question.is_slow(applied.latency[r.processor])
                && (!r.gone || applied.factor[r.processor].is_gone());
            !cured
                && !applied.nodes_off.contains(&routes.processors[r.processor].node)
                && !r.heard_by.iter().all(|p| applied.direct.contains(p))
        })
    }
}
