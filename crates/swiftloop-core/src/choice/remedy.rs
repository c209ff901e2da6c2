//! Remedies: single changes to the session or the machine that lower delay or load, each with an id, a price,
//! what it costs elsewhere and what undoes it.

use crate::loops::Bench;
use crate::rig::{Direct, Power};
use crate::session::{Kind, Listens, NodeKind, Phase, Processor, Source, State};
use std::collections::{BTreeMap, HashSet};

/// What a remedy changes.
#[derive(Debug, Clone, PartialEq)]
pub enum Effect {
    /// The work of a processor, times a factor from 0 to 1.
    Work(usize, f64),
    /// The delay of a processor becomes so many frames.
    Latency(usize, f64),
    /// A node no longer computes at all.
    NodeOff(usize),
    /// Copies of one processor count once.
    Share(Vec<usize>),
    /// The work of every processor, times a factor.
    AllWork(f64),
    /// The cost of the timeline, times a factor.
    Timeline(f64),
    /// A track is read from disk: so many more channels and gigabytes.
    Stream {
        /// Channels read.
        channels: u32,
        /// Change of memory.
        memory_gb: f64,
    },
    /// Another program no longer runs.
    Quit(usize),
    /// The machine runs at its performance plan.
    FullPower,
    /// A performer listens through the interface.
    Direct(usize),
}

/// One change with its price.
#[derive(Debug, Clone, PartialEq)]
pub struct Remedy {
    /// `kind:target`, or the kind alone.
    pub id: String,
    /// Kind, as in the table.
    pub kind: String,
    /// What it is done to, by its id.
    pub target: String,
    /// How much it disturbs the work.
    pub price: u32,
    /// What to do, in one sentence.
    pub does: String,
    /// What it costs elsewhere.
    pub elsewhere: String,
    /// What undoes it.
    pub undo: String,
    /// What it changes.
    pub effects: Vec<Effect>,
}

/// Every remedy that applies to a phase on an interface; performers may go direct only when listed in `direct_fits`.
#[must_use]
pub fn all(
    bench: &Bench<'_>,
    interface: usize,
    phase: &Phase,
    live: &[usize],
    direct_fits: &[usize],
) -> Vec<Remedy> {
    let kept = phase.keep.iter().map(String::as_str).collect();
    let mut maker = Maker { bench, phase, kept, remedies: Vec::new() };
    let session = bench.session;
    let cue = session.routes().downstream(live);
    let finishing = bench.tables.phase_kind(&phase.kind).is_some_and(|k| k.finishing);
    let mut copies: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
    for (index, &(node, _)) in session.routes().processors.iter().enumerate() {
        if !is_active(bench, node) {
            continue;
        }
        let p = session.processor(index);
        maker.on_processor(index, p, node, cue[node], finishing);
        if let (Some(label), State::Active) = (&p.same_as, p.state) {
            copies.entry(label).or_default().push(index);
        }
    }
    for (label, group) in copies {
        let free = group.iter().all(|&p| !maker.is_kept(&session.processor(p).id));
        if group.len() > 1 && free {
            maker.add("share-send", &label.replace(' ', "-"), label, vec![Effect::Share(group)]);
        }
    }
    maker.on_tracks(live);
    maker.on_buses();
    maker.on_machine();
    if bench.rig.interfaces[interface].direct != Direct::None {
        for &who in direct_fits {
            let person = &session.performers[who];
            maker.add("direct", &person.id, person.title(), vec![Effect::Direct(who)]);
        }
    }
    maker.remedies
}

