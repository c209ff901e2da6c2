//! Scheduling a block's graph on P workers: the longest chain, Graham's bound for any order, and the list
//! schedule by longest remaining path. Costs are per node; `order` has every node after all that feed it.

use crate::ids::NodeId;
use crate::session::Routes;
use crate::units::Micros;
use std::cmp::Reverse;
use std::collections::BinaryHeap;
use typed_index_collections::{TiSlice, TiVec};

/// The cost of every node.
type Costs = TiSlice<NodeId, Micros>;
/// Which nodes belong to the block.
type Included = TiSlice<NodeId, bool>;

fn nothing<T: Clone>(cost: &Costs, value: T) -> TiVec<NodeId, T> {
    std::iter::repeat_n(value, cost.len()).collect()
}

/// The longest chain through the nodes that are `included`, and the nodes on it from first to last.
#[must_use]
pub fn critical_path(routes: &Routes, cost: &Costs, included: &Included) -> (Micros, Vec<NodeId>) {
    let mut done = nothing(cost, Micros::new(0.0));
    let mut from = nothing(cost, None);
    let (mut longest, mut last) = (Micros::new(0.0), None);
    for &n in &routes.order {
        if !included[n] {
            continue;
        }
        let end = done[n] + cost[n];
        if end > longest {
            (longest, last) = (end, Some(n));
        }
        for &t in &routes.nodes[n].to {
            if end > done[t] && included[t] {
                done[t] = end;
                from[t] = Some(n);
            }
        }
    }
    let mut chain = Vec::new();
    while let Some(n) = last {
        chain.push(n);
        last = from[n];
    }
    chain.reverse();
    (longest, chain)
}

/// Length of the longest chain through included nodes, without naming it: what the search asks over and over.
#[must_use]
pub fn chain_length(routes: &Routes, cost: &Costs, included: &Included) -> Micros {
    let mut done = nothing(cost, Micros::new(0.0));
    let mut longest = Micros::new(0.0);
    for &n in &routes.order {
        if !included[n] {
            continue;
        }
        let end = done[n] + cost[n];
        longest = longest.max(end);
        for &t in &routes.nodes[n].to {
            if included[t] {
                done[t] = done[t].max(end);
            }
        }
    }
    longest
}

/// The longest any order of work can take in which no worker idles while there is work (Graham 1969):
/// `total/P + (1 − 1/P) × critical path`. At most (2 − 1/P) times the best possible.
#[must_use]
pub fn graham_bound(total: Micros, critical: Micros, workers: u32) -> Micros {
    let p = f64::from(workers.max(1));
    total / p + critical * (1.0 - 1.0 / p)
}

/// Length of the list schedule by longest remaining path: whenever a worker is free it takes the ready node
/// with the longest way still to go.
#[must_use]
pub fn list_schedule(routes: &Routes, cost: &Costs, workers: u32, included: &Included) -> Micros {
    let mut waiting = nothing(cost, 0usize);
    let mut remaining = cost.to_owned();
    for &n in routes.order.iter().rev() {
        let to = routes.nodes[n].to.iter().filter(|&&t| included[t]);
        remaining[n] = cost[n] + to.map(|&t| remaining[t]).fold(Micros::new(0.0), Micros::max);
    }
    for n in cost.keys().filter(|&n| included[n]) {
        for &t in &routes.nodes[n].to {
            waiting[t] += 1;
        }
    }
    let first = cost.keys().filter(|&n| included[n] && waiting[n] == 0);
    let mut ready: BinaryHeap<(Key, NodeId)> = first.map(|n| (Key(remaining[n]), n)).collect();
    let mut running: BinaryHeap<(Reverse<Key>, NodeId)> = BinaryHeap::new();
    let mut now = Micros::new(0.0);
    loop {
        while running.len() < workers.max(1) as usize {
            let Some((_, n)) = ready.pop() else { break };
            running.push((Reverse(Key(now + cost[n])), n));
        }
        let Some((Reverse(Key(end)), n)) = running.pop() else { return now };
        now = end;
        for &t in routes.nodes[n].to.iter().filter(|&&t| included[t]) {
            waiting[t] -= 1;
            if waiting[t] == 0 {
                ready.push((Key(remaining[t]), t));
            }
        }
    }
}

/// A time that can be ordered (never "not a number").
#[derive(PartialEq, Clone, Copy)]
struct Key(Micros);

impl Eq for Key {}

impl PartialOrd for Key {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Key {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.raw().total_cmp(&other.0.raw())
    }
}
