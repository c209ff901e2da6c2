//! What a remedy changes, and all that this means: for the state of a session, for delays, for the work of a block, for the
//! machine, the disk and memory, and for the bounds of the search. Every question about an effect is
//! answered here by a match that names every effect, so that a new one cannot be forgotten anywhere, and a bound is never
//! lifted because somebody left one out.

use super::taken::RemediesTaken;
use crate::session::Routes;
use swiftloop_units::ids::{NodeId, PerformerId, ProcessorId, ProgramId, RemedyId};
use swiftloop_units::{Frames, Gigabytes};
use typed_index_collections::TiSlice;

/// What a remedy changes.
#[derive(Debug, Clone, PartialEq)]
pub enum Effect {
    /// The work of a processor, times a factor from 0 to 1.
    Work(ProcessorId, f64),
    /// What each frame takes a processor, times a factor from 0 to 1; its calls stay as dear.
    Frames(ProcessorId, f64),
    /// The delay of a processor becomes so many frames.
    Latency(ProcessorId, Frames),
    /// A node no longer computes at all.
    NodeOff(NodeId),
    /// Copies of one processor become one, on a bus of its own.
    Share {
        copies: Vec<ProcessorId>,
        /// The node in the graph of the work that waits for it.
        bus: NodeId,
    },
    /// The work of every processor, times a factor.
    AllWork(f64),
    /// The cost of the timeline, times a factor.
    Timeline(f64),
    /// More channels are read from disk, or fewer, and so many more gigabytes are held.
    Stream {
        channels: i64,
        /// Change of memory, read-ahead not counted.
        memory: Gigabytes,
    },
    /// Another program no longer runs.
    Quit(ProgramId),
    /// The machine runs at its performance plan.
    FullPower,
    /// A performer listens through the interface.
    Direct(PerformerId),
}

/// How far a remedy is taken: with all it brings, or only its good sides (a bound).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Extent {
    /// With all it brings.
    Whole,
    /// Its good sides only.
    GoodSides,
}

impl Effect {
    /// Changes the state that a set of remedies leaves behind.
    pub(super) fn apply(&self, remedy: RemedyId, taken: Extent, routes: &Routes, state: &mut RemediesTaken) {
        match self {
            Self::Work(p, factor) => {
                state.factor[*p] = state.factor[*p].times(*factor, *factor);
                state.touched.push(routes.processors[*p].node);
            }
            Self::Frames(p, factor) => {
                state.factor[*p] = state.factor[*p].times(1.0, *factor);
                state.touched.push(routes.processors[*p].node);
            }
            Self::Latency(p, frames) => state.latency[*p] = state.latency[*p].min(*frames),
            Self::NodeOff(n) => {
                state.nodes_off.push(*n);
                for p in routes.nodes[*n].processors() {
                    state.latency[p] = Frames::new(0.0);
                }
            }
            Self::Share { .. } => match taken {
                Extent::Whole => state.shared.push(remedy),
                Extent::GoodSides => state.shared_hoped.push(remedy),
            },
            Self::AllWork(factor) => state.all_work *= factor,
            Self::Timeline(factor) => state.timeline *= factor,
            Self::Stream { channels, memory } => match taken {
                Extent::Whole => {
                    state.channels += channels;
                    state.memory += *memory;
                }
                Extent::GoodSides => {
                    state.channels += channels.min(&0);
                    state.memory += memory.min(Gigabytes::new(0.0));
                }
            },
            Self::Quit(program) => state.quit.push(*program),
            Self::FullPower => state.full_power = true,
            Self::Direct(performer) => state.direct.push(*performer),
        }
    }

    /// The most frames by which a performer's own chain gets shorter; endless when the performer no longer needs it.
    /// `reached` and `feeds` mark the nodes between what is performed and what is heard.
    pub(super) fn shortens_chain(
        &self,
        performer: PerformerId,
        routes: &Routes,
        latency: &TiSlice<ProcessorId, Frames>,
        on_path: impl Fn(NodeId) -> bool,
    ) -> f64 {
        match self {
            Self::Latency(p, left) if on_path(routes.processors[*p].node) => {
                (latency[*p] - *left).raw().max(0.0)
            }
            Self::Latency(..) => 0.0,
            Self::NodeOff(n) if on_path(*n) => routes.nodes[*n].processors().map(|p| latency[p].raw()).sum(),
            Self::NodeOff(_) => 0.0,
            Self::Direct(p) if *p == performer => f64::INFINITY,
            Self::Direct(_) => 0.0,
            Self::Work(..)
            | Self::Frames(..)
            | Self::Share { .. }
            | Self::AllWork(_)
            | Self::Timeline(_)
            | Self::Stream { .. }
            | Self::Quit(_)
            | Self::FullPower => 0.0,
        }
    }

