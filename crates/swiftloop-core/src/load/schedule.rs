//! Scheduling a block's graph on P workers: the longest chain, Graham's bound for any order, and list schedules in
//! several orders. Costs are per node.
//!
//! **What to expect** is the order in which such software works: workers share one queue; a node enters it when the last
//! of those that feed it is done (counters of open inputs, Kahn 1962), and whoever is free takes what came first
//! ([`ScheduleRule::FirstReady`]). **At the most** it takes Graham's bound, whatever the order, as long as nobody idles
//! while there is work (Graham 1969). **At the least** its share of all work, or its longest chain.

use super::BlockGraph;
use std::cmp::Reverse;
use std::collections::{BinaryHeap, VecDeque};
use swiftloop_units::Micros;
use swiftloop_units::ids::NodeId;
use typed_index_collections::{TiSlice, TiVec};

/// The cost of every node.
type Costs = TiSlice<NodeId, Micros>;

/// Which of the ready nodes a free worker takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ScheduleRule {
    /// The one that was ready first; of those ready at once the one that stands first in the session.
    FirstReady,
    /// The one that was ready last (a stack).
    LastReady,
    /// The one with the longest way still to go.
    LongestWay,
    Dearest,
}

impl ScheduleRule {
    pub const ALL: [Self; 4] = [Self::FirstReady, Self::LastReady, Self::LongestWay, Self::Dearest];
}

fn nothing<T: Clone>(cost: &Costs, value: T) -> TiVec<NodeId, T> {
    std::iter::repeat_n(value, cost.len()).collect()
}

