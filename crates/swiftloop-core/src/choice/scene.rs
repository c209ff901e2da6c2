//! A scene: one phase on one interface at one rate. All that does not depend on the buffer is worked out here
//! once: which sound is live, what every processor costs, which remedies there are.

use super::remedy::{self, Remedy};
use crate::load::{CallCost, node_cost, processor_cost};
use crate::loops::{Bench, Chains, Electric, Setting, compensated, latencies, loop_of};
use crate::rig::Power;
use crate::risk::WakeSet;
use crate::session::{Kind, NodeKind, Phase, Source};
use crate::tables::PhaseKind;
use crate::units::{Frames, Hz, Range};

/// A performer whose live chain must fit: index, and the node they hear.
#[derive(Debug, Clone, Copy)]
pub struct Need {
    /// Index in the session.
    pub performer: usize,
    /// Node they listen to.
    pub cue: usize,
}

/// One phase on one interface at one rate.
#[derive(Debug)]
pub struct Scene<'a> {
    /// What never changes.
    pub bench: Bench<'a>,
    /// The interface.
    pub interface: usize,
    /// The phase.
    pub phase: &'a Phase,
    /// Its kind.
    pub kind: &'a PhaseKind,
    /// Dropouts per hour that it bears.
    pub target: f64,
    /// The rate.
    pub rate: Hz,
    /// Live tracks, as nodes.
    pub live: Vec<usize>,
    /// Performers who listen through the software.
    pub needs: Vec<Need>,
    /// Nodes downstream of live sound.
    pub cue: Vec<bool>,
    /// Nodes that compute.
    pub active: Vec<bool>,
    /// Cost of each processor (nothing on inactive nodes).
    pub costs: Vec<CallCost>,
    /// Share of the time during which each processor computes: less than one where it rests while its track is silent.
    pub computing: Vec<f64>,
    /// Cost of each node without its processors.
    pub node_costs: Vec<CallCost>,
    /// Latency of each processor.
    pub latency: Vec<Range<Frames>>,
    /// Remedies that apply.
    pub remedies: Vec<Remedy>,
    /// The shortest latency of each processor that remedies can reach, and the performers who can go direct.
    pub shortest: (Vec<f64>, Vec<usize>),
    /// Remedies that rendering ahead demands: what cannot ride the cue block; or the processor that cannot go.
    pub forced_by_roll: Result<Vec<usize>, String>,
    /// Disk streams as the session stands, in megabytes per second.
    pub streams_mb_s: f64,
    /// Memory needed as the session stands.
    pub memory_gb: f64,
    /// Wake-up delays under the present power plan and under the performance plan.
    pub wake: [WakeSet; 2],
    /// Share of full speed under the present and under the performance plan.
    pub speed: [f64; 2],
}

