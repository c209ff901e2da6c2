//! Load by its laws: between its bounds, never worse for more workers, and against the best of all schedules.

use crate::common::{EXACT_RIG, rig, session};
use proptest::prelude::*;
use swiftloop_core::load::{BlockGraph, Graph, ScheduleRule, critical_path, graham_bound, list_schedule};
use swiftloop_core::session::Routes;
use swiftloop_units::Micros;
use swiftloop_units::ids::NodeId;
use typed_index_collections::TiVec;

/// A session with `buses` whose routing is given by numbers; its routes are the graph.
fn routes(tracks: &[usize], buses: &[usize]) -> Routes {
    let bus_to = |from: usize, to: usize| {
        if to > from && to < buses.len() { format!("bus{to}") } else { "main".into() }
    };
    let mut text = String::from("format = \"swiftloop.session/1\"\ndeliver = { rate_hz = 48000 }\n");
    for (i, &t) in tracks.iter().enumerate() {
        let to = if t < buses.len() { format!("bus{t}") } else { "main".into() };
        text.push_str(&format!("[[track]]\nid = \"t{i}\"\nsource = \"disk\"\nto = \"{to}\"\n"));
    }
    for (i, &b) in buses.iter().enumerate() {
        text.push_str(&format!("[[bus]]\nid = \"bus{i}\"\nto = \"{}\"\n", bus_to(i, b)));
    }
    text.push_str("[[phase]]\nkind = \"mixing\"\n");
    session(&text, &rig(EXACT_RIG)).routes().clone()
}

/// The shortest schedule there is: every order in which ready nodes can be put on the worker that is free first.
/// (Some optimal schedule is a list schedule of some order, so trying all orders finds the optimum.)
fn optimum(routes: &Routes, cost: &[f64], workers: usize) -> f64 {
    fn go(routes: &Routes, cost: &[f64], done: &mut Vec<Option<f64>>, free: &mut Vec<f64>, best: &mut f64) {
        if free.iter().copied().fold(0.0, f64::max) >= *best {
            return;
        }
        let count = cost.len();
        if done.iter().all(Option::is_some) {
            *best = free.iter().copied().fold(0.0, f64::max);
            return;
        }
        for n in 0..count {
            if done[n].is_some() {
                continue;
            }
            let before: Vec<Option<f64>> = (0..count)
                .filter(|&m| routes.nodes[NodeId::from(m)].to.contains(&n.into()))
                .map(|m| done[m])
                .collect();
            if before.iter().any(Option::is_none) {
                continue;
            }
            let ready = before.into_iter().flatten().fold(0.0, f64::max);
            for w in 0..free.len() {
                if free[..w].contains(&free[w]) {
                    continue; // an identical worker was tried
                }
                let old = free[w];
                let end = old.max(ready) + cost[n];
                free[w] = end;
                done[n] = Some(end);
                go(routes, cost, done, free, best);
                free[w] = old;
                done[n] = None;
            }
        }
    }
    let mut best = f64::INFINITY;
    go(routes, cost, &mut vec![None; cost.len()], &mut vec![0.0; workers], &mut best);
    best
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn the_makespan_lies_between_its_bounds(
        tracks in prop::collection::vec(0usize..4, 1..4),
        buses in prop::collection::vec(0usize..4, 0..3),
        costs in prop::collection::vec(1u32..50, 8),
        workers in 1u32..4,
    ) {
        let routes = routes(&tracks, &buses);
        let cost: Vec<f64> = (0..routes.nodes.len()).map(|n| f64::from(costs[n % costs.len()])).collect();
        let total: f64 = cost.iter().sum();
        let us: TiVec<NodeId, Micros> = cost.iter().map(|&c| Micros::new(c)).collect();
        let every: TiVec<NodeId, bool> = cost.iter().map(|_| true).collect();
        let graph = BlockGraph::of(&Graph::of(&routes), &every);
        let (critical, chain) = critical_path(&graph, &us);
        let critical = critical.raw();
        prop_assert!((chain.iter().map(|&n| us[n].raw()).sum::<f64>() - critical).abs() < 1e-9);
        prop_assert!(chain.windows(2).all(|w| routes.nodes[w[0]].to.contains(&w[1])));
        let p = f64::from(workers);
        let lower = (total / p).max(critical);
        let best = optimum(&routes, &cost, workers as usize);
        let schedule = list_schedule(&graph, &us, workers, ScheduleRule::LongestWay).raw();
        let bound_for = |workers| graham_bound(Micros::new(total), Micros::new(critical), workers).raw();
        let bound = bound_for(workers);
        for makespan in [schedule, bound] {
            prop_assert!(makespan >= lower - 1e-9);
            prop_assert!(makespan <= (2.0 - 1.0 / p) * best + 1e-9, "{makespan} {best}");
        }
        prop_assert!(best <= schedule + 1e-9 && schedule <= bound + 1e-9);
        prop_assert!(bound_for(workers + 1) <= bound + 1e-9);
    }
}
