//! The chosen set of remedies is the cheapest there is, held against every subset; and remedies never hurt.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::{EXACT_RIG, HZ, arrangement, bench, rig, session};
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use std::cell::Cell;
use swiftloop_core::choice::{Covering, Ground, Outcome, Scene, report, solve};

/// A random small session: a singer and a few tracks, with look-ahead, low-delay modes, bursts, copies, oversampling.
fn sessions() -> impl Strategy<Value = String> {
    let processor = (
        prop::sample::select(vec!["light", "medium", "heavy", "extreme"]),
        0u32..400,
        any::<bool>(),
        prop::sample::select(vec![1u32, 1, 2, 4]),
        prop::sample::select(vec![0u32, 0, 0, 256, 1024]),
        any::<bool>(),
        prop::sample::select(vec!["active", "active", "active", "off"]),
    );
    let track = (
        prop::collection::vec(processor, 0..3),
        prop::sample::select(vec!["disk", "instrument"]),
        any::<bool>(),
    );
    (prop::collection::vec(track, 1..4), any::<bool>(), 2u32..9, 0.001f64..2.0).prop_map(|(tracks, bus, limit, target)| {
        let mut text = format!(
            "format = \"swiftloop.session/1\"\ndeliver = {{ rate_hz = 48000 }}\nengine = {{ renders_ahead = true }}\n\
             performer = [{{ id = \"ada\", plays = \"voice\", listens = \"headphones\", hears = [\"t0\"], limit_ms = {limit}, mic_m = 0 }}]\n\
             phase = [{{ kind = \"tracking\", performers = [\"ada\"], target_per_hour = {target} }}]\n"
        );
        if bus {
            text.push_str("[[bus]]\nid = \"b\"\nprocessor = [{ id = \"glue\", latency_frames = 90, cost = \"heavy\" }]\n");
        }
        for (i, (processors, source, muted)) in tracks.iter().enumerate() {
            let source = if i == 0 { "live" } else { source };
            let to = if bus && i % 2 == 0 { "b" } else { "main" };
            text.push_str(&format!("[[track]]\nid = \"t{i}\"\nsource = \"{source}\"\nto = \"{to}\"\nmuted = {}\nprocessor = [", *muted && i > 0));
            for (j, (cost, latency, low, over, internal, same, state)) in processors.iter().enumerate() {
                let kind = if source == "instrument" && j == 0 { "instrument" } else { "effect" };
                text.push_str(&format!("{{ id = \"p{i}{j}\", kind = \"{kind}\", cost = \"{cost}\", latency_frames = {latency}, oversampling = {over}, state = \"{state}\""));
                if *low {
                    text.push_str(", low_delay_frames = 0");
                }
                if *internal > 0 {
                    text.push_str(&format!(", internal_block = {internal}"));
                }
                if *same {
                    text.push_str(", same_as = \"room\"");
                }
                text.push_str(" },");
            }
            text.push_str("]\n");
        }
        text
    })
}

