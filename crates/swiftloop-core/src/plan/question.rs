//! What is asked: one phase on one interface at one rate. Rig and session come in; everything goes out that does not depend on the
//! setting and never changes while it is solved: which sound is live, what every processor costs, which remedies there are.

use super::disk_and_memory::{Resources, resources};
use super::effect::Extent;
use super::offer::{self, direct_fits, late_direct};
use super::quantile_point::{UnderPower, under_power};
use super::remedy::{self, Remedy, Target};
use super::taken::{RemediesTaken, WorkFactor};
use crate::load::{CallCost, CostRange, Graph, node_cost, processor_cost};
use crate::loops::{Chains, Context, compensated, latencies};
use crate::plan::Effect;
use crate::plan::line::link_settings;
use crate::rig::{LinkSetting, PowerPlan};
use crate::session::{Listens, NodeKind, Phase, Processor};
use crate::tables::PhaseKind;
use swiftloop_units::ids::{InterfaceId, NodeId, PerformerId, PhaseId, ProcessorId, ProgramId, RemedyId};
use swiftloop_units::{Frames, Gigabytes, Hz, Ms, PerHour, Range, Seconds};
use typed_index_collections::TiVec;

/// A performer whose live chain must fit, and the node they hear.
#[derive(Debug, Clone, Copy)]
pub struct Need {
    pub performer: PerformerId,
    /// Node they listen to.
    pub cue: NodeId,
}

/// One phase on one interface at one rate.
#[derive(Debug)]
pub struct PhaseQuestion<'a> {
    pub context: Context<'a>,
    pub interface: InterfaceId,
    pub phase_id: PhaseId,
    pub phase: &'a Phase,
    pub kind: &'a PhaseKind,
    /// Dropouts that are allowed.
    pub target: PerHour,
    /// Rates around which dropouts have to be told apart: what is allowed, and what was counted somewhere.
    pub around: (PerHour, PerHour),
    pub rate: Hz,
    /// Live tracks, as nodes.
    pub live: Vec<NodeId>,
    /// Performers who listen through the software.
    pub needs: Vec<Need>,
    /// Nodes downstream of live sound.
    pub cue: TiVec<NodeId, bool>,
    pub active: TiVec<NodeId, bool>,
    /// Cost of each processor (nothing on inactive nodes).
    pub costs: TiVec<ProcessorId, CostRange>,
    /// Nodes that copies of processors could be sent to stand behind those of the routing.
    pub graph: Graph,
    /// Cost of such a node without its processor.
    pub bus_cost: CallCost,
    /// Share of the time during which each processor computes: less than one where it rests while its track is silent.
    pub computing: TiVec<ProcessorId, f64>,
    /// Cost of each node without its processors.
    pub node_costs: TiVec<NodeId, CallCost>,
    /// Latency of each processor.
    pub latency: TiVec<ProcessorId, Range<Frames>>,
    pub remedies: TiVec<RemedyId, Remedy>,
    /// For each remedy those that do all of it and more: beside one of them it brings nothing of its own.
    pub covered_by: TiVec<RemedyId, Vec<RemedyId>>,
    /// Whoever listens through the interface already, and how far over the limit the furthest of them is: no setting helps.
    pub late_direct: Option<(PerformerId, Ms)>,
    /// Every way to set the lines to far sides with its effort, the cheapest first.
    pub links: Vec<(LinkSetting, u32)>,
    /// Disk and memory as the session stands.
    pub resources: Resources,
    /// Programs that run beside the session in this phase.
    pub programs: Vec<ProgramId>,
    /// The machine under its present power plan.
    pub present: UnderPower,
    /// The machine under its performance plan.
    pub performance: UnderPower,
}