/// The remedies that lie in an arrangement: rendering ahead, a core reserved or released, more device blocks.
#[must_use]
pub fn arranged(bench: &Bench<'_>, a: &super::Arrangement) -> Vec<Remedy> {
    let make = |kind: &str, target: String, extra: u32| {
        bench.tables.remedy_kind(kind).map(|row| Remedy {
            id: if target.is_empty() { kind.into() } else { format!("{kind}:{target}") },
            kind: kind.into(),
            price: row.price + extra,
            does: row.does.replace("{}", &target),
            elsewhere: row.elsewhere.clone(),
            undo: row.undo.replace("{}", &target),
            target,
            effects: Vec::new(),
        })
    };
    let mut all = Vec::new();
    if let Some(block) = a.roll {
        // The usual roll block has the table's price; each larger one costs one more.
        let larger = bench.session.engine.roll_frames.iter().filter(|b| **b > a.setting.buffer.block);
        let place = larger.clone().position(|b| *b == block).unwrap_or(0);
        all.extend(make("roll", block.to_string(), place as u32));
    }
    let own = super::default_workers(bench.session, bench.rig.machine.cores);
    match a.workers.cmp(&own) {
        std::cmp::Ordering::Less => all.extend(make("reserve-core", String::new(), 0)),
        std::cmp::Ordering::Greater => all.extend(make("release-core", String::new(), 0)),
        std::cmp::Ordering::Equal => {}
    }
    if let (true, Some(count)) = (a.setting.buffer.extra_blocks, a.setting.buffer.count) {
        all.extend(make("device-blocks", count.to_string(), 0));
    }
    all
}

/// Whether a node computes as the session stands.
pub(super) fn is_active(bench: &Bench<'_>, node: usize) -> bool {
    match bench.session.routes().nodes[node].kind {
        NodeKind::Track(t) => !bench.session.tracks[t].disabled,
        NodeKind::Bus(b) => !bench.session.buses[b].disabled,
        NodeKind::Main => true,
    }
}

/// Performers of a phase who could listen through the interface: a live input, not direct already.
pub(super) fn may_go_direct(bench: &Bench<'_>, phase: &Phase) -> Vec<usize> {
    let session = bench.session;
    let live = |id: &String| session.tracks.iter().any(|t| &t.id == id && t.source == Source::Live);
    (0..session.performers.len())
        .filter(|&i| {
            let p = &session.performers[i];
            phase.performers.contains(&p.id)
                && p.listens != Listens::Direct
                && !p.needs_software
                && p.hears.iter().all(live)
        })
        .collect()
}

struct Maker<'a, 'b> {
    bench: &'a Bench<'b>,
    phase: &'a Phase,
    /// Ids that the phase cannot do without.
    kept: HashSet<&'a str>,
    remedies: Vec<Remedy>,
}

impl Maker<'_, '_> {
    fn is_kept(&self, id: &str) -> bool {
        self.kept.contains(id)
    }

    fn add(&mut self, kind: &str, target: &str, title: &str, effects: Vec<Effect>) {
        let Some(row) = self.bench.tables.remedy_kind(kind) else { return };
        self.remedies.push(Remedy {
            id: if target.is_empty() { kind.into() } else { format!("{kind}:{target}") },
            kind: kind.into(),
            target: target.into(),
            price: row.price,
            does: row.does.replace("{}", title),
            elsewhere: row.elsewhere.clone(),
            undo: row.undo.replace("{}", title),
            effects,
        });
    }

