//! The whole plan by its laws: one rate, drivers kept, wishes in their order, what is kept is kept.

use crate::common::{EXACT_RIG, context, rig, session, singer};
use swiftloop_core::doubt::SURE;
use swiftloop_core::load::BoundBy;
use swiftloop_core::plan::{HeldBackBy, Objection, PhaseChange, PhaseProblem, Plan, plan};
use swiftloop_core::tables::RemedyKind;
use swiftloop_units::Hz;
use swiftloop_units::workers::{OneByOne, Workers};

fn planned(rig_text: &str, session_text: &str) -> Plan {
    let rig = rig(rig_text);
    let session = session(session_text, &rig);
    plan(context(&rig, &session), &OneByOne)
}

/// A singer with a heavy load: `n` heavy processors on tracks of their own.
fn loaded(n: usize, phase: &str) -> String {
    let mut text = singer("", "").replace("phase = [{ kind = \"tracking\", performers = [\"ada\"] }]", phase);
    for i in 0..n {
        let track = format!(
            "{{ id = \"x{i}\", source = \"disk\", processor = [{{ id = \"h{i}\", cost = \"heavy\" }}] }}, "
        );
        text = text.replace("track = [", &format!("track = [{track}"));
    }
    text
}

#[test]
fn the_least_delay_is_chosen_while_tracking_and_the_most_headroom_while_mixing() {
    let phases = "phase = [{ kind = \"tracking\", performers = [\"ada\"] }, { kind = \"mixing\" }]";
    let planned_with = |tracks| {
        let p = planned(EXACT_RIG, &loaded(tracks, phases));
        assert!(p.choices.iter().all(|c| c.missed.is_none()));
        let blocks: Vec<u32> = p.choices.iter().map(|c| c.arrangement.setting.buffer.block.get()).collect();
        (p, blocks)
    };
    let (p, blocks) = planned_with(24);
    assert!(blocks[0] <= 128 && blocks[1] >= 1024, "{blocks:?}");
    // With two phases on the interface the second begins with a change of buffer, and says so.
    let bigger = |c: &PhaseChange| matches!(c, PhaseChange::Buffer(b) if b.block.get() == blocks[1]);
    assert!(p.steps[1].set.iter().any(bigger), "{:?}", p.steps[1].set);
}

#[test]
fn a_phase_that_bears_more_is_never_dearer() {
    let price = |target: f64| {
        let phase = format!(
            "phase = [{{ kind = \"tracking\", performers = [\"ada\"], target_per_hour = {target} }}]"
        );
        let slow = EXACT_RIG.replace("cores = 4", "cores = 2\ncore_speed = 0.3");
        let p = planned(&slow, &loaded(9, &phase));
        (p.choices[0].missed.is_some(), p.choices[0].report.sound < SURE, p.choices[0].effort)
    };
    let prices: Vec<(bool, bool, u32)> = [0.001, 0.1, 10.0, 1000.0].iter().map(|&t| price(t)).collect();
    assert!(prices.windows(2).all(|w| w[0] >= w[1]), "{prices:?}");
}

#[test]
fn what_is_kept_is_not_touched() {
    let look = r#"{ id = "look", latency_frames = 2000, cost = "light", low_delay_frames = 0 }"#;
    let singer =
        |p: &str, m: &str| crate::common::singer(p, m).replace("mic_m = 0", "mic_m = 0, limit_ms = 6");
    let free = planned(EXACT_RIG, &singer(look, ""));
    let ids = |p: &Plan| p.choices[0].report.remedies.iter().map(|r| r.id.clone()).collect::<Vec<_>>();
    assert_eq!(ids(&free), ["low-delay:look"]);
    let keep =
        singer(look, "").replace("performers = [\"ada\"] }]", "performers = [\"ada\"], keep = [\"look\"] }]");
    let kept = planned(EXACT_RIG, &keep);
    // Going direct is what is left.
    assert_eq!(ids(&kept), ["direct:ada"]);
    let both = keep.replace("limit_ms = 6 }]", "limit_ms = 6, needs_software = true }]");
    let impossible = planned(EXACT_RIG, &both);
    let missed = impossible.choices[0].missed.as_ref().expect("impossible");
    let HeldBackBy::Limit { limit, delay, performer, .. } = missed else { panic!("{missed:?}") };
    assert!(limit.raw() == 6.0 && *delay > *limit && *performer == Some(0.into()), "{missed:?}");
}

#[test]
fn the_cheaper_way_out_is_taken() {
    // A low-delay mode costs 1, leaving off 5: with a mode that is short enough the mode is taken, else not.
    let p = |low: u32| {
        let look =
            format!("{{ id = \"look\", latency_frames = 2000, low_delay_frames = {low}, cost = \"light\" }}");
        let text = singer(&look, "").replace("mic_m = 0 }]", "mic_m = 0, needs_software = true }]");
        let p = planned(EXACT_RIG, &text);
        (p.choices[0].effort, p.choices[0].report.remedies[0].kind)
    };
    assert_eq!(p(10), (1, RemedyKind::LowDelay));
    assert_eq!(p(1900), (5, RemedyKind::Bypass));
}

