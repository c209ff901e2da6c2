//! Scheduling a block's graph on P workers: the longest chain, Graham's bound for any order, and the list
//! schedule by longest remaining path. Costs are per node; `order` has every node after all that feed it.

use crate::session::Routes;

/// The longest chain through the nodes that are `included`, and the nodes on it from first to last.
#[must_use]
pub fn critical_path(routes: &Routes, cost: &[f64], included: impl Fn(usize) -> bool) -> (f64, Vec<usize>) {
    let mut done = vec![0.0f64; cost.len()];
    let mut from: Vec<Option<usize>> = vec![None; cost.len()];
    let (mut longest, mut last) = (0.0, None);
    for &n in &routes.order {
        if !included(n) {
            continue;
        }
        let end = done[n] + cost[n];
        if end > longest {
            (longest, last) = (end, Some(n));
        }
        for &t in &routes.nodes[n].to {
            if end > done[t] && included(t) {
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
pub fn chain_length(routes: &Routes, cost: &[f64], included: &[bool]) -> f64 {
    let mut done = vec![0.0f64; cost.len()];
    let mut longest = 0.0f64;
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
pub fn graham_bound(total: f64, critical: f64, workers: u32) -> f64 {
    let p = f64::from(workers.max(1));
    total / p + (1.0 - 1.0 / p) * critical
}

/// Length of the list schedule by longest remaining path: whenever a worker is free it takes the ready node
/// with the longest way still to go.
#[must_use]
pub fn list_schedule(routes: &Routes, cost: &[f64], workers: u32, included: impl Fn(usize) -> bool) -> f64 {
    let count = cost.len();
    let mut waiting = vec![0usize; count];
    let mut remaining = cost.to_vec();
    for &n in routes.order.iter().rev() {
        let to = routes.nodes[n].to.iter().filter(|&&t| included(t));
        remaining[n] = cost[n] + to.map(|&t| remaining[t]).fold(0.0, f64::max);
    }
    for n in (0..count).filter(|&n| included(n)) {
        for &t in &routes.nodes[n].to {
            waiting[t] += 1;
        }
    }
    let mut ready: std::collections::BinaryHeap<(Key, usize)> =
        (0..count).filter(|&n| included(n) && waiting[n] == 0).map(|n| (Key(remaining[n]), n)).collect();
    let mut running: std::collections::BinaryHeap<(std::cmp::Reverse<Key>, usize)> =
        std::collections::BinaryHeap::new();
    let mut now = 0.0;
    loop {
        while running.len() < workers.max(1) as usize {
            let Some((_, n)) = ready.pop() else { break };
            running.push((std::cmp::Reverse(Key(now + cost[n])), n));
        }
        let Some((std::cmp::Reverse(Key(end)), n)) = running.pop() else { return now };
        now = end;
        for &t in routes.nodes[n].to.iter().filter(|&&t| included(t)) {
            waiting[t] -= 1;
            if waiting[t] == 0 {
                ready.push((Key(remaining[t]), t));
            }
        }
    }
}

/// A time that can be ordered (never NaN here).
#[derive(PartialEq, Clone, Copy)]
struct Key(f64);

impl Eq for Key {}

impl PartialOrd for Key {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Key {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}
