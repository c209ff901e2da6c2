//! Disk and memory: what a phase streams and holds as the session stands, and after remedies; how much of both will do, and
//! what an effect gives back. The one idea: both are budgets, in which every track, print and program has its share.

use super::block_work::Applied;
use super::effect::{Effect, Stored};
use super::phase_problem::PhaseProblem;
use super::remedy::{Remedy, Target};
use crate::loops::Context;
use crate::session::{Phase, Source, Track};
use swiftloop_units::{Gigabytes, Hz, MegabytesPerSecond, Ms};

/// Disk and memory as the session stands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Resources {
    /// Channels that stream: recorded tracks play, live ones record.
    pub channels: i64,
    /// Memory of session, tracks and programs, read-ahead not counted.
    pub memory: Gigabytes,
}

impl PhaseProblem<'_> {
    /// Megabytes per second of so many channels at this rate and depth.
    #[must_use]
    pub fn stream_of(&self, channels: i64) -> MegabytesPerSecond {
        stream_of(&self.context, self.rate, channels)
    }

    /// What streams after `applied`.
    #[must_use]
    pub fn streams(&self, applied: &Applied) -> MegabytesPerSecond {
        self.stream_of(self.resources.channels + applied.channels)
    }

    /// Memory that is needed after `applied`: what is held, and what is read ahead of each stream.
    #[must_use]
    pub fn memory(&self, applied: &Applied) -> Gigabytes {
        let rig = self.context.rig;
        let freed: Gigabytes = applied.quit.iter().map(|&id| rig.program(id).memory_gb).sum();
        self.resources.memory + applied.memory - freed + held_ahead(&self.context, self.streams(applied))
    }

    /// So much memory may be needed that swapping alone breaks no more often than is allowed, where that leans so far from what
    /// is typical.
    pub(super) fn memory_that_will_do(&self, lean: f64) -> Gigabytes {
        let assume = &self.context.tables.assume;
        let each = assume.swap_dropouts_per_hour_per_gb * assume.swap_doubt.raw().powf(lean);
        self.context.rig.machine.memory_gb + Gigabytes::new(self.target.raw() / each)
    }

    /// So much may be streamed that the disk running dry alone breaks no more often than is allowed.
    pub(super) fn streams_that_will_do(&self) -> MegabytesPerSecond {
        let dry = self.target.raw() * self.read_ahead().raw().max(1.0) / 3.6e6;
        self.context.rig.machine.disk_mb_per_s * (1.0 / (1.0 - dry).max(1e-3))
    }

    /// Memory that an effect frees at the most, with what need not be read ahead.
    pub(super) fn frees(&self, effect: &Effect) -> Gigabytes {
        let freed = |channels: i64| held_ahead(&self.context, self.stream_of(-channels));
        match effect.stored() {
            Stored::Streams { channels, memory } => freed(channels.min(0)) - memory.min(Gigabytes::new(0.0)),
            Stored::Program(program) => self.context.rig.program(program).memory_gb,
            Stored::Nothing => Gigabytes::new(0.0),
        }
    }

    /// What an effect takes off the disk at the most.
    pub(super) fn unstreams(&self, effect: &Effect) -> MegabytesPerSecond {
        match effect.stored() {
            Stored::Streams { channels, .. } => self.stream_of(-channels),
            Stored::Program(_) | Stored::Nothing => MegabytesPerSecond::new(0.0),
        }
    }

    /// Audio kept ahead in memory.
    #[must_use]
    pub fn read_ahead(&self) -> Ms {
        read_ahead(&self.context)
    }

    /// What tells a print from that of another track.
    pub(super) fn print_of_a_kind(&self, remedy: &Remedy) -> Option<(String, Gigabytes)> {
        let Target::Track(track) = remedy.target else { return None };
        let session = self.context.session;
        let node = session.node_of_track(track);
        let chain = session.chain_of(node);
        // Copies may go on a send together: then it matters which.
        if !remedy.is_print() || self.cue[node] || chain.iter().any(|p| p.same_as.is_some()) {
            return None;
        }
        let routes = session.routes();
        let each =
            routes.nodes[node].processors().map(|p| (self.costs[p], self.latency[p], self.computing[p]));
        let (about, to) = (session.track(track), &routes.nodes[node].to);
        let offered =
            chain.iter().map(|p| (p.oversampling, p.sensitive, p.voices, p.has_draft, p.state, p.kind));
        let memory = remedy.effects.iter().map(|e| self.frees(e)).sum();
        let all = (
            remedy.kind,
            remedy.effort,
            to,
            about.channels,
            each.collect::<Vec<_>>(),
            offered.collect::<Vec<_>>(),
        );
        Some((format!("{all:?}"), memory))
    }
}

fn read_ahead(context: &Context<'_>) -> Ms {
    context.session.engine.read_ahead_ms.unwrap_or(context.tables.assume.read_ahead_ms)
}

fn stream_of(context: &Context<'_>, rate: Hz, channels: i64) -> MegabytesPerSecond {
    let bytes = f64::from(rate.get()) * f64::from(context.session.deliver.depth) / 8.0;
    MegabytesPerSecond::new(bytes / 1e6) * channels.max(0) as f64
}

/// What is read ahead of all streams.
fn held_ahead(context: &Context<'_>, streams: MegabytesPerSecond) -> Gigabytes {
    Gigabytes::new(streams.raw() * read_ahead(context).raw() / 1e6)
}

/// Memory that a phase needs as the session stands.
#[must_use]
pub fn memory_needed(context: &Context<'_>, phase: &Phase, rate: Hz) -> Gigabytes {
    let own = resources(context, phase);
    own.memory + held_ahead(context, stream_of(context, rate, own.channels))
}

/// Disk streams and memory that a phase needs as the session stands.
#[must_use]
pub fn resources(context: &Context<'_>, phase: &Phase) -> Resources {
    let session = context.session;
    let channels = session.tracks.iter().filter(|t| streams(t)).map(|t| i64::from(t.channels)).sum();
    let tracks: Gigabytes = session.tracks.iter().filter(|t| !t.disabled).map(|t| t.memory_gb).sum();
    let programs = context.rig.programs.iter().filter(|p| p.runs_in(phase.id()));
    let others: Gigabytes = programs.map(|p| p.memory_gb).sum();
    Resources { channels, memory: session.engine.memory_gb + tracks + others }
}

/// Whether a track plays from disk or records to it.
pub(super) fn streams(track: &Track) -> bool {
    !track.disabled && !track.unused && track.source != Source::Instrument
}
