//! Finding things in a session: nodes by id, processors by index, the live tracks of a phase.

use super::{Listens, NodeKind, Phase, Processor, Session};

impl Session {
    /// The node called `id`: a track, a bus or `main`.
    #[must_use]
    pub fn node_of(&self, id: &str) -> Option<usize> {
        if id == "main" {
            return Some(self.routes().main());
        }
        let track = self.tracks.iter().position(|t| t.id == id);
        track.or_else(|| self.buses.iter().position(|b| b.id == id).map(|b| b + self.tracks.len()))
    }

    /// Processor number `index` of the routing.
    #[must_use]
    pub fn processor(&self, index: usize) -> &Processor {
        let (node, place) = self.routes().processors[index];
        &self.chain_of(node)[place]
    }

    /// The processors on a node.
    #[must_use]
    pub fn chain_of(&self, node: usize) -> &[Processor] {
        match self.routes().nodes[node].kind {
            NodeKind::Track(t) => &self.tracks[t].processors,
            NodeKind::Bus(b) => &self.buses[b].processors,
            NodeKind::Main => &self.main.processors,
        }
    }

    /// Live nodes of a phase: tracks on which its performers hear themselves through the software.
    #[must_use]
    pub fn live_nodes(&self, phase: &Phase) -> Vec<usize> {
        let mut live: Vec<usize> = self
            .performers_in(phase)
            .filter(|p| p.listens != Listens::Direct)
            .flat_map(|p| p.hears.iter().filter_map(|id| self.node_of(id)))
            .filter(
                |&n| matches!(self.routes().nodes[n].kind, NodeKind::Track(t) if !self.tracks[t].disabled),
            )
            .collect();
        live.sort_unstable();
        live.dedup();
        live
    }
}