impl<'a> Scene<'a> {
    /// Sets the scene. Phases and interfaces are those of a checked session and rig.
    #[must_use]
    pub fn new(bench: Bench<'a>, interface: usize, phase: &'a Phase, rate: Hz) -> Self {
        let session = bench.session;
        let routes = session.routes();
        let kind = bench.tables.phase_kind(&phase.kind).unwrap_or(&bench.tables.phase[0]);
        let live = session.live_nodes(phase);
        let cue = routes.downstream(&live);
        let active: Vec<bool> = (0..routes.nodes.len()).map(|n| remedy::is_active(&bench, n)).collect();
        let channels = |node: usize| match routes.nodes[node].kind {
            NodeKind::Track(t) => session.tracks[t].channels,
            _ => 2,
        };
        let costs = (0..routes.processors.len())
            .map(|p| {
                let node = routes.processors[p].0;
                let cost = || processor_cost(session.processor(p), channels(node), bench.tables);
                if active[node] { cost() } else { CallCost::FREE }
            })
            .collect();
        let node_costs = (0..routes.nodes.len())
            .map(|n| if active[n] { node_cost(channels(n), bench.tables) } else { CallCost::FREE })
            .collect();
        let computing = (0..routes.processors.len())
            .map(|p| match routes.nodes[routes.processors[p].0].kind {
                NodeKind::Track(t) => computing(
                    session.processor(p),
                    session.tracks[t].sounding.0,
                    bench.tables.assume.phrase_s,
                ),
                _ => 1.0,
            })
            .collect();
        let direct_fits = direct_fits(&bench, interface, phase, rate);
        let remedies = remedy::all(&bench, interface, phase, &live, &direct_fits);
        let needs = session
            .performers
            .iter()
            .enumerate()
            .filter(|(_, p)| phase.performers.contains(&p.id) && p.listens != crate::session::Listens::Direct)
            .filter_map(|(performer, p)| Some(Need { performer, cue: session.node_of(&p.cue)? }))
            .collect();
        let machine = &bench.rig.machine;
        let class_share = |power: Power| {
            bench.tables.machine_class(&machine.class, power.word()).map_or(1.0, |c| c.speed.0)
        };
        // A measured speed is that under one plan; another plan changes it as the class does.
        let full = machine.measured_speed().map_or(machine.speed(), |(m, under)| m / class_share(under));
        let powers = [machine.power, Power::Performance];
        let mut scene = Self {
            bench,
            interface,
            phase,
            kind,
            target: phase.target_per_hour.unwrap_or(kind.target_per_hour),
            rate,
            latency: latencies(session),
            live,
            needs,
            cue,
            active,
            costs,
            computing,
            node_costs,
            remedies,
            forced_by_roll: Ok(Vec::new()),
            shortest: (Vec::new(), Vec::new()),
            streams_mb_s: 0.0,
            memory_gb: 0.0,
            wake: powers.map(|p| WakeSet::of(machine, p, bench.tables)),
            speed: powers.map(|p| full * class_share(p)),
        };
        (scene.streams_mb_s, scene.memory_gb) = resources(&bench, phase, rate);
        scene.forced_by_roll = scene.forced_by_roll();
        scene.shortest = scene.shortest();
        scene
    }

    /// Megabytes per second of one channel at this rate and depth.
    #[must_use]
    pub fn channel_mb_s(&self) -> f64 {
        channel_mb_s(&self.bench, self.rate)
    }

    /// Audio kept ahead in memory, in milliseconds.
    #[must_use]
    pub fn read_ahead_ms(&self) -> f64 {
        read_ahead_ms(&self.bench)
    }

    fn shortest(&self) -> (Vec<f64>, Vec<usize>) {
        let mut latency: Vec<f64> = self.latency.iter().map(|l| l.typical().0).collect();
        let mut direct = Vec::new();
        for effect in self.remedies.iter().flat_map(|r| &r.effects) {
            match effect {
                super::Effect::Latency(p, frames) => latency[*p] = latency[*p].min(*frames),
                super::Effect::NodeOff(n) => {
                    for p in self.bench.session.routes().nodes[*n].processors.clone() {
                        latency[p] = 0.0;
                    }
                }
                super::Effect::Direct(performer) => direct.push(*performer),
                _ => {}
            }
        }
        (latency, direct)
    }

    /// What cannot ride the cue block (analysers, split chains, hardware inserts, latency over the threshold)
    /// with the cheapest remedy for each.
    fn forced_by_roll(&self) -> Result<Vec<usize>, String> {
        let session = self.bench.session;
        let threshold = self.phase.leave_off_over_ms.unwrap_or(self.kind.leave_off_over_ms);
        let mut forced = Vec::new();
        for (p, &(node, _)) in session.routes().processors.iter().enumerate() {
            if !self.cue[node] || !self.active[node] {
                continue;
            }
            let processor = session.processor(p);
            let slow = |frames: f64| Frames(frames).at(self.rate) > threshold;
            let cannot = matches!(processor.kind, Kind::Analyser | Kind::Split | Kind::Insert);
            if !(cannot || slow(self.latency[p].typical().0)) {
                continue;
            }
            let helps = |r: &Remedy| {
                r.effects.iter().any(|e| match e {
                    super::Effect::Latency(q, left) if *q == p => {
                        !slow(*left) && (!cannot || r.effects.contains(&super::Effect::Work(p, 0.0)))
                    }
                    _ => false,
                })
            };
            let found = (0..self.remedies.len())
                .filter(|&r| helps(&self.remedies[r]))
                .min_by_key(|&r| self.remedies[r].price);
            match found {
                Some(r) => forced.push(r),
                None => return Err(processor.title().to_string()),
            }
        }
        forced.sort_unstable();
        forced.dedup();
        Ok(forced)
    }

