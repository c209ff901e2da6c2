//! Remedies: single changes to the session or the machine that lower delay or load, each with an id, an effort
//! and what it changes. The words for them stand in the table of remedies.

use super::disk_and_memory::streams;
use super::{Arrangement, Effect, default_workers};
use crate::load::Graph;
use crate::loops::ChainsRange;
use crate::loops::Context;
use crate::loops::Electric;
use crate::loops::compensated;
use crate::loops::loop_of;
use crate::plan::Remedy;
use crate::plan::Target;
use crate::plan::line::arranged_on_the_line;
use crate::plan::remedy::remedy;
use crate::rig::Offered;
use crate::rig::Setting;
use crate::rig::{Direct, PowerPlan};
use crate::session::{Listens, NodeKind, Phase, Processor, ProcessorKind, Source, State};
use crate::tables::RemedyKind;
use std::collections::{BTreeMap, HashSet};
use swiftloop_units::Ms;
use swiftloop_units::ids::DriverId;
use swiftloop_units::ids::{BusId, InterfaceId, NodeId, PerformerId, PhaseId, ProcessorId, RemedyId};
use swiftloop_units::{Block, Frames, Gigabytes, Hz};
use typed_index_collections::TiVec;

/// Every remedy that applies to a phase on an interface; performers may go direct only when listed in `direct_fits`.
#[must_use]
pub fn all(
    context: &Context<'_>,
    (interface, rate): (InterfaceId, Hz),
    phase: PhaseId,
    live: &[NodeId],
    direct_fits: &[PerformerId],
    graph: &mut Graph,
) -> TiVec<RemedyId, Remedy> {
    let session = context.session;
    let about = session.phase(phase);
    let kept = about.keep.iter().map(String::as_str).collect();
    let finishing = session.kind(phase).finishing;
    let mut maker = Maker { context, rate, phase: about, kept, finishing, remedies: TiVec::new() };
    let cue = session.routes().downstream(live);
    let mut copies: BTreeMap<&str, Vec<ProcessorId>> = BTreeMap::new();
    for (index, seat) in session.routes().processors.iter_enumerated() {
        if !is_active(context, seat.node) {
            continue;
        }
        let p = session.processor(index);
        maker.on_processor(index, p, seat.node, cue[seat.node]);
        if let (Some(label), State::Active) = (&p.same_as, p.state) {
            copies.entry(label).or_default().push(index);
        }
    }
    for (label, group) in copies {
        let free = group.iter().all(|&p| !maker.is_kept(&session.processor(p).id));
        if group.len() > 1 && free {
            let bus = graph.add_bus_for(session.routes(), &group);
            let effects = vec![Effect::Share { copies: group, bus }];
            maker.add(RemedyKind::ShareSend, Target::Copies(label.into()), effects);
        }
    }
    maker.on_tracks(live);
    maker.on_buses();
    maker.on_machine();
    if context.rig.interface(interface).direct != Direct::None {
        for &who in direct_fits {
            maker.add(RemedyKind::Direct, Target::Performer(who), vec![Effect::Direct(who)]);
        }
    }
    maker.remedies
}

/// The remedies that lie in an arrangement: rendering ahead, a core reserved or released, more device blocks, and what is changed
/// about the lines to far sides.
#[must_use]
pub fn arranged(context: &Context<'_>, phase: &Phase, a: &Arrangement) -> Vec<Remedy> {
    let mut all = Vec::new();
    let mut add = |kind, target, extra| all.push(remedy(context, kind, target, Vec::new(), extra));
    if let Some(block) = a.roll {
        // The usual roll block has the table's effort; each larger one takes one more.
        let larger = context.session.engine.roll_frames.iter().filter(|b| **b > a.setting.buffer.block);
        let place = larger.clone().position(|b| *b == block).unwrap_or(0);
        add(RemedyKind::Roll, Target::Roll(block), place as u32);
    }
    let own = default_workers(context.session, context.rig.machine.cores);
    match a.workers.cmp(&own) {
        std::cmp::Ordering::Less => add(RemedyKind::ReserveCore, Target::Whole, 0),
        std::cmp::Ordering::Greater => add(RemedyKind::ReleaseCore, Target::Whole, 0),
        std::cmp::Ordering::Equal => {}
    }
    if let (true, Some(count)) = (a.setting.buffer.extra_blocks, a.setting.buffer.count) {
        add(RemedyKind::DeviceBlocks, Target::Blocks(count), 0);
    }
    for (kind, target) in arranged_on_the_line(context, phase, a.setting.rate, &a.link) {
        add(kind, target, 0);
    }
    all
}