    /// Whether it can shorten any performer's wait.
    pub(super) fn touches_delay(
        &self,
        routes: &Routes,
        latency: &TiSlice<ProcessorId, Frames>,
        live: &TiSlice<NodeId, bool>,
    ) -> bool {
        match self {
            Self::Latency(p, left) => live[routes.processors[*p].node] && *left < latency[*p],
            Self::NodeOff(n) => live[*n] && routes.nodes[*n].processors().any(|p| latency[p].raw() > 0.0),
            Self::Direct(_) => true,
            Self::Work(..)
            | Self::Frames(..)
            | Self::Share { .. }
            | Self::AllWork(_)
            | Self::Timeline(_)
            | Self::Stream { .. }
            | Self::Quit(_)
            | Self::FullPower => false,
        }
    }

    /// The part of the setup that it changes. The yes-or-no questions below follow from this and from [`Effect::stored`].
    fn part(&self) -> EffectPart {
        match self {
            Self::Work(..)
            | Self::Frames(..)
            | Self::Latency(..)
            | Self::NodeOff(_)
            | Self::Share { .. }
            | Self::AllWork(_)
            | Self::Timeline(_)
            | Self::Stream { .. } => EffectPart::Session,
            Self::Quit(_) | Self::FullPower => EffectPart::Machine,
            Self::Direct(_) => EffectPart::Interface,
        }
    }

    /// Whether it sends somebody to the interface's own mixer.
    pub(super) fn is_direct(&self) -> bool {
        self.part() == EffectPart::Interface
    }

    /// Whether it changes the machine itself: how fast it is, how late it wakes, who else is on it.
    pub(super) fn is_on_machine(&self) -> bool {
        self.part() == EffectPart::Machine
    }

    /// Whether it changes what the session streams or keeps in memory.
    pub(super) fn is_stored(&self) -> bool {
        match self.stored() {
            Stored::Streams { .. } => true,
            Stored::Program(_) | Stored::Nothing => false,
        }
    }

    /// The program that no longer runs, if this is about one.
    #[must_use]
    pub fn quits(&self) -> Option<ProgramId> {
        match self.stored() {
            Stored::Program(program) => Some(program),
            Stored::Streams { .. } | Stored::Nothing => None,
        }
    }

    /// What it changes of memory and disk.
    pub(super) fn stored(&self) -> Stored {
        match self {
            Self::Stream { channels, memory } => Stored::Streams { channels: *channels, memory: *memory },
            Self::Quit(program) => Stored::Program(*program),
            Self::Work(..)
            | Self::Frames(..)
            | Self::Latency(..)
            | Self::NodeOff(_)
            | Self::Share { .. }
            | Self::AllWork(_)
            | Self::Timeline(_)
            | Self::FullPower
            | Self::Direct(_) => Stored::Nothing,
        }
    }

    /// Whether it can free memory or disk (programs that are quit are counted with the machine).
    pub(super) fn frees_storage(&self) -> bool {
        match self.stored() {
            Stored::Streams { channels, memory } => channels < 0 || memory.raw() < 0.0,
            Stored::Program(_) | Stored::Nothing => false,
        }
    }

    /// Whether this does at least what `other` does, so that `other` is not needed beside it.
    #[must_use]
    pub fn includes(&self, other: &Self) -> bool {
        match (self, other) {
            // Factors multiply: half of the work and half of that is a quarter. Nothing is left of nothing.
            (Self::Work(p, left), Self::Work(q, _) | Self::Frames(q, _)) => p == q && *left == 0.0,
            (Self::Latency(p, a), Self::Latency(q, b)) => p == q && a <= b,
            (Self::Work(..), _)
            | (Self::Frames(..), _)
            | (Self::Latency(..), _)
            | (Self::NodeOff(_), _)
            | (Self::Share { .. }, _)
            | (Self::AllWork(_), _)
            | (Self::Timeline(_), _)
            | (Self::Stream { .. }, _)
            | (Self::Quit(_), _)
            | (Self::FullPower, _)
            | (Self::Direct(_), _) => self == other,
        }
    }
}

/// The part of the setup that an effect changes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum EffectPart {
    /// Processors, tracks, streams, the engine.
    Session,
    Machine,
    /// The interface's own mixer.
    Interface,
}

/// What an effect changes of memory and disk.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Stored {
    Nothing,
    /// More channels or fewer, and more memory or less.
    Streams {
        channels: i64,
        /// Change of memory, read-ahead not counted.
        memory: Gigabytes,
    },
    /// What a program holds is free.
    Program(ProgramId),
}
