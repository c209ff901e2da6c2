//! What a remedy changes, and all that this means: for the state of a session, for delays, for the work of a block, for the
//! machine, the disk and memory, and for the bounds of the search. The one idea: every question about an effect is
//! answered here by a match that names every effect, so that a new one cannot be forgotten anywhere, and a bound is never
//! lifted because somebody left one out.

use super::block_work::{Applied, BlockWork};
use crate::ids::{NodeId, PerformerId, ProcessorId, ProgramId, RemedyId};
use crate::session::Routes;
use crate::units::{Frames, Gigabytes, Micros};
use typed_index_collections::TiSlice;

/// What a remedy changes.
#[derive(Debug, Clone, PartialEq)]
pub enum Effect {
    /// The work of a processor, times a factor from 0 to 1.
    Work(ProcessorId, f64),
    /// The delay of a processor becomes so many frames.
    Latency(ProcessorId, Frames),
    /// A node no longer computes at all.
    NodeOff(NodeId),
    /// Copies of one processor count once.
    Share(Vec<ProcessorId>),
    /// The work of every processor, times a factor.
    AllWork(f64),
    /// The cost of the timeline, times a factor.
    Timeline(f64),
    /// A track is read from disk: so many more channels and gigabytes.
    Stream {
        /// Channels read.
        channels: u32,
        /// Change of memory.
        memory: Gigabytes,
    },
    /// Another program no longer runs.
    Quit(ProgramId),
    /// The machine runs at its performance plan.
    FullPower,
    /// A performer listens through the interface.
    Direct(PerformerId),
}

/// Whether a remedy is taken with all it brings, or only its good sides are hoped for (a bound).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Taken {
    /// With all it brings.
    Whole,
    /// Its good sides only.
    Hoped,
}

impl Effect {
    /// Changes the state that a set of remedies leaves behind.
    pub(super) fn apply(&self, remedy: RemedyId, taken: Taken, routes: &Routes, state: &mut Applied) {
        match self {
            Self::Work(p, factor) => {
                state.factor[*p] *= factor;
                state.touched.push(routes.processors[*p].node);
            }
            Self::Latency(p, frames) => state.latency[*p] = state.latency[*p].min(*frames),
            Self::NodeOff(n) => {
                state.nodes_off.push(*n);
                for p in routes.nodes[*n].processors() {
                    state.latency[p] = Frames::new(0.0);
                }
            }
            Self::Share(_) => state.shared.push(remedy),
            Self::AllWork(factor) => state.all_work *= factor,
            Self::Timeline(factor) => state.timeline *= factor,
            Self::Stream { channels, memory } => match taken {
                Taken::Whole => {
                    state.channels += channels;
                    state.memory += *memory;
                }
                Taken::Hoped => state.memory += memory.min(Gigabytes::new(0.0)),
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
            | Self::Share(_)
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
            | Self::Share(_)
            | Self::AllWork(_)
            | Self::Timeline(_)
            | Self::Stream { .. }
            | Self::Quit(_)
            | Self::FullPower => false,
        }
    }

    /// Whether it can lighten a block.
    pub(super) fn lightens(&self, block: &BlockWork) -> bool {
        match self {
            Self::Work(p, factor) => block.worst[*p].raw() * (1.0 - factor) > 0.0,
            Self::NodeOff(n) => block.included[*n],
            Self::Share(group) => group.iter().filter(|&&p| block.worst[p].raw() > 0.0).count() > 1,
            Self::AllWork(_) | Self::Timeline(_) => true,
            Self::Latency(..) | Self::Stream { .. } | Self::Quit(_) | Self::FullPower | Self::Direct(_) => {
                false
            }
        }
    }

    /// Whether it changes the machine itself: how fast it is, how late it wakes, who else is on it.
    pub(super) fn is_on_machine(&self) -> bool {
        match self {
            Self::Quit(_) | Self::FullPower => true,
            Self::Work(..)
            | Self::Latency(..)
            | Self::NodeOff(_)
            | Self::Share(_)
            | Self::AllWork(_)
            | Self::Timeline(_)
            | Self::Stream { .. }
            | Self::Direct(_) => false,
        }
    }

    /// Whether it changes what is streamed or kept in memory.
    pub(super) fn is_stored(&self) -> bool {
        match self {
            Self::Stream { .. } => true,
            Self::Work(..)
            | Self::Latency(..)
            | Self::NodeOff(_)
            | Self::Share(_)
            | Self::AllWork(_)
            | Self::Timeline(_)
            | Self::Quit(_)
            | Self::FullPower
            | Self::Direct(_) => false,
        }
    }

    /// Whether it can free memory (programs that are quit are counted with the machine).
    pub(super) fn frees_memory(&self) -> bool {
        match self {
            Self::Stream { memory, .. } => memory.raw() < 0.0,
            Self::Work(..)
            | Self::Latency(..)
            | Self::NodeOff(_)
            | Self::Share(_)
            | Self::AllWork(_)
            | Self::Timeline(_)
            | Self::Quit(_)
            | Self::FullPower
            | Self::Direct(_) => false,
        }
    }

    /// The most work that it can save in the worst block on the reference core; see [`SavedWork`].
    pub(super) fn saves(&self, block: &BlockWork, routes: &Routes, now: &Applied) -> SavedWork {
        let nothing = SavedWork::None;
        match self {
            Self::Work(p, factor) => SavedWork::OnNode {
                node: routes.processors[*p].node,
                work: block.worst[*p] * (now.factor[*p] * (1.0 - factor)),
            },
            Self::NodeOff(n) => SavedWork::OnNode { node: *n, work: block.base[block.worst_index()][*n] },
            Self::Share(group) => {
                let costs = group.iter().map(|&p| block.worst[p] * now.factor[p]);
                let zero = Micros::new(0.0);
                let (sum, most) = costs.fold((zero, zero), |(sum, most), c| (sum + c, most.max(c)));
                SavedWork::Anywhere(sum - most)
            }
            Self::Timeline(factor) => SavedWork::Timeline(1.0 - factor),
            Self::AllWork(factor) => SavedWork::OfAll(1.0 - factor),
            // What these save, the work limit or other parts of the bound know.
            Self::Latency(..) | Self::Stream { .. } | Self::Quit(_) | Self::FullPower | Self::Direct(_) => {
                nothing
            }
        }
    }

    /// Whether this does at least what `other` does, so that `other` is not needed beside it.
    #[must_use]
    pub fn includes(&self, other: &Self) -> bool {
        match (self, other) {
            // Factors multiply: half of the work and half of that is a quarter. Nothing is left of nothing.
            (Self::Work(p, left), Self::Work(q, _)) => p == q && *left == 0.0,
            (Self::Latency(p, a), Self::Latency(q, b)) => p == q && a <= b,
            (Self::Work(..), _)
            | (Self::Latency(..), _)
            | (Self::NodeOff(_), _)
            | (Self::Share(_), _)
            | (Self::AllWork(_), _)
            | (Self::Timeline(_), _)
            | (Self::Stream { .. }, _)
            | (Self::Quit(_), _)
            | (Self::FullPower, _)
            | (Self::Direct(_), _) => self == other,
        }
    }
}

/// Work that an effect saves, by where it is saved.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum SavedWork {
    /// None.
    None,
    /// On one node.
    OnNode {
        /// The node.
        node: NodeId,
        /// So much.
        work: Micros,
    },
    /// Spread over nodes, none of which need lie on the longest chain.
    Anywhere(Micros),
    /// This share of the timeline's cost.
    Timeline(f64),
    /// This share of everything.
    OfAll(f64),
}
