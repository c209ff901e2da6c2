//! One phase on one interface at one rate, as a problem to be solved. All that does not depend on the buffer is worked
//! out here once: which sound is live, what every processor costs, which remedies there are.

use super::block_work::{Applied, BlockWork, WorkFactor};
use super::design::Design;
use super::direct::{direct_fits, late_direct};
use super::effect::Taken;
use super::power::{UnderPower, under_power};
use super::remedy;
use super::remedy::Remedy;
use super::riders::Rider;
use super::room::Rooms;
use super::storage::{Resources, resources};
use crate::load::{BlockGraph, CallCost, CostRange, Graph, node_cost, processor_cost};
use crate::loops::{Chains, Context, compensated, latencies};
use crate::plan::line::link_settings;
use crate::rig::{LinkSetting, PowerPlan};
use crate::risk::Meter;
use crate::session::{Listens, NodeKind, Phase, Processor};
use crate::tables::PhaseKind;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use swiftloop_units::ids::{InterfaceId, NodeId, PerformerId, PhaseId, ProcessorId, ProgramId, RemedyId};
use swiftloop_units::{Block, Frames, Gigabytes, Hz, Ms, PerHour, Range, Seconds};
use typed_index_collections::TiVec;

/// What all searches of a plan may take together, in steps of the meter.
pub(super) const ALL_THOUGHT: u64 = 6_000_000_000;

/// A performer whose live chain must fit, and the node they hear.
#[derive(Debug, Clone, Copy)]
pub struct Need {
    /// Who.
    pub performer: PerformerId,
    /// Node they listen to.
    pub cue: NodeId,
}

/// The best that remedies can do for delays.
#[derive(Debug, Clone, Default)]
pub struct Shortest {
    /// Least latency of each processor.
    pub latency: TiVec<ProcessorId, Frames>,
    /// Performers who can go direct.
    pub direct: Vec<PerformerId>,
}

/// Which nodes a block works on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Nodes {
    /// All of them.
    All,
    /// Those downstream of live sound.
    Live,
    /// Those that only play what is recorded.
    Recorded,
}

/// Which nodes belong to a block, and their graph.
type BlockGraphs = Vec<(TiVec<NodeId, bool>, Arc<BlockGraph>)>;

/// One phase on one interface at one rate.
#[derive(Debug)]
pub struct PhaseProblem<'a> {
    /// What never changes.
    pub context: Context<'a>,
    /// The interface.
    pub interface: InterfaceId,
    /// Which phase.
    pub phase_id: PhaseId,
    /// The phase.
    pub phase: &'a Phase,
    /// Its kind.
    pub kind: &'a PhaseKind,
    /// How much may be worked out to find the cheapest remedies of all its settings, in the units of the meter.
    pub(super) thought: u64,
    /// What was worked out so far.
    pub(super) meter: Meter,
    /// Dropouts that are allowed.
    pub target: PerHour,
    /// Rates around which dropouts have to be told apart: what is allowed, and what was counted somewhere.
    pub around: (PerHour, PerHour),
    /// The rate.
    pub rate: Hz,
    /// Live tracks, as nodes.
    pub live: Vec<NodeId>,
    /// Performers who listen through the software.
    pub needs: Vec<Need>,
    /// Nodes downstream of live sound.
    pub cue: TiVec<NodeId, bool>,
    /// Nodes that compute.
    pub active: TiVec<NodeId, bool>,
    /// Cost of each processor (nothing on inactive nodes).
    pub costs: TiVec<ProcessorId, CostRange>,
    /// Nodes that copies of processors could be sent to stand behind those of the routing.
    pub graph: Graph,
    /// The parts of it that some kind of block works on, once they were asked for.
    block_graphs: Mutex<BlockGraphs>,
    /// The work of blocks, once it was asked for.
    block_works: Mutex<BTreeMap<(Block, Nodes), Arc<BlockWork>>>,
    /// How long live chains may be, once that was asked for.
    pub(super) rooms: Rooms,
    /// How much dearer each design takes the work of a block, once that was asked for.
    dearer: Mutex<Vec<(Arc<BlockWork>, Vec<f64>)>>,
    /// Cost of such a node without its processor.
    pub bus_cost: CallCost,
    /// Share of the time during which each processor computes: less than one where it rests while its track is silent.
    pub computing: TiVec<ProcessorId, f64>,
    /// Cost of each node without its processors.
    pub node_costs: TiVec<NodeId, CallCost>,
    /// Latency of each processor.
    pub latency: TiVec<ProcessorId, Range<Frames>>,
    /// Remedies that apply.
    pub remedies: TiVec<RemedyId, Remedy>,
    /// For each remedy those that do all of it and more: beside one of them it brings nothing of its own.
    pub covered_by: TiVec<RemedyId, Vec<RemedyId>>,
    /// Of remedies that print a track all that tells one such track from another, but for the memory that is freed; and that.
    pub(super) alike: TiVec<RemedyId, Option<(String, Gigabytes)>>,
    /// For each need, by how many frames each remedy shortens its chain at the most.
    pub delay_gains: Vec<TiVec<RemedyId, f64>>,
    /// The shortest delays that remedies can reach.
    pub shortest: Shortest,
    /// Whoever listens through the interface already, and how far over the limit the furthest of them is: no setting helps.
    pub late_direct: Option<(PerformerId, Ms)>,
    /// Every way to set the lines to far sides with its effort, the cheapest first.
    pub links: Vec<(LinkSetting, u32)>,
    /// What cannot ride the cue block as it stands.
    pub riders: Vec<Rider>,
    /// Remedies that rendering ahead demands in any case; or the processor that cannot go.
    pub forced_by_roll: Result<Vec<RemedyId>, ProcessorId>,
    /// Disk and memory as the session stands.
    pub resources: Resources,
    /// Programs that run beside the session in this phase.
    pub programs: Vec<ProgramId>,
    /// Whether each remedy can shorten any performer's wait: by themselves, or by freeing others from a slower branch.
    pub shortens: TiVec<RemedyId, bool>,
    /// The machine under its present power plan.
    pub present: UnderPower,
    /// The machine under its performance plan.
    pub performance: UnderPower,
}