    fn on_processor(
        &mut self,
        index: usize,
        p: &Processor,
        node: usize,
        on_live_path: bool,
        finishing: bool,
    ) {
        if self.is_kept(&p.id) {
            return;
        }
        let gone = vec![Effect::Work(index, 0.0), Effect::Latency(index, 0.0)];
        if p.state == State::Off {
            self.add("unload", &p.id, p.title(), gone);
            return;
        }
        if p.state == State::Unloaded {
            return;
        }
        if let Some(low) = p.low_delay_frames
            && on_live_path
            && low < p.latency_frames
        {
            self.add("low-delay", &p.id, p.title(), vec![Effect::Latency(index, low.0)]);
        }
        let on_main = node == self.bench.session.routes().main();
        match p.kind {
            Kind::Instrument => {}
            Kind::Analyser => self.add("hide-view", &p.id, p.title(), gone),
            _ if finishing => {}
            _ if on_main => self.add("main-off", &p.id, p.title(), gone),
            _ => self.add("leave-off", &p.id, p.title(), gone),
        }
        if p.oversampling > 1 && !p.sensitive {
            self.add("less-oversampling", &p.id, p.title(), vec![Effect::Work(index, 0.5)]);
        }
        if let Some(voices) = p.voices.filter(|&v| v > 1) {
            let factor = f64::from(voices / 2) / f64::from(voices);
            self.add("fewer-voices", &p.id, p.title(), vec![Effect::Work(index, factor)]);
        }
        if p.has_draft && !finishing && !p.sensitive {
            let factor = self.bench.tables.assume.draft_cost.0;
            self.add("draft", &p.id, p.title(), vec![Effect::Work(index, factor)]);
        }
    }

    fn on_tracks(&mut self, live: &[usize]) {
        let session = self.bench.session;
        for (node, track) in session.tracks.iter().enumerate() {
            if track.disabled || live.contains(&node) || self.is_kept(&track.id) {
                continue;
            }
            let title = track.name.as_deref().unwrap_or(&track.id);
            let range = session.routes().nodes[node].processors.clone();
            let kept = range.clone().any(|p| self.is_kept(&session.processor(p).id));
            if track.unused {
                self.add("remove-unused", &track.id, title, vec![Effect::NodeOff(node)]);
                continue;
            }
            if track.muted {
                self.add("disable-muted", &track.id, title, vec![Effect::NodeOff(node)]);
                continue;
            }
            if range.is_empty() || kept {
                continue;
            }
            let off = |p| [Effect::Work(p, 0.0), Effect::Latency(p, 0.0)];
            let instrument = track.source == Source::Instrument;
            let print_gb = self.bench.tables.assume.print_memory_gb;
            let stream = Effect::Stream {
                channels: if instrument { track.channels } else { 0 },
                memory_gb: print_gb - if instrument { track.memory_gb.0 } else { 0.0 },
            };
            if instrument && range.len() > 1 {
                let effects = off(range.start).into_iter().chain([stream.clone()]).collect();
                self.add("print-dry", &track.id, title, effects);
            }
            let effects = range.flat_map(off).chain([stream]).collect();
            self.add("print", &track.id, title, effects);
        }
    }

    fn on_buses(&mut self) {
        let session = self.bench.session;
        let nodes = &session.routes().nodes;
        for (b, bus) in session.buses.iter().enumerate() {
            let node = session.tracks.len() + b;
            let fed = nodes.iter().any(|n| n.to.contains(&node));
            if !fed && !bus.disabled && !self.is_kept(&bus.id) {
                let title = bus.name.as_deref().unwrap_or(&bus.id);
                self.add("remove-unused", &bus.id, title, vec![Effect::NodeOff(node)]);
            }
        }
    }

    fn on_machine(&mut self) {
        let (rig, session, assume) = (self.bench.rig, self.bench.session, &self.bench.tables.assume);
        if session.engine.precision == 64 && session.engine.can_use_32_bit {
            self.add("precision-32", "", "", vec![Effect::AllWork(assume.precision_32_cost.0)]);
        }
        let ticks = session.engine.ticks_per_quarter;
        if ticks > 960 {
            let factor = 960.0 / f64::from(ticks);
            self.add("coarser-timeline", "", &ticks.to_string(), vec![Effect::Timeline(factor)]);
        }
        for (i, program) in rig.programs.iter().enumerate() {
            if program.can_quit && program.runs_in(self.phase.word()) {
                let title = program.name.as_deref().unwrap_or(&program.id);
                self.add("quit", &program.id, title, vec![Effect::Quit(i)]);
            }
        }
        if rig.machine.power != Power::Performance {
            self.add("full-power", "", rig.machine.power.word(), vec![Effect::FullPower]);
        }
    }
}
