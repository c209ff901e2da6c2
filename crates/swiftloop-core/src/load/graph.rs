//! The graph of a block's work: nodes with what each feeds, in an order in which every node comes after all that feed it.
//! It is the session's routing, and behind its last node one more for every group of copies that could become one
//! processor on a bus of its own; those have no work until that is done, and are in nobody's way.

use crate::session::Routes;
use swiftloop_units::ids::{NodeId, ProcessorId};
use typed_index_collections::{TiSlice, TiVec};

/// Nodes and what they feed.
#[derive(Debug, Clone)]
pub struct Graph {
    /// What each node feeds.
    pub to: TiVec<NodeId, Vec<NodeId>>,
    /// Every node after all that feed it.
    pub order: Vec<NodeId>,
}

impl Graph {
    #[must_use]
    pub fn of(routes: &Routes) -> Self {
        Self { to: routes.nodes.iter().map(|n| n.to.clone()).collect(), order: routes.order.clone() }
    }

    /// Adds a node that copies of a processor could be sent to instead: fed by the nodes they sit on, it feeds what these
    /// have in common, or the main output.
    pub fn add_bus_for(&mut self, routes: &Routes, copies: &[ProcessorId]) -> NodeId {
        let bus = NodeId::from(self.to.len());
        let mut members: Vec<NodeId> = copies.iter().map(|&p| routes.processors[p].node).collect();
        members.sort_unstable();
        members.dedup();
        let output = |n: &NodeId| routes.nodes[*n].to.first().copied();
        let first = members.first().and_then(output);
        let common = first.filter(|_| members.iter().all(|n| output(n) == first));
        // Copies on the main output itself have nowhere to be sent to.
        let target = common.or_else(|| (!members.contains(&routes.main())).then(|| routes.main()));
        let place = |graph: &Self, n: NodeId| graph.order.iter().position(|o| *o == n);
        let after = members.iter().filter_map(|&n| place(self, n)).max();
        let before = target.and_then(|t| place(self, t));
        match (after, before) {
            (Some(after), Some(before)) if after < before => {
                self.order.insert(after + 1, bus);
                self.to.push(target.into_iter().collect());
                for member in members {
                    self.to[member].push(bus);
                }
            }
            // One copy feeds another: no bus can stand between them, so it stands alone.
            _ => {
                self.order.push(bus);
                self.to.push(Vec::new());
            }
        }
        bus
    }
}

/// The part of a graph that one kind of block works on, ready for the many questions that a search asks.
#[derive(Debug, Clone)]
pub struct BlockGraph {
    /// Its nodes, every one after all that feed it.
    pub order: Vec<NodeId>,
    /// Nodes that nobody feeds, as they stand in the session.
    pub sources: Vec<NodeId>,
    /// Nodes that others feed, each with all that have to be done before it.
    pub fed: Vec<(NodeId, Vec<NodeId>)>,
    /// How many feed each node.
    pub inputs: TiVec<NodeId, usize>,
    /// What all nodes feed, one after the other, and where each node's part begins and ends.
    targets: Vec<NodeId>,
    parts: TiVec<NodeId, (u32, u32)>,
}

impl BlockGraph {
    /// The nodes of `graph` that are `included`.
    #[must_use]
    pub fn of(graph: &Graph, included: &TiSlice<NodeId, bool>) -> Self {
        let mut inputs: TiVec<NodeId, usize> = included.iter().map(|_| 0).collect();
        let mut from: TiVec<NodeId, Vec<NodeId>> = included.iter().map(|_| Vec::new()).collect();
        let mut targets = Vec::new();
        let part_of = |n: NodeId| {
            let start = targets.len() as u32;
            for &t in graph.to[n].iter().filter(|&&t| included[n] && included[t]) {
                targets.push(t);
                inputs[t] += 1;
                from[t].push(n);
            }
            (start, targets.len() as u32)
        };
        let parts = included.keys().map(part_of).collect();
        let order: Vec<NodeId> = graph.order.iter().copied().filter(|&n| included[n]).collect();
        let is_fed = |n: &NodeId| inputs[*n] > 0;
        Self {
            sources: included.keys().filter(|n| included[*n] && !is_fed(n)).collect(),
            fed: order.iter().copied().filter(is_fed).map(|n| (n, before(n, &from))).collect(),
            order,
            targets,
            parts,
            inputs,
        }
    }

    /// What a node feeds.
    #[must_use]
    pub fn to(&self, n: NodeId) -> &[NodeId] {
        let (start, end) = self.parts[n];
        &self.targets[start as usize..end as usize]
    }
}

/// All that have to be done before a node, as they stand in the session.
fn before(node: NodeId, from: &TiSlice<NodeId, Vec<NodeId>>) -> Vec<NodeId> {
    let mut seen: TiVec<NodeId, bool> = from.iter().map(|_| false).collect();
    let mut waiting = vec![node];
    while let Some(n) = waiting.pop() {
        for &m in &from[n] {
            if !std::mem::replace(&mut seen[m], true) {
                waiting.push(m);
            }
        }
    }
    seen.iter_enumerated().filter(|(_, seen)| **seen).map(|(n, _)| n).collect()
}
