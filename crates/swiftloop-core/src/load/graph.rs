//! The graph of a block's work: nodes with what each feeds, in an order in which every node comes after all that feed it.
//! It is the session's routing, and behind its last node one more for every group of copies that could become one
//! processor on a bus of its own; those have no work until that is done, and are in nobody's way.

use crate::ids::{NodeId, ProcessorId};
use crate::session::Routes;
use typed_index_collections::TiVec;

/// Nodes and what they feed.
#[derive(Debug, Clone)]
pub struct Graph {
    /// What each node feeds.
    pub to: TiVec<NodeId, Vec<NodeId>>,
    /// Every node after all that feed it.
    pub order: Vec<NodeId>,
    /// Nodes that others feed, each with all that have to be done before it.
    pub fed: Vec<(NodeId, Vec<NodeId>)>,
}

impl Graph {
    /// The routing alone.
    #[must_use]
    pub fn of(routes: &Routes) -> Self {
        Self::new(routes.nodes.iter().map(|n| n.to.clone()).collect(), routes.order.clone())
    }

    /// Of what each node feeds, and an order in which every node comes after all that feed it.
    #[must_use]
    pub fn new(to: TiVec<NodeId, Vec<NodeId>>, order: Vec<NodeId>) -> Self {
        let mut graph = Self { to, order, fed: Vec::new() };
        graph.find_fed();
        graph
    }

    /// What has to be done before each node.
    fn find_fed(&mut self) {
        self.fed.clear();
        for &n in &self.order {
            let mut before: TiVec<NodeId, bool> = self.to.iter().map(|_| false).collect();
            for &m in self.order.iter().rev() {
                before[m] = self.to[m].iter().any(|&t| t == n || before[t]);
            }
            let all: Vec<NodeId> = before.iter_enumerated().filter(|(_, b)| **b).map(|(m, _)| m).collect();
            if !all.is_empty() {
                self.fed.push((n, all));
            }
        }
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
        self.find_fed();
        bus
    }
}