#[test]
fn the_chosen_set_is_the_cheapest_of_all_subsets() {
    let (compared, solvable, with_price) = (Cell::new(0), Cell::new(0), Cell::new(0));
    let rig_text = EXACT_RIG
        .replace("cores = 4", "cores = 2\ncore_speed = 0.6")
        .replace("\"performance\"", "\"saving\"");
    let case = (sessions(), prop::sample::select(vec![32u32, 64, 128]), any::<bool>());
    let mut runner = TestRunner::new(Config { cases: 700, ..Config::default() });
    runner
        .run(&case, |(text, block, roll)| {
            let rig = rig(&rig_text);
            let session = session(&text, &rig);
            let scene = Scene::new(bench(&rig, &session), 0, &session.phases[0], HZ);
            prop_assume!(scene.remedies.len() <= 14);
            let forced = match (&scene.forced_by_roll, roll) {
                (_, false) => vec![],
                (Ok(forced), true) => forced.clone(),
                (Err(_), true) => return Ok(()),
            };
            let arrangement = arrangement(&scene, block, roll.then_some(1024), 2);
            let mut ground = Ground::new(&scene, arrangement.clone());
            let free: Vec<usize> = (0..scene.remedies.len()).filter(|r| !forced.contains(r)).collect();
            let mut truth: Option<u32> = None;
            for mask in 0u32..1 << free.len() {
                let picked = free.iter().enumerate().filter(|(i, _)| mask >> i & 1 == 1).map(|(_, &r)| r);
                let set: Vec<usize> = forced.iter().copied().chain(picked).collect();
                let price = set.iter().map(|&r| scene.remedies[r].price).sum();
                if truth.is_none_or(|t| price < t) && ground.satisfied(&set) {
                    truth = Some(price);
                }
            }
            compared.set(compared.get() + 1);
            match solve(&scene, &arrangement, u32::MAX) {
                Outcome::Meets { price, remedies, exact, .. } => {
                    prop_assert!(exact && ground.satisfied(&remedies));
                    prop_assert_eq!(Some(price), truth, "{}", text);
                    solvable.set(solvable.get() + 1);
                    with_price.set(with_price.get() + u32::from(price > 0));
                }
                Outcome::Fails { .. } | Outcome::Late { .. } => prop_assert_eq!(None, truth, "{}", text),
                other => prop_assert!(false, "{:?}", other),
            }
            Ok(())
        })
        .expect("as cheap as the truth");
    assert!(compared.get() >= 500, "only {} sessions were compared", compared.get());
    assert!(with_price.get() >= 150, "only {} of {} needed remedies", with_price.get(), solvable.get());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(80))]

    #[test]
    fn remedies_never_raise_load_or_delay(text in sessions(), picks in prop::collection::vec(any::<prop::sample::Index>(), 1..6)) {
        let rig = rig(&EXACT_RIG.replace("\"performance\"", "\"saving\""));
        let session = session(&text, &rig);
        let scene = Scene::new(bench(&rig, &session), 0, &session.phases[0], HZ);
        prop_assume!(!scene.remedies.is_empty());
        for roll in [None, Some(1024)] {
            let ground = Ground::new(&scene, arrangement(&scene, 64, roll, 4));
            let mut set: Vec<usize> = Vec::new();
            let mut before = report(&ground, &set);
            for pick in &picks {
                let r = pick.index(scene.remedies.len());
                if set.contains(&r) {
                    continue;
                }
                set.push(r);
                let after = report(&ground, &set);
                prop_assert!(after.round_trip_ms() <= before.round_trip_ms() + 1e-9, "{}", scene.remedies[r].id);
                prop_assert!(after.cue.guaranteed_us <= before.cue.guaranteed_us + 1e-6, "{}", scene.remedies[r].id);
                prop_assert!(after.cue.total_us <= before.cue.total_us + 1e-6);
                prop_assert!(after.cue.critical_path_us <= before.cue.critical_path_us + 1e-6);
                if let (Some((a, _)), Some((b, _))) = (&after.roll, &before.roll) {
                    prop_assert!(a.guaranteed_us <= b.guaranteed_us + 1e-6);
                }
                before = after;
            }
        }
    }

    #[test]
    fn the_reported_makespan_lies_between_its_bounds(text in sessions(), block in prop::sample::select(vec![32u32, 96, 128, 512]), workers in 1u32..5) {
        let rig = rig(EXACT_RIG);
        let session = session(&text, &rig);
        let scene = Scene::new(bench(&rig, &session), 0, &session.phases[0], HZ);
        let load = report(&Ground::new(&scene, arrangement(&scene, block, None, workers)), &[]).cue;
        let p = f64::from(workers);
        prop_assert!(load.makespan_us >= load.critical_path_us.max(load.total_us / p) - 1e-6);
        prop_assert!(load.makespan_us <= load.guaranteed_us + 1e-6);
        prop_assert!(load.mean_us <= load.guaranteed_us + 1e-6);
        prop_assert!((load.patterns.iter().map(|x| x.0).sum::<f64>() - 1.0).abs() < 1e-9);
    }
}