impl<'a> PhaseQuestion<'a> {
    /// Puts the question. Phases and interfaces are those of a checked session and rig.
    #[must_use]
    pub fn new(context: Context<'a>, interface: InterfaceId, phase_id: PhaseId, rate: Hz) -> Self {
        let session = context.session;
        let (phase, kind) = (session.phase(phase_id), session.kind(phase_id));
        let routes = session.routes();
        let live = session.live_nodes(phase);
        let cue = routes.downstream(&live);
        let active: TiVec<NodeId, bool> =
            routes.nodes.keys().map(|n| offer::is_active(&context, n)).collect();
        let channels = |node: NodeId| match routes.nodes[node].kind {
            NodeKind::Track(t) => session.track(t).channels,
            NodeKind::Bus(_) | NodeKind::Main => 2,
        };
        let cost = |p: ProcessorId| {
            let node = routes.processors[p].node;
            let of = || processor_cost(session.processor(p), session.cost(p), channels(node), context.tables);
            if active[node] { of() } else { CostRange::FREE }
        };
        let phrase = Seconds::new(context.tables.assume.phrase_s);
        let share_computing = |p: ProcessorId| match routes.nodes[routes.processors[p].node].kind {
            NodeKind::Track(t) => computing(
                session.processor(p),
                session.track(t).sounding.raw(),
                phrase,
                session.cost(p).quiet,
            ),
            NodeKind::Bus(_) | NodeKind::Main => 1.0,
        };
        let bare_cost =
            |n: NodeId| if active[n] { node_cost(channels(n), context.tables) } else { CallCost::FREE };
        let direct_fits = direct_fits(&context, interface, phase, rate);
        let needs = session
            .performers_in(phase)
            .filter(|(_, p)| p.listens != Listens::Direct)
            .filter_map(|(performer, p)| Some(Need { performer, cue: session.node_of(&p.cue)? }));
        let mut graph = Graph::of(routes);
        let remedies = offer::all(&context, (interface, rate), phase_id, &live, &direct_fits, &mut graph);
        let target = phase.target_per_hour.map_or(PerHour::new(kind.target_per_hour), PerHour::new);
        let runs = context.rig.program_ids().filter(|(_, p)| p.runs_in(phase.id()));
        Self {
            interface,
            phase_id,
            phase,
            kind,
            target,
            around: (target, target),
            rate,
            latency: latencies(session, rate),
            needs: needs.collect(),
            costs: routes.processors.keys().map(cost).collect(),
            computing: routes.processors.keys().map(share_computing).collect(),
            graph,
            bus_cost: node_cost(2, context.tables),
            node_costs: routes.nodes.keys().map(bare_cost).collect(),
            covered_by: remedy::covered_by(&remedies),
            remedies,
            resources: resources(&context, phase),
            present: under_power(&context, context.rig.machine.power),
            performance: under_power(&context, PowerPlan::Performance),
            live,
            cue,
            active,
            programs: runs.map(|(id, _)| id).collect(),
            late_direct: late_direct(&context, interface, phase, rate),
            links: link_settings(&context, phase, rate),
            context,
        }
    }

    /// The same where these remedies are in effect anyway: they take no effort any more.
    pub(super) fn with_done(mut self, ids: &[String]) -> Self {
        for remedy in self.remedies.iter_mut().filter(|r| ids.contains(&r.id)) {
            remedy.effort = 0;
        }
        self
    }

    /// The state after `chosen`, and after the good sides (only) of `hoped`. The same memory is freed once, however
    /// many remedies would free it.
    #[must_use]
    pub fn apply(&self, chosen: &[RemedyId], hoped: &[RemedyId]) -> RemediesTaken {
        let routes = self.context.session.routes();
        let mut state = RemediesTaken {
            factor: self.costs.iter().map(|_| WorkFactor::ONE).collect(),
            latency: self.latency.iter().map(|l| l.typical()).collect(),
            nodes_off: Vec::new(),
            touched: Vec::new(),
            shared: Vec::new(),
            shared_hoped: Vec::new(),
            all_work: precision_cost(&self.context),
            timeline: 1.0,
            channels: 0,
            memory: Gigabytes::new(0.0),
            quit: Vec::new(),
            full_power: false,
            direct: Vec::new(),
        };
        let given = |by: &RemedyId| chosen.contains(by);
        let counts = |r: &&RemedyId| !self.covered_by[**r].iter().any(given);
        let hopes = |r: &&RemedyId| !self.covered_by[**r].iter().any(|by| given(by) || hoped.contains(by));
        let both = chosen.iter().filter(counts).map(|&r| (r, Extent::Whole));
        let both = both.chain(hoped.iter().filter(hopes).map(|&r| (r, Extent::GoodSides)));
        for (r, taken) in both {
            for effect in &self.remedies[r].effects {
                effect.apply(r, taken, routes, &mut state);
            }
        }
        state.touched.sort_unstable();
        state.touched.dedup();
        state
    }

