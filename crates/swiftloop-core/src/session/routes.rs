//! The routing as a graph without cycles. Nodes are tracks, buses and the main output; edges carry sound.
//! Indices instead of names, and an order in which every node comes after all that feed it.

use super::{Description, Processor};
use crate::Invalid;
use crate::contradiction::{SessionContradiction, Thing};
use crate::rig::missing;
use swiftloop_units::ids::{BusId, NodeId, ProcessorId, TrackId};
use typed_index_collections::{TiSlice, TiVec};

/// What a node is, with its index in the description.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NodeKind {
    Track(TrackId),
    Bus(BusId),
    Main,
}

/// One node of the routing.
#[derive(Debug, Clone)]
pub struct Node {
    pub kind: NodeKind,
    /// Where it goes: its own output first, then its sends. Empty for main and for buses with an output of their own.
    pub to: Vec<NodeId>,
    /// The first of these is its output, the others are sends; else all are sends.
    pub has_output: bool,
    /// Positions in [`Routes::processors`], in order.
    processors: std::ops::Range<usize>,
}

impl Node {
    /// The processors on it, in order.
    pub fn processors(&self) -> impl DoubleEndedIterator<Item = ProcessorId> + Clone + use<> {
        self.processors.clone().map(ProcessorId::from)
    }
}

/// Where a processor sits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Seat {
    pub node: NodeId,
    /// At this place of its chain.
    pub place: usize,
}

#[derive(Debug, Clone)]
pub struct Routes {
    /// Tracks, then buses, then main.
    pub nodes: TiVec<NodeId, Node>,
    /// Every node after all nodes that feed it.
    pub order: Vec<NodeId>,
    /// Where each processor of the session sits.
    pub processors: TiVec<ProcessorId, Seat>,
}

impl Routes {
    /// Lays out the routing of `description`.
    pub(super) fn lay_out(description: &Description) -> Result<Self, Invalid> {
        let (tracks, buses) = (description.tracks.len(), description.buses.len());
        let main = tracks + buses;
        let names: Vec<&str> =
            description.buses.iter().map(|b| b.id.as_str()).chain(["main", "out"]).collect();
        let find = |word: &str, out: bool| match word {
            "main" => Ok(Some(NodeId::from(main))),
            "out" if out => Ok(None),
            _ => match description.buses.iter().position(|b| b.id == word) {
                Some(i) => Ok(Some(NodeId::from(tracks + i))),
                None => Err(missing(Thing::Bus, word, &names[..names.len() - usize::from(!out)])),
            },
        };
        let targets = |to: &str, sends: &[super::Send], out: bool| -> Result<Vec<NodeId>, Invalid> {
            let mut all: Vec<NodeId> = find(to, out).map_err(|e| e.at("to"))?.into_iter().collect();
            for (i, send) in sends.iter().enumerate() {
                all.extend(find(&send.to, false).map_err(|e| e.at("to").in_list("sends", i))?);
            }
            Ok(all)
        };
        let mut nodes: TiVec<NodeId, Node> = TiVec::with_capacity(main + 1);
        let mut processors: TiVec<ProcessorId, Seat> = TiVec::new();
        let mut add = |kind, to, has_output, chain: &[Processor]| {
            let first = processors.len();
            let node = NodeId::from(nodes.len());
            processors.extend((0..chain.len()).map(|place| Seat { node, place }));
            nodes.push(Node { kind, to, has_output, processors: first..processors.len() });
        };
        for (i, t) in description.tracks.iter().enumerate() {
            let to = targets(&t.to, &t.sends, false).map_err(|e| e.in_list("track", i))?;
            add(NodeKind::Track(i.into()), to, true, &t.processors);
        }
        for (i, b) in description.buses.iter().enumerate() {
            let to = targets(&b.to, &b.sends, true).map_err(|e| e.in_list("bus", i))?;
            add(NodeKind::Bus(i.into()), to, b.to != "out", &b.processors);
        }
        add(NodeKind::Main, Vec::new(), false, &description.main.processors);
        let order = order(&nodes).map_err(|bus| {
            let bus = bus.index() - tracks;
            let id = &description.buses[bus].id;
            Invalid::new(SessionContradiction::Circle { bus: id.clone() }).at("to").in_list("bus", bus)
        })?;
        Ok(Self { nodes, order, processors })
    }