    /// Live chains with `latency` of each processor in frames and some performers gone direct.
    #[must_use]
    pub fn chains(&self, latency: impl Fn(usize) -> f64, direct: &[usize]) -> Chains {
        if direct.is_empty() {
            return compensated(self.bench.session, &self.live, latency);
        }
        let live: Vec<usize> = self
            .needs
            .iter()
            .filter(|n| !direct.contains(&n.performer))
            .flat_map(|n| self.bench.session.performers[n.performer].hears.iter())
            .filter_map(|id| self.bench.session.node_of(id))
            .filter(|n| self.live.contains(n))
            .collect();
        compensated(self.bench.session, &live, latency)
    }

    /// Live chains without any processor.
    #[must_use]
    pub fn bare_chains(&self) -> Chains {
        compensated(self.bench.session, &[], |_| 0.0)
    }
}

/// Performers whose direct loop fits their limit on this interface.
fn direct_fits(bench: &Bench<'_>, interface: usize, phase: &Phase, rate: Hz) -> Vec<usize> {
    let block = crate::rig::Offered::plain(crate::units::Block(64));
    let setting = Setting { interface, driver: 0, rate, buffer: block };
    let none = compensated(bench.session, &[], |_| 0.0);
    let electric = Electric { inward: vec![], outward: vec![], output_alone: vec![], fit: None };
    remedy::may_go_direct(bench, phase)
        .into_iter()
        .filter(|&p| loop_of(bench, &setting, phase, p, &electric, (&none, &none), true).excess().0 <= 0.0)
        .collect()
}

/// Share of the time during which a processor computes: always, unless it rests while its track is silent; then while
/// the track sounds, each stretch of `phrase_s` prolonged by the tail.
fn computing(processor: &crate::session::Processor, sounding: f64, phrase_s: f64) -> f64 {
    if processor.rests { (sounding * (1.0 + processor.tail_s / phrase_s)).min(1.0) } else { 1.0 }
}

fn channel_mb_s(bench: &Bench<'_>, rate: Hz) -> f64 {
    f64::from(rate.0) * f64::from(bench.session.deliver.depth) / 8.0 / 1e6
}

fn read_ahead_ms(bench: &Bench<'_>) -> f64 {
    bench.session.engine.read_ahead_ms.unwrap_or(bench.tables.assume.read_ahead_ms).0
}

/// Disk streams in megabytes per second (recorded tracks play, live ones record) and memory in gigabytes that a phase
/// needs as the session stands.
#[must_use]
pub fn resources(bench: &Bench<'_>, phase: &Phase, rate: Hz) -> (f64, f64) {
    let session = bench.session;
    let streaming =
        session.tracks.iter().filter(|t| !t.disabled && !t.unused && t.source != Source::Instrument);
    let streams = streaming.map(|t| f64::from(t.channels)).sum::<f64>() * channel_mb_s(bench, rate);
    let tracks: f64 = session.tracks.iter().filter(|t| !t.disabled).map(|t| t.memory_gb.0).sum();
    let programs = bench.rig.programs.iter().filter(|p| p.runs_in(phase.word()));
    let others: f64 = programs.map(|p| p.memory_gb.0).sum();
    (streams, session.engine.memory_gb.0 + tracks + others + streams * read_ahead_ms(bench) / 1e6)
}