    /// The machine as a set of remedies leaves it.
    #[must_use]
    pub fn machine(&self, applied: &RemediesTaken) -> &UnderPower {
        if applied.full_power { &self.performance } else { &self.present }
    }

    /// How long it lasts, where there is no second try.
    pub(super) fn one_take(&self) -> Option<Seconds> {
        let usual = self.kind.one_take_minutes?;
        Some(Seconds::new(60.0 * self.phase.minutes.unwrap_or(usual)))
    }

    /// The live chains with these latencies, those who went direct not counted.
    #[must_use]
    pub fn chains(&self, latency: impl Fn(ProcessorId) -> Frames, direct: &[PerformerId]) -> Chains {
        let session = self.context.session;
        if direct.is_empty() {
            return compensated(session, &self.live, latency);
        }
        let hears = |p: PerformerId| session.performer(p).hears.iter().filter_map(|id| session.node_of(id));
        let still: Vec<NodeId> = self
            .needs
            .iter()
            .filter(|need| !direct.contains(&need.performer))
            .flat_map(|need| hears(need.performer))
            .filter(|n| self.live.contains(n))
            .collect();
        compensated(session, &still, latency)
    }

    /// Delay of a performer's chain when nobody else is live.
    pub(super) fn own_delay(&self, need: &Need, latency: &TiVec<ProcessorId, Frames>) -> Frames {
        let others: Vec<PerformerId> =
            self.needs.iter().map(|n| n.performer).filter(|&p| p != need.performer).collect();
        self.chains(|p| latency[p], &others).at(need.cue)
    }

    /// The live chains without any processor's delay.
    #[must_use]
    pub fn bare_chains(&self) -> Chains {
        compensated(self.context.session, &[], |_| Frames::new(0.0))
    }

    /// Over the phase's threshold for processors on a live path.
    pub(super) fn is_slow(&self, frames: Frames) -> bool {
        frames.at(self.rate) > self.phase.bypass_over_ms.unwrap_or(self.kind.bypass_over_ms)
    }

    /// Whether a performer may be sent to the interface's own mixer.
    #[must_use]
    pub fn may_go_direct(&self, performer: PerformerId) -> bool {
        self.remedies.iter().any(|r| r.effects == [Effect::Direct(performer)])
    }

    /// Remedies that are done to one processor.
    pub(super) fn on_processor(&self, p: ProcessorId) -> impl Iterator<Item = RemedyId> {
        let mine = move |r: &RemedyId| self.remedies[*r].target == Target::Processor(p);
        self.remedies.keys().filter(mine)
    }
}

/// All costs are those of 64 bits.
fn precision_cost(context: &Context<'_>) -> f64 {
    if context.session.engine.precision == 32 { context.tables.assume.precision_32_cost.raw() } else { 1.0 }
}

/// Share of the time during which a processor computes: always, unless it rests while its track is silent; then while
/// the track sounds, each stretch of a `phrase` prolonged by the tail. What was weighed silent takes that share then.
fn computing(processor: &Processor, sounding: f64, phrase: Seconds, quiet: f64) -> f64 {
    let quiet = if processor.rests { 0.0 } else { quiet };
    let busy = (sounding * (1.0 + processor.tail_s / phrase.raw())).min(1.0);
    busy + (1.0 - busy) * quiet
}