#[test]
fn one_rate_for_all_and_the_deliverable_wins_a_tie() {
    let two_rates = singer("", "").replace("rate_hz = 48000 }", "rate_hz = 48000, may_run_at_hz = [96000] }");
    let p = planned(EXACT_RIG, &two_rates);
    assert_eq!(p.other_rates.len(), 1);
    assert!(p.choices.iter().all(|c| c.arrangement.setting.rate == p.rate));
    // A limit that only the higher rate can meet decides for it: blocks are half as long.
    let strict = two_rates.replace("mic_m = 0 }]", "mic_m = 0, limit_ms = 3.0, needs_software = true }]");
    let p = planned(EXACT_RIG, &strict);
    assert_eq!(p.rate, Hz::new(96_000), "{:?}", p.other_rates);
    assert!(p.other_rates[0].worse_in == Some(Objection::Limits), "{:?}", p.other_rates);
    // A rate that no driver offers is silent, not a crash.
    let p = planned(EXACT_RIG, &singer("", "").replace("rate_hz = 48000 }", "rate_hz = 44100 }"));
    assert_eq!((p.choices.len(), p.silent.len()), (0, 1));
}

#[test]
fn a_driver_is_kept_across_phases_unless_a_phase_demands_another() {
    // The second driver alone offers small blocks; mixing would do with either.
    let two = EXACT_RIG.replace("buffers = { powers = [32, 2048] }", "buffers = { frames = [1024, 2048] }")
        + "[[interface.driver]]\nmodel = \"asio\"\nrates_hz = [48000]\nbuffers = { powers = [32, 256] }\n";
    let text = |performers: &str| {
        singer("", "")
            .replace("mic_m = 0 }]", "mic_m = 0, needs_software = true }]")
            .replace("phase = [{ kind = \"tracking\", performers = [\"ada\"] }]", performers)
    };
    let p = planned(
        &two,
        &text("phase = [{ kind = \"tracking\", performers = [\"ada\"] }, { kind = \"mixing\" }]"),
    );
    assert!(p.choices.iter().all(|c| c.arrangement.setting.driver == 1.into() && c.missed.is_none()));
    // With mixing alone the larger block has more headroom.
    let p = planned(&two, &text("phase = [{ kind = \"mixing\" }]"));
    assert_eq!(p.choices[0].arrangement.setting.driver, 0.into());
}

#[test]
fn nothing_on_the_frontier_is_beaten_and_all_else_is() {
    let p = planned(EXACT_RIG, &loaded(12, "phase = [{ kind = \"tracking\", performers = [\"ada\"] }]"));
    let trade = &p.choices[0].trade;
    assert_eq!(trade.len(), 7);
    let beats = |a: &swiftloop_core::plan::TradePoint, b: &swiftloop_core::plan::TradePoint| {
        a.round_trip <= b.round_trip
            && a.dropouts <= b.dropouts
            && (a.round_trip < b.round_trip || a.dropouts < b.dropouts)
    };
    for point in trade {
        assert_eq!(point.on_frontier, !trade.iter().any(|other| beats(other, point)), "{point:?}");
    }
    assert_eq!(p.choices[0].alternatives.len(), 6, "every other setting has its reason");
    assert!(
        p.choices[0].alternatives.iter().all(|a| a.arrangement.setting != p.choices[0].arrangement.setting)
    );
}

#[test]
fn more_device_blocks_have_a_price() {
    let counted = EXACT_RIG
        .replace(
            "buffers = { powers = [32, 2048] }",
            "buffers = { blocks = { counts = [2, 3], frames = [64, 128] } }",
        )
        .replace("blocks_out = 2\n", "");
    let p = planned(&counted, &loaded(1, "phase = [{ kind = \"tracking\", performers = [\"ada\"] }]"));
    assert_eq!((p.choices[0].arrangement.setting.buffer.count, p.choices[0].effort), (Some(2), 0));
}

#[test]
fn the_plan_does_not_depend_on_who_does_the_work() {
    struct Backwards;
    impl Workers for Backwards {
        fn map<T: Send, R: Send>(&self, items: Vec<T>, each: impl Fn(T) -> R + Sync + Send) -> Vec<R> {
            let mut answers: Vec<R> = items.into_iter().rev().map(each).collect();
            answers.reverse();
            answers
        }
    }
    let rig = rig(EXACT_RIG);
    let session = session(
        &loaded(20, "phase = [{ kind = \"tracking\", performers = [\"ada\"] }, { kind = \"mixing\" }]"),
        &rig,
    );
    let (a, b) = (plan(context(&rig, &session), &OneByOne), plan(context(&rig, &session), &Backwards));
    for (x, y) in a.choices.iter().zip(&b.choices) {
        assert_eq!((&x.arrangement, x.effort), (&y.arrangement, y.effort));
    }
}