impl<'a> PhaseProblem<'a> {
    /// Puts the problem. Phases and interfaces are those of a checked session and rig.
    #[must_use]
    pub fn new(context: Context<'a>, interface: InterfaceId, phase_id: PhaseId, rate: Hz) -> Self {
        let session = context.session;
        let (phase, kind) = (session.phase(phase_id), session.kind(phase_id));
        let routes = session.routes();
        let live = session.live_nodes(phase);
        let cue = routes.downstream(&live);
        let active: TiVec<NodeId, bool> =
            routes.nodes.keys().map(|n| remedy::is_active(&context, n)).collect();
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
        let remedies = remedy::all(&context, (interface, rate), phase_id, &live, &direct_fits, &mut graph);
        let target = phase.target_per_hour.map_or(PerHour::new(kind.target_per_hour), PerHour::new);
        let mut problem = Self {
            interface,
            phase_id,
            phase,
            kind,
            thought: ALL_THOUGHT,
            meter: Meter::default(),
            target,
            around: (target, target),
            rate,
            latency: latencies(session, rate),
            needs: needs.collect(),
            costs: routes.processors.keys().map(cost).collect(),
            computing: routes.processors.keys().map(share_computing).collect(),
            graph,
            block_graphs: Mutex::default(),
            block_works: Mutex::default(),
            rooms: Rooms::default(),
            dearer: Mutex::default(),
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
            programs: context
                .rig
                .program_ids()
                .filter(|(_, p)| p.runs_in(phase.id()))
                .map(|(id, _)| id)
                .collect(),
            shortens: TiVec::new(),
            alike: TiVec::new(),
            delay_gains: Vec::new(),
            riders: Vec::new(),
            forced_by_roll: Ok(Vec::new()),
            shortest: Shortest::default(),
            late_direct: late_direct(&context, interface, phase, rate),
            links: link_settings(&context, phase, rate),
            context,
        };
        problem.riders = problem.riders();
        problem.forced_by_roll = problem.forced_by_roll();
        let hoped = problem.apply(&[], &problem.remedies.keys().collect::<Vec<_>>());
        let latency: TiVec<_, Frames> = problem.latency.iter().map(|l| l.typical()).collect();
        let shortens = |r: &Remedy| r.effects.iter().any(|e| e.touches_delay(routes, &latency, &problem.cue));
        problem.shortens = problem.remedies.iter().map(shortens).collect();
        problem.alike = problem.remedies.iter().map(|r| problem.print_of_a_kind(r)).collect();
        problem.delay_gains = delay_gains(&problem);
        problem.shortest = Shortest { latency: hoped.latency, direct: hoped.direct };
        problem
    }

    /// These remedies are in effect anyway: they take no effort any more.
    pub(super) fn have_done(&mut self, ids: &[String]) {
        for remedy in self.remedies.iter_mut().filter(|r| ids.contains(&r.id)) {
            remedy.effort = 0;
        }
    }

    /// From now on so much may be worked out; nothing was so far. What is known stays known.
    pub(super) fn think_anew(&mut self, thought: u64) {
        (self.thought, self.meter) = (thought, self.meter.anew());
    }

