//! Finding things in a session: tracks, performers and phases by position or by id, nodes by id, who and what takes part in a phase.

use super::{Bus, Description, Listens, NodeKind, Performer, Phase, Processor, REMOTE, Session, Track};
use crate::tables::{Listener, PhaseKind};
use swiftloop_units::ids::{BusId, FarId, NodeId, PerformerId, PhaseId, ProcessorId, TrackId};

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
    /// The performers of a phase.
    pub fn performers_in<'a>(
        &'a self,
        phase: &'a Phase,
    ) -> impl Iterator<Item = (PerformerId, &'a Performer)> {
        let all = self.performers.iter().enumerate().map(|(i, p)| (PerformerId::from(i), p));
        all.filter(|(_, p)| phase.performers.contains(&p.id))
    }

    /// The far sides of a phase: those that it names, or all of the rig in a phase of playing together over a network.
    #[must_use]
    pub fn fars_in(&self, phase: &Phase, rig: &crate::rig::Rig) -> Vec<FarId> {
        let named = |id: &String| match &phase.far {
            Some(all) => all.contains(id),
            None => phase.kind == REMOTE,
        };
        rig.far_ids().filter(|(_, far)| named(&far.id)).map(|(at, _)| at).collect()
    }

    /// Packets an hour that a phase allows to come too late or never.
    #[must_use]
    pub fn late_packets_in(&self, phase: &Phase) -> f64 {
        let kind = self.phases.iter().position(|p| p.id() == phase.id()).map(PhaseId::from);
        let table = kind.map_or(f64::INFINITY, |k| self.kinds[k].late_packets_per_hour);
        phase.late_packets_per_hour.unwrap_or(table)
    }

    #[must_use]
    pub fn performer(&self, id: PerformerId) -> &Performer {
        &self.description.performers[id.index()]
    }

    /// The performer called `id`.
    #[must_use]
    pub fn performer_called(&self, id: &str) -> Option<PerformerId> {
        self.performers.iter().position(|p| p.id == id).map(PerformerId::from)
    }

    #[must_use]
    pub fn track(&self, id: TrackId) -> &Track {
        &self.description.tracks[id.index()]
    }

    /// Every track with its position.
    pub fn track_ids(&self) -> impl Iterator<Item = (TrackId, &Track)> {
        self.description.tracks.iter().enumerate().map(|(i, track)| (TrackId::from(i), track))
    }

    #[must_use]
    pub fn bus(&self, id: BusId) -> &Bus {
        &self.description.buses[id.index()]
    }

    #[must_use]
    pub fn phase(&self, id: PhaseId) -> &Phase {
        &self.description.phases[id.index()]
    }

    /// Every phase with its position.
    pub fn phase_ids(&self) -> impl Iterator<Item = (PhaseId, &Phase)> {
        self.description.phases.iter().enumerate().map(|(i, phase)| (PhaseId::from(i), phase))
    }

    /// The phase called `id`.
    #[must_use]
    pub fn phase_called(&self, id: &str) -> Option<PhaseId> {
        self.phase_ids().find(|(_, p)| p.id() == id).map(|(at, _)| at)
    }

    /// What the tables say of a phase.
    #[must_use]
    pub fn kind(&self, id: PhaseId) -> &PhaseKind {
        &self.kinds[id]
    }

    /// What the tables say of how a performer plays.
    #[must_use]
    pub fn listener(&self, id: PerformerId) -> &Listener {
        &self.listeners[id]
    }

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