#[test]
fn what_cannot_ride_the_cue_block_is_left_off_and_named() {
    let text = singer(
        r#"{ id = "view", kind = "analyser", cost = "light" }, { id = "tune", latency_frames = 400, low_delay_frames = 20, cost = "light" }"#,
        r#"{ id = "box", kind = "insert", cost = "light" }"#,
    )
    .replace("deliver =", "engine = { renders_ahead = true, roll_frames = [1024] }\ndeliver =")
    .replace("plays = \"voice\",", "plays = \"voice\", needs_software = true, ");
    let rig_file = rig(EXACT_RIG);
    let session_file = session(&text, &rig_file);
    let problem = PhaseProblem::new(context(&rig_file, &session_file), 0.into(), 0.into(), crate::common::HZ);
    let forced: Vec<&str> = problem
        .memory
        .forced_by_roll
        .as_ref()
        .expect("all have a way out")
        .iter()
        .map(|&r| problem.question.remedies[r].id.as_str())
        .collect();
    // For what can ride in two ways the search decides.
    assert_eq!(forced, ["hide-view:view", "bypass-main:box"]);
    // Whoever can go direct hears none of it then.
    let free = session(&text.replace("needs_software = true, ", ""), &rig_file);
    let problem = PhaseProblem::new(context(&rig_file, &free), 0.into(), 0.into(), crate::common::HZ);
    assert_eq!(problem.memory.forced_by_roll, Ok(vec![]));
    assert_eq!(problem.memory.live_blockers.len(), 3);
    let kept = text.replace("performers = [\"ada\"] }]", "performers = [\"ada\"], keep = [\"box\"] }]");
    let session_file = session(&kept, &rig_file);
    let problem = PhaseProblem::new(context(&rig_file, &session_file), 0.into(), 0.into(), crate::common::HZ);
    let stuck = problem.memory.forced_by_roll.clone().expect_err("it is kept");
    assert_eq!(session_file.processor(stuck).id, "box");
}

#[test]
fn a_miss_names_what_binds() {
    let mixing = "phase = [{ kind = \"mixing\" }]";
    let binding = |rig_text: &str, session_text: &str| {
        let p = planned(rig_text, session_text);
        p.choices[0].missed.clone().expect("impossible")
    };
    let starved = EXACT_RIG.replace("memory_gb = 16", "memory_gb = 1");
    assert!(matches!(binding(&starved, &loaded(1, mixing)), HeldBackBy::Memory(_)));
    let slow_disk = EXACT_RIG.replace("disk_mb_per_s = 400", "disk_mb_per_s = 0.01");
    assert!(matches!(binding(&slow_disk, &loaded(3, mixing)), HeldBackBy::Disk(_)));
    // One chain that no remedy touches, on many cores: the chain binds, and it is named.
    let chain = singer("", "{ id = \"m\", cost = { per_call_ns = 100, per_frame_ns = 30000 } }")
        .replace("phase = [{ kind = \"tracking\", performers = [\"ada\"] }]", mixing);
    let HeldBackBy::Work { bound_by: BoundBy::Chain, chain: nodes, .. } = binding(EXACT_RIG, &chain) else {
        panic!()
    };
    assert_eq!(nodes.len(), 2);
    // Much work on many tracks with nothing to take away: the cores bind.
    let tracks: String = (0..60)
        .map(|i| format!("{{ id = \"y{i}\", source = \"disk\", processor = [{{ id = \"q{i}\", cost = {{ per_call_ns = 100, per_frame_ns = 3000 }} }}] }}, "))
        .collect();
    let keep: String = (0..60).map(|i| format!("\"y{i}\", ")).collect();
    let wide = singer("", "").replace("track = [", &format!("track = [{tracks}")).replace(
        "phase = [{ kind = \"tracking\", performers = [\"ada\"] }]",
        &format!("phase = [{{ kind = \"mixing\", keep = [{keep}] }}]"),
    );
    assert!(matches!(binding(EXACT_RIG, &wide), HeldBackBy::Work { bound_by: BoundBy::Cores, .. }));
}

#[test]
fn a_nearest_miss_names_one_change_for_one_processor() {
    // Nothing is enough for a limit of a millisecond: what is tried is not tried twice over on one processor.
    let tune = r#"{ id = "tune", latency_frames = 2000, low_delay_frames = 64, cost = "light" }"#;
    let text = singer(tune, "").replace("mic_m = 0 }]", "mic_m = 0, limit_ms = 1, needs_software = true }]");
    let p = planned(EXACT_RIG, &text);
    assert!(p.choices[0].missed.is_some());
    let on_it: Vec<&str> = p.choices[0]
        .report
        .remedies
        .iter()
        .map(|r| r.id.as_str())
        .filter(|id| id.ends_with(":tune"))
        .collect();
    assert_eq!(on_it, ["bypass:tune"]);
}