/// Effort of what lies in an arrangement.
#[must_use]
pub fn arranged_effort(context: &Context<'_>, phase: &Phase, a: &Arrangement) -> u32 {
    arranged(context, phase, a).iter().map(|r| r.effort).sum()
}

/// Whether a node computes as the session stands.
pub(super) fn is_active(context: &Context<'_>, node: NodeId) -> bool {
    match context.session.routes().nodes[node].kind {
        NodeKind::Track(t) => !context.session.track(t).disabled,
        NodeKind::Bus(b) => !context.session.bus(b).disabled,
        NodeKind::Main => true,
    }
}

/// Performers of a phase who could listen through the interface: a live input, not direct already.
pub(super) fn may_go_direct(context: &Context<'_>, phase: &Phase) -> Vec<PerformerId> {
    let session = context.session;
    let live = |id: &String| session.tracks.iter().any(|t| &t.id == id && t.source == Source::Live);
    session
        .performers_in(phase)
        .filter(|(_, p)| p.listens != Listens::Direct && !p.needs_software && p.hears.iter().all(live))
        .map(|(id, _)| id)
        .collect()
}

struct Maker<'a, 'b> {
    context: &'a Context<'b>,
    rate: Hz,
    phase: &'a Phase,
    /// Ids that the phase cannot do without.
    kept: HashSet<&'a str>,
    /// Processors on the main output belong to this phase.
    finishing: bool,
    remedies: TiVec<RemedyId, Remedy>,
}

impl Maker<'_, '_> {
    fn is_kept(&self, id: &str) -> bool {
        self.kept.contains(id)
    }

    fn add(&mut self, kind: RemedyKind, target: Target, effects: Vec<Effect>) {
        self.remedies.push(remedy(self.context, kind, target, effects, 0));
    }

    fn on_processor(&mut self, index: ProcessorId, p: &Processor, node: NodeId, on_live_path: bool) {
        if self.is_kept(&p.id) {
            return;
        }
        let target = Target::Processor(index);
        let gone = vec![Effect::Work(index, 0.0), Effect::Latency(index, Frames::new(0.0))];
        match p.state {
            State::Off => {
                self.add(RemedyKind::Unload, target, gone);
                return;
            }
            State::Unloaded => return,
            State::Active => {}
        }
        if let Some(low) = p.low_delay_frames
            && on_live_path
            && low < p.latency_frames
        {
            // A shorter look-ahead keeps its time at another rate.
            let known = self.context.session.deliver.rate_hz;
            let low = low * (f64::from(self.rate.get()) / f64::from(known.get()));
            self.add(RemedyKind::LowDelay, target.clone(), vec![Effect::Latency(index, low)]);
        }
        let on_main = node == self.context.session.routes().main();
        match p.kind {
            ProcessorKind::Instrument => {}
            ProcessorKind::Analyser => self.add(RemedyKind::HideView, target.clone(), gone),
            ProcessorKind::Effect | ProcessorKind::Split | ProcessorKind::Insert if self.finishing => {}
            ProcessorKind::Effect | ProcessorKind::Split | ProcessorKind::Insert => {
                let kind = if on_main { RemedyKind::BypassMain } else { RemedyKind::Bypass };
                self.add(kind, target.clone(), gone);
            }
        }
        if p.oversampling > 1 && !p.sensitive {
            self.add(RemedyKind::LessOversampling, target.clone(), vec![Effect::Frames(index, 0.5)]);
        }
        if let Some(voices) = p.voices.filter(|&v| v > 1) {
            let factor = f64::from(voices / 2) / f64::from(voices);
            self.add(RemedyKind::FewerVoices, target.clone(), vec![Effect::Work(index, factor)]);
        }
        if p.has_draft && !self.finishing && !p.sensitive {
            let factor = self.context.tables.assume.draft_cost.raw();
            self.add(RemedyKind::Draft, target, vec![Effect::Work(index, factor)]);
        }
    }