/// The longest chain, and the nodes on it from first to last.
#[must_use]
pub fn critical_path(graph: &BlockGraph, cost: &Costs) -> (Micros, Vec<NodeId>) {
    let mut done = nothing(cost, Micros::new(0.0));
    let mut from = nothing(cost, None);
    let (mut longest, mut last) = (Micros::new(0.0), None);
    for &n in &graph.order {
        let end = done[n] + cost[n];
        if end > longest {
            (longest, last) = (end, Some(n));
        }
        for &t in graph.to(n) {
            if end > done[t] {
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

fn longest_of(graph: &BlockGraph, ways: &Costs) -> Micros {
    graph.sources.iter().map(|&n| ways[n]).fold(Micros::new(0.0), Micros::max)
}

/// The longest any order of work can take in which no worker idles while there is work (Graham 1969):
/// `total/P + (1 − 1/P) × critical path`. At most (2 − 1/P) times the best possible.
#[must_use]
pub fn graham_bound(total: Micros, critical: Micros, workers: u32) -> Micros {
    let p = f64::from(workers.max(1));
    total / p + critical * (1.0 - 1.0 / p)
}

/// No order takes less: `max(total/P, critical path)`. Unlike a schedule it only ever falls when work is removed.
#[must_use]
pub fn least_bound(total: Micros, critical: Micros, workers: u32) -> Micros {
    critical.max(total / f64::from(workers.max(1)))
}

/// What [`ScheduleRule::FirstReady`] takes at the least because of a node that has to wait for others.
#[derive(Debug, Clone)]
pub struct Turn {
    pub bound: Micros,
    /// Nodes that come before it.
    pub before: Vec<NodeId>,
    /// The longest way from it to the end.
    pub way: Vec<NodeId>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Waits {
    /// The one at this place among those that nobody feeds.
    ForItsTurn(usize),
    /// The one at this place among those that others feed.
    ToBeFed(usize),
}

/// A lower bound of the list schedule by [`ScheduleRule::FirstReady`], which only falls when work is removed.
///
/// Nodes that nobody feeds are ready at once and taken as they stand; when one of them begins, all before it have begun and
/// at most P − 1 of these are still at work, so it begins no sooner than `(Σ before − the P − 1 dearest of them)/P`. A
/// node that others feed begins no sooner than `(Σ all that come before it)/P`. Either way its longest way is still to go.
///
/// The longest chain comes with it, since both come of the same ways.
#[must_use]
pub fn first_ready_bound(graph: &BlockGraph, cost: &Costs, workers: u32) -> (Micros, Micros) {
    let ways = ways(graph, cost);
    (longest_wait(graph, cost, workers, &ways).0, longest_of(graph, &ways))
}

fn longest_wait(graph: &BlockGraph, cost: &Costs, workers: u32, ways: &Costs) -> (Micros, Waits) {
    let p = workers.max(1) as usize;
    // The P − 1 dearest so far, rising.
    let mut dearest: Vec<f64> = Vec::with_capacity(p);
    let (mut before, mut unfinished) = (0.0, 0.0);
    let mut most = (Micros::new(0.0), Waits::ForItsTurn(0));
    for (place, &n) in graph.sources.iter().enumerate() {
        let bound = ways[n] + Micros::new((before - unfinished) / p as f64);
        if bound > most.0 {
            most = (bound, Waits::ForItsTurn(place));
        }
        let own = cost[n].raw();
        before += own;
        if dearest.len() + 1 == p && dearest.first().is_none_or(|least| own <= *least) {
            continue;
        }
        let at = dearest.partition_point(|d| *d < own);
        dearest.insert(at, own);
        unfinished += own;
        if dearest.len() == p {
            unfinished -= dearest.remove(0);
        }
    }
    for (place, (n, feeding)) in graph.fed.iter().enumerate() {
        let before: Micros = feeding.iter().map(|&m| cost[m]).sum();
        let bound = ways[*n] + before / p as f64;
        if bound > most.0 {
            most = (bound, Waits::ToBeFed(place));
        }
    }
    most
}

/// All about the node that waits longest.
#[must_use]
pub fn longest_turn(graph: &BlockGraph, cost: &Costs, workers: u32) -> Turn {
    let ways = ways(graph, cost);
    let (bound, waits) = longest_wait(graph, cost, workers, &ways);
    let (first, before) = match waits {
        Waits::ForItsTurn(place) => {
            (graph.sources.get(place).copied(), graph.sources.iter().copied().take(place).collect())
        }
        Waits::ToBeFed(place) => (Some(graph.fed[place].0), graph.fed[place].1.clone()),
    };
    let longest = |n: NodeId| {
        let to = graph.to(n).iter().copied();
        to.max_by(|a, b| ways[*a].raw().total_cmp(&ways[*b].raw()))
    };
    Turn { bound, before, way: std::iter::successors(first, |&n| longest(n)).collect() }
}

/// Length of the list schedule under a rule: whenever a worker is free it takes the ready node that the rule prefers.
#[must_use]
pub fn list_schedule(graph: &BlockGraph, cost: &Costs, workers: u32, rule: ScheduleRule) -> Micros {
    let workers = workers.max(1) as usize;
    let mut waiting = graph.inputs.clone();
    let mut ready = Ready::new(graph, cost, rule);
    let mut running: Vec<(f64, NodeId)> = Vec::with_capacity(workers);
    let mut now = 0.0;
    loop {
        while running.len() < workers {
            let Some(n) = ready.take() else { break };
            running.push((now + cost[n].raw(), n));
        }
        // Of two that are done at once the one that stands first in the session.
        let first = |a: &(f64, NodeId), b: &(f64, NodeId)| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1));
        let next = (0..running.len()).min_by(|&a, &b| first(&running[a], &running[b]));
        let Some(next) = next else { return Micros::new(now) };
        let (end, n) = running.swap_remove(next);
        now = end;
        for &t in graph.to(n) {
            waiting[t] -= 1;
            if waiting[t] == 0 {
                ready.put(t);
            }
        }
    }
}

/// Nodes that are ready, in the order of a rule.
enum Ready {
    First(VecDeque<NodeId>),
    Last(Vec<NodeId>),
    /// By weight; of equal ones the one that stands first in the session.
    Heaviest(TiVec<NodeId, Micros>, BinaryHeap<(OrderedNumber, Reverse<NodeId>)>),
}

impl Ready {
    fn new(graph: &BlockGraph, cost: &Costs, rule: ScheduleRule) -> Self {
        let heaviest = |weight: TiVec<NodeId, Micros>| {
            let sources = graph.sources.iter().map(|&n| (OrderedNumber(weight[n].raw()), Reverse(n)));
            let heap = sources.collect();
            Self::Heaviest(weight, heap)
        };
        match rule {
            ScheduleRule::FirstReady => Self::First(graph.sources.iter().copied().collect()),
            ScheduleRule::LastReady => Self::Last(graph.sources.clone()),
            ScheduleRule::LongestWay => heaviest(ways(graph, cost)),
            ScheduleRule::Dearest => heaviest(cost.to_owned()),
        }
    }

    fn take(&mut self) -> Option<NodeId> {
        match self {
            Self::First(queue) => queue.pop_front(),
            Self::Last(stack) => stack.pop(),
            Self::Heaviest(_, heap) => heap.pop().map(|(_, Reverse(n))| n),
        }
    }

    fn put(&mut self, n: NodeId) {
        match self {
            Self::First(queue) => queue.push_back(n),
            Self::Last(stack) => stack.push(n),
            Self::Heaviest(weight, heap) => heap.push((OrderedNumber(weight[n].raw()), Reverse(n))),
        }
    }
}

/// The longest way from each node to the end.
fn ways(graph: &BlockGraph, cost: &Costs) -> TiVec<NodeId, Micros> {
    let mut remaining = cost.to_owned();
    for &n in graph.order.iter().rev() {
        let to = graph.to(n).iter().map(|&t| remaining[t]);
        remaining[n] = cost[n] + to.fold(Micros::new(0.0), Micros::max);
    }
    remaining
}

/// A number that can be ordered (never "not a number").
#[derive(PartialEq, Clone, Copy)]
struct OrderedNumber(f64);

impl Eq for OrderedNumber {}

impl PartialOrd for OrderedNumber {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for OrderedNumber {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}