    #[must_use]
    pub fn main(&self) -> NodeId {
        NodeId::from(self.nodes.len() - 1)
    }

    fn none(&self) -> TiVec<NodeId, bool> {
        self.nodes.iter().map(|_| false).collect()
    }

    /// Everything that `from` feeds, itself included.
    #[must_use]
    pub fn downstream(&self, from: &[NodeId]) -> TiVec<NodeId, bool> {
        let mut reached = self.none();
        for &n in from {
            reached[n] = true;
        }
        for &n in &self.order {
            if reached[n] {
                for &t in &self.nodes[n].to {
                    reached[t] = true;
                }
            }
        }
        reached
    }

    /// Everything that feeds `target`, itself included.
    #[must_use]
    pub fn upstream(&self, target: NodeId) -> TiVec<NodeId, bool> {
        let mut feeds = self.none();
        feeds[target] = true;
        for &n in self.order.iter().rev() {
            if self.nodes[n].to.iter().any(|&t| feeds[t]) {
                feeds[n] = true;
            }
        }
        feeds
    }
}

/// Kahn's algorithm; the error is a bus on a cycle (a track feeds but is never fed, main is only fed).
fn order(nodes: &TiSlice<NodeId, Node>) -> Result<Vec<NodeId>, NodeId> {
    let mut waiting: TiVec<NodeId, usize> = nodes.iter().map(|_| 0).collect();
    for node in nodes {
        for &t in &node.to {
            waiting[t] += 1;
        }
    }
    let mut order: Vec<NodeId> = nodes.keys().filter(|&n| waiting[n] == 0).collect();
    let mut next = 0;
    while next < order.len() {
        for &t in &nodes[order[next]].to {
            waiting[t] -= 1;
            if waiting[t] == 0 {
                order.push(t);
            }
        }
        next += 1;
    }
    if order.len() == nodes.len() {
        return Ok(order);
    }
    // Walk upstream among the unordered nodes: after as many steps as there are nodes, we are on the cycle.
    let stuck = |n: NodeId| waiting[n] > 0;
    let mut at = nodes.keys().find(|&n| stuck(n)).unwrap_or(NodeId::from(0));
    for _ in nodes {
        at = nodes.keys().find(|&n| stuck(n) && nodes[n].to.contains(&at)).unwrap_or(at);
    }
    Err(at)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn graph(edges: &[Vec<usize>]) -> TiVec<NodeId, Node> {
        let ids = |to: &[usize]| to.iter().map(|t| NodeId::from(*t)).collect();
        edges
            .iter()
            .map(|to| Node { kind: NodeKind::Main, to: ids(to), has_output: true, processors: 0..0 })
            .collect()
    }

    proptest! {
        #[test]
        fn every_node_comes_after_all_that_feed_it(seed in prop::collection::vec(prop::collection::vec(0usize..12, 0..4), 1..12)) {
            // Edges run upwards only, so there is no circle.
            let count = seed.len();
            let edges: Vec<Vec<usize>> =
                seed.iter().enumerate().map(|(n, to)| to.iter().copied().filter(|t| *t > n && *t < count).collect()).collect();
            let order = order(&graph(&edges)).expect("no circle");
            let place = |n: usize| order.iter().position(|o| o.index() == n).expect("all nodes");
            for (n, to) in edges.iter().enumerate() {
                prop_assert!(to.iter().all(|t| place(*t) > place(n)));
            }
        }

        #[test]
        fn a_circle_is_found_on_the_circle(tail in 0usize..5, length in 1usize..5) {
            // A tail of nodes that leads into a circle, and one node behind it.
            let count = tail + length + 1;
            let mut edges = vec![Vec::new(); count];
            for (n, to) in edges.iter_mut().enumerate().take(tail) {
                to.push(n + 1);
            }
            for n in 0..length {
                edges[tail + n].push(tail + (n + 1) % length);
            }
            edges[tail + length - 1].push(count - 1);
            let at = order(&graph(&edges)).expect_err("a circle").index();
            prop_assert!((tail..tail + length).contains(&at), "{at} is not on the circle");
        }
    }
}