    fn on_tracks(&mut self, live: &[NodeId]) {
        let session = self.context.session;
        for (id, track) in session.track_ids() {
            let node = session.node_of_track(id);
            if track.disabled || live.contains(&node) || self.is_kept(&track.id) {
                continue;
            }
            let target = Target::Track(id);
            let chain = session.routes().nodes[node].processors();
            let kept = chain.clone().any(|p| self.is_kept(&session.processor(p).id));
            // What a track holds and streams is free when it is gone.
            let channels = if streams(track) { i64::from(track.channels) } else { 0 };
            let held = Effect::Stream { channels: -channels, memory: Gigabytes::new(0.0) - track.memory_gb };
            if track.unused {
                self.add(RemedyKind::RemoveUnused, target, vec![Effect::NodeOff(node), held]);
                continue;
            }
            if track.muted {
                self.add(RemedyKind::DisableMuted, target, vec![Effect::NodeOff(node), held]);
                continue;
            }
            let Some(first) = chain.clone().next().filter(|_| !kept) else { continue };
            let off = |p| [Effect::Work(p, 0.0), Effect::Latency(p, Frames::new(0.0))];
            let instrument = track.source == Source::Instrument;
            // A printed instrument is read from disk from then on; its samples are let go.
            let stream = if instrument {
                Effect::Stream {
                    channels: i64::from(track.channels),
                    memory: Gigabytes::new(0.0) - track.memory_gb,
                }
            } else {
                Effect::Stream { channels: 0, memory: Gigabytes::new(0.0) }
            };
            if instrument && chain.clone().count() > 1 {
                let effects = off(first).into_iter().chain([stream.clone()]).collect();
                self.add(RemedyKind::PrintDry, target.clone(), effects);
            }
            let effects = chain.flat_map(off).chain([stream]).collect();
            self.add(RemedyKind::Print, target, effects);
        }
    }

    fn on_buses(&mut self) {
        let session = self.context.session;
        for (b, bus) in session.buses.iter().enumerate() {
            let id = BusId::from(b);
            let node = session.node_of_bus(id);
            let fed = session.routes().nodes.iter().any(|n| n.to.contains(&node));
            if !fed && !bus.disabled && !self.is_kept(&bus.id) {
                self.add(RemedyKind::RemoveUnused, Target::Bus(id), vec![Effect::NodeOff(node)]);
            }
        }
    }

    fn on_machine(&mut self) {
        let (rig, session, assume) = (self.context.rig, self.context.session, &self.context.tables.assume);
        if session.engine.precision == 64 && session.engine.can_use_32_bit {
            let effects = vec![Effect::AllWork(assume.precision_32_cost.raw())];
            self.add(RemedyKind::Precision32, Target::Whole, effects);
        }
        let ticks = session.engine.ticks_per_quarter;
        if ticks > 960 {
            let effects = vec![Effect::Timeline(960.0 / f64::from(ticks))];
            self.add(RemedyKind::CoarserTimeline, Target::Ticks(ticks), effects);
        }
        for (id, program) in rig.program_ids() {
            if program.can_quit && program.runs_in(self.phase.id()) {
                self.add(RemedyKind::Quit, Target::Program(id), vec![Effect::Quit(id)]);
            }
        }
        if rig.machine.power != PowerPlan::Performance {
            self.add(RemedyKind::FullPower, Target::Power(rig.machine.power), vec![Effect::FullPower]);
        }
    }
}

/// How far a performer's loop through the interface's own mixer is over the limit.
fn excess_direct(
    context: &Context<'_>,
    interface: InterfaceId,
    phase: &Phase,
    rate: Hz,
    performer: PerformerId,
) -> Ms {
    // Direct monitoring passes by the driver and its buffer: any will do.
    let buffer = Offered::plain(Block::new(64));
    let setting = Setting { interface, driver: DriverId::from(0), rate, buffer };
    let none = compensated(context.session, &[], |_| Frames::new(0.0));
    let chains = ChainsRange { high: &none, typical: &none, low: &none };
    let electric =
        Electric { inward: vec![], outward: vec![], output_alone: vec![], input_alone: vec![], fit: None };
    loop_of(context, &setting, phase, performer, &electric, chains, true).excess()
}

/// Performers whose direct loop fits their limit on this interface.
pub(super) fn direct_fits(
    context: &Context<'_>,
    interface: InterfaceId,
    phase: &Phase,
    rate: Hz,
) -> Vec<PerformerId> {
    let fits = |p: &PerformerId| excess_direct(context, interface, phase, rate, *p).raw() <= 0.0;
    may_go_direct(context, phase).into_iter().filter(fits).collect()
}

/// Of those who listen through the interface already, the one who is furthest over the limit.
pub(super) fn late_direct(
    context: &Context<'_>,
    interface: InterfaceId,
    phase: &Phase,
    rate: Hz,
) -> Option<(PerformerId, Ms)> {
    let direct = context.session.performers_in(phase).filter(|(_, p)| p.listens == Listens::Direct);
    let over = direct.map(|(p, _)| (p, excess_direct(context, interface, phase, rate, p)));
    over.filter(|(_, ms)| ms.raw() > 0.0).max_by(|a, b| a.1.raw().total_cmp(&b.1.raw()))
}