    /// The state after `chosen`, and after the good sides (only) of `hoped`. The same memory is freed once, however
    /// many remedies would free it.
    #[must_use]
    pub fn apply(&self, chosen: &[RemedyId], hoped: &[RemedyId]) -> Applied {
        let routes = self.context.session.routes();
        let mut state = Applied {
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
        let both = chosen.iter().filter(counts).map(|&r| (r, Taken::Whole));
        let both = both.chain(hoped.iter().filter(hopes).map(|&r| (r, Taken::Hoped)));
        for (r, taken) in both {
            for effect in &self.remedies[r].effects {
                effect.apply(r, taken, routes, &mut state);
            }
        }
        state.touched.sort_unstable();
        state.touched.dedup();
        state
    }

    /// The part of the graph that a kind of block works on: many arrangements share it.
    pub(super) fn graph_of(&self, included: &TiVec<NodeId, bool>) -> Arc<BlockGraph> {
        let mut known = self.block_graphs.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, graph)) = known.iter().find(|(of, _)| of == included) {
            return Arc::clone(graph);
        }
        let graph = Arc::new(BlockGraph::of(&self.graph, included));
        known.push((included.clone(), Arc::clone(&graph)));
        graph
    }

    /// The work of a block: many arrangements share it.
    pub(super) fn block_work(&self, block: Block, nodes: Nodes) -> Arc<BlockWork> {
        let known = |works: &BTreeMap<_, Arc<BlockWork>>| works.get(&(block, nodes)).map(Arc::clone);
        if let Some(work) = known(&self.block_works.lock().unwrap_or_else(PoisonError::into_inner)) {
            return work;
        }
        let wanted = match nodes {
            Nodes::All => self.active.clone(),
            Nodes::Live | Nodes::Recorded => {
                let live = nodes == Nodes::Live;
                self.cue.iter().zip(&self.active).map(|(&c, &a)| a && c == live).collect()
            }
        };
        let work = Arc::new(BlockWork::new(self, block, wanted));
        let mut works = self.block_works.lock().unwrap_or_else(PoisonError::into_inner);
        works.insert((block, nodes), Arc::clone(&work));
        work
    }

    /// How much dearer a design takes the work of this block, if that is known.
    pub(super) fn known_dearer(&self, block: &Arc<BlockWork>, design: Design) -> Option<f64> {
        let known = self.dearer.lock().unwrap_or_else(PoisonError::into_inner);
        known.iter().find(|(of, _)| Arc::ptr_eq(of, block)).map(|(_, all)| all[design.index()])
    }

    /// Keeps it for every design, and tells it for one.
    pub(super) fn learn_dearer(&self, block: &Arc<BlockWork>, all: Vec<f64>, design: Design) -> f64 {
        let told = all[design.index()];
        self.dearer.lock().unwrap_or_else(PoisonError::into_inner).push((Arc::clone(block), all));
        told
    }

    /// The machine as a set of remedies leaves it.
    #[must_use]
    pub fn machine(&self, applied: &Applied) -> &UnderPower {
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

    /// The shortest that remedies can make a performer's chain; nothing for one who can go direct.
    pub(super) fn shortest_chain(&self, need: &Need) -> Frames {
        if self.shortest.direct.contains(&need.performer) {
            return Frames::new(0.0);
        }
        self.own_delay(need, &self.shortest.latency)
    }

    /// The live chains without any processor's delay.
    #[must_use]
    pub fn bare_chains(&self) -> Chains {
        compensated(self.context.session, &[], |_| Frames::new(0.0))
    }
}

/// How much each remedy can shorten each performer's chain at the most.
fn delay_gains(problem: &PhaseProblem<'_>) -> Vec<TiVec<RemedyId, f64>> {
    let session = problem.context.session;
    let routes = session.routes();
    let latency: TiVec<_, Frames> = problem.latency.iter().map(|l| l.typical()).collect();
    let of_need = |need: &Need| {
        let hears = session.performer(need.performer).hears.iter();
        let own: Vec<NodeId> = hears.filter_map(|id| session.node_of(id)).collect();
        let (reached, feeds) = (routes.downstream(&own), routes.upstream(need.cue));
        let on_path = |n: NodeId| reached[n] && feeds[n];
        let gain = |r: &Remedy| {
            let each = r.effects.iter().map(|e| e.shortens_chain(need.performer, routes, &latency, on_path));
            each.sum()
        };
        problem.remedies.iter().map(gain).collect()
    };
    problem.needs.iter().map(of_need).collect()
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
