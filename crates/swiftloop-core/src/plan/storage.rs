//! Disk and memory: what a phase streams and holds as the session stands, and after remedies; how much of both will do, and
//! what an effect gives back. Both are budgets, in which every track, print and program has its share.

use super::effect::{Effect, Stored};
use super::question::PhaseQuestion;
use super::remedy::{Remedy, Target};
use super::taken::RemediesTaken;
use crate::plan::disk_and_memory::held_ahead;
use crate::plan::disk_and_memory::read_ahead;
use crate::plan::disk_and_memory::stream_of;
use swiftloop_units::{Gigabytes, MegabytesPerSecond, Ms};

impl PhaseQuestion<'_> {
    /// Megabytes per second of so many channels at this rate and depth.
    #[must_use]
    pub fn stream_of(&self, channels: i64) -> MegabytesPerSecond {
        stream_of(&self.context, self.rate, channels)
    }

    /// What streams after `applied`.
    #[must_use]
    pub fn streams_after(&self, applied: &RemediesTaken) -> MegabytesPerSecond {
        self.stream_of(self.resources.channels + applied.channels)
    }

    /// Memory that is needed after `applied`: what is held, and what is read ahead of each stream.
    #[must_use]
    pub fn memory_after(&self, applied: &RemediesTaken) -> Gigabytes {
        let rig = self.context.rig;
        let freed: Gigabytes = applied.quit.iter().map(|&id| rig.program(id).memory_gb).sum();
        self.resources.memory + applied.memory - freed
            + held_ahead(&self.context, self.streams_after(applied))
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
