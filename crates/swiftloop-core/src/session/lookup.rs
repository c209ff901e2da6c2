//! Finding things in a session: nodes by id, processors by position, the live tracks of a phase.

use super::{Description, Listens, NodeKind, Phase, Processor, Session};
use crate::ids::{BusId, NodeId, ProcessorId, TrackId};

impl Description {
    /// All processors: of tracks, of buses, of the main output.
    pub fn processors(&self) -> impl Iterator<Item = &Processor> {
        let tracks = self.tracks.iter().flat_map(|t| &t.processors);
        tracks.chain(self.buses.iter().flat_map(|b| &b.processors)).chain(&self.main.processors)
    }

    /// The same, to be changed.
    pub(crate) fn processors_mut(&mut self) -> impl Iterator<Item = &mut Processor> {
        let tracks = self.tracks.iter_mut().flat_map(|t| &mut t.processors);
        tracks.chain(self.buses.iter_mut().flat_map(|b| &mut b.processors)).chain(&mut self.main.processors)
    }
}

impl Session {
    /// The node of a track.
    #[must_use]
    pub fn node_of_track(&self, track: TrackId) -> NodeId {
        NodeId::from(track.index())
    }

    /// The node of a bus.
    #[must_use]
    pub fn node_of_bus(&self, bus: BusId) -> NodeId {
        NodeId::from(self.tracks.len() + bus.index())
    }

    /// The node called `id`: a track, a bus or `main`.
    #[must_use]
    pub fn node_of(&self, id: &str) -> Option<NodeId> {
        if id == "main" {
            return Some(self.routes().main());
        }
        let track = self.tracks.iter().position(|t| t.id == id).map(|t| self.node_of_track(t.into()));
        track.or_else(|| self.buses.iter().position(|b| b.id == id).map(|b| self.node_of_bus(b.into())))
    }

    /// The name of a node for people; none for the main output.
    #[must_use]
    pub fn node_title(&self, node: NodeId) -> Option<&str> {
        match self.routes().nodes[node].kind {
            NodeKind::Track(t) => Some(self.track(t).title()),
            NodeKind::Bus(b) => Some(self.bus(b).title()),
            NodeKind::Main => None,
        }
    }

    /// A processor, by its place in the routing.
    #[must_use]
    pub fn processor(&self, id: ProcessorId) -> &Processor {
        let seat = self.routes().processors[id];
        &self.chain_of(seat.node)[seat.place]
    }

    /// The processors on a node.
    #[must_use]
    pub fn chain_of(&self, node: NodeId) -> &[Processor] {
        match self.routes().nodes[node].kind {
            NodeKind::Track(t) => &self.track(t).processors,
            NodeKind::Bus(b) => &self.bus(b).processors,
            NodeKind::Main => &self.main.processors,
        }
    }

    /// Live nodes of a phase: tracks on which its performers hear themselves through the software.
    #[must_use]
    pub fn live_nodes(&self, phase: &Phase) -> Vec<NodeId> {
        let enabled = |n: &NodeId| match self.routes().nodes[*n].kind {
            NodeKind::Track(t) => !self.track(t).disabled,
            NodeKind::Bus(_) | NodeKind::Main => false,
        };
        let mut live: Vec<NodeId> = self
            .performers_in(phase)
            .filter(|(_, p)| p.listens != Listens::Direct)
            .flat_map(|(_, p)| p.hears.iter().filter_map(|id| self.node_of(id)))
            .filter(enabled)
            .collect();
        live.sort_unstable();
        live.dedup();
        live
    }
}
