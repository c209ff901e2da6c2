//! Loops by their laws: closed forms to the frame, and what can never happen.

use crate::common::{EXACT_RIG, HZ, arrangement, context, rig, session, singer};
use proptest::prelude::*;
use swiftloop_core::loops::{DelayVerdict, LegKind, LoopKind, Remeasure};
use swiftloop_core::plan::{Evaluation, PhaseProblem, Report, report};
use swiftloop_units::ids::RemedyId;
use swiftloop_units::{Frames, Origin};

/// The report of a phase at a block, with remedies by id.
fn at(rig_text: &str, session_text: &str, phase: usize, block: u32, remedies: &[&str]) -> Report {
    let rig = rig(rig_text);
    let session = session(session_text, &rig);
    let problem = PhaseProblem::new(context(&rig, &session), 0.into(), phase.into(), HZ);
    let evaluation = Evaluation::new(&problem, arrangement(&problem, block, None, 4));
    let chosen: Vec<RemedyId> = remedies
        .iter()
        .map(|id| {
            problem.question.remedies.iter().position(|r| r.id == *id).expect("the remedy applies").into()
        })
        .collect();
    report(&evaluation, &chosen)
}

fn frames(report: &Report) -> f64 {
    report.loops[0].total.typical().frames_at(HZ).raw()
}

/// JACK's fixed overhead in the table, both ways, in frames.
fn overhead() -> f64 {
    let model = crate::common::tables().driver_model("jack").expect("in the table");
    (model.fixed_in_ms.typical() + model.fixed_out_ms.typical()).frames_at(HZ).raw()
}

#[test]
fn the_sum_is_right_to_the_frame() {
    // One block in and two out of 128, converters 40 + 30, safety 8 + 8, a look-ahead of 64 on the main output.
    let r =
        at(EXACT_RIG, &singer("", r#"{ id = "look", latency_frames = 64, cost = "light" }"#), 0, 128, &[]);
    let expected = 128.0 + 2.0 * 128.0 + 40.0 + 30.0 + 8.0 + 8.0 + 64.0 + overhead();
    assert!((frames(&r) - expected).abs() < 1e-9, "{} {expected}", frames(&r));
    assert_eq!(r.loops[0].kind, LoopKind::Sound);
}

#[test]
fn a_block_of_its_own_costs_b_minus_gcd() {
    let plain = frames(&at(EXACT_RIG, &singer("", ""), 0, 128, &[]));
    for (own, extra) in [(128, 0.0), (64, 0.0), (256, 128.0), (192, 128.0), (100, 96.0)] {
        let text =
            singer("", "").replace("deliver =", &format!("engine = {{ block_frames = {own} }}\ndeliver ="));
        assert!((frames(&at(EXACT_RIG, &text, 0, 128, &[])) - plain - extra).abs() < 1e-9, "{own}");
    }
}

#[test]
fn the_longest_branch_counts_with_compensation_and_the_direct_one_without() {
    let text = |compensated: bool| {
        format!(
            r#"
format = "swiftloop.session/1"
deliver = {{ rate_hz = 48000 }}
engine = {{ delay_compensation = {compensated} }}
track = [{{ id = "voice", source = "live", sends = [{{ to = "room" }}],
  processor = [{{ id = "a", latency_frames = 10, cost = "light" }}] }}]
bus = [{{ id = "room", processor = [{{ id = "b", latency_frames = 500, cost = "light" }}] }}]
performer = [{{ id = "ada", plays = "voice", listens = "headphones", hears = ["voice"], mic_m = 0 }}]
phase = [{{ kind = "tracking", performers = ["ada"] }}]
"#
        )
    };
    let plain = frames(&at(EXACT_RIG, &singer("", ""), 0, 64, &[]));
    assert!((frames(&at(EXACT_RIG, &text(true), 0, 64, &[])) - plain - 510.0).abs() < 1e-9);
    assert!((frames(&at(EXACT_RIG, &text(false), 0, 64, &[])) - plain - 10.0).abs() < 1e-9);
}

#[test]
fn measured_round_trips_beat_what_is_declared() {
    let measured = "measured = [{ rate_hz = 48000, buffer_frames = 64, round_trip_frames = 400 },\n \
                    { rate_hz = 48000, buffer_frames = 256, round_trip_frames = 1168 }]\n";
    // k = 4, c = 144: at 128 the loop is 656 frames, whatever the description says.
    let r = at(&format!("{EXACT_RIG}{measured}"), &singer("", ""), 0, 128, &[]);
    assert!((frames(&r) - 656.0).abs() < 1e-9, "{}", frames(&r));
    assert!(
        r.loops[0]
            .legs
            .iter()
            .filter(|l| matches!(l.kind, LegKind::MeasuredBlocks | LegKind::MeasuredFixed))
            .all(|l| l.origin == Origin::Measured)
    );
    let one = "measured = [{ rate_hz = 48000, buffer_frames = 128, round_trip_frames = [500, 510, 530] }]\n";
    let r = at(&format!("{EXACT_RIG}{one}"), &singer("", ""), 0, 128, &[]);
    assert_eq!(r.loops[0].total.typical().frames_at(HZ), Frames::new(510.0));
    // At another buffer the fixed part stays and the model's three blocks change.
    let r = at(&format!("{EXACT_RIG}{one}"), &singer("", ""), 0, 256, &[]);
    assert!((frames(&r) - (510.0 + 3.0 * 128.0)).abs() < 1e-9);
}

#[test]
fn keys_do_not_pass_the_input_converter() {
    let text = |timing: &str, link: &str| {
        format!(
            r#"
format = "swiftloop.session/1"
deliver = {{ rate_hz = 48000 }}
engine = {{ note_timing = "{timing}" }}
track = [{{ id = "harp", source = "instrument", processor = [{{ id = "i", kind = "instrument", cost = "light" }}] }}]
performer = [{{ id = "dee", plays = "keys", listens = "headphones", hears = ["harp"], keys = "{link}", key_scan_ms = 1 }}]
phase = [{{ kind = "tracking", performers = ["dee"] }}]
"#
        )
    };
    let r = at(EXACT_RIG, &text("stamped", "5-pin"), 0, 128, &[]);
    let l = &r.loops[0];
    assert_eq!(l.kind, LoopKind::Keys);
    assert!(l.legs.iter().all(|leg| !matches!(leg.kind, LegKind::ConverterIn | LegKind::CaptureBlocks)));
    // Three bytes of ten bits at 31.25 kbaud are 0.96 ms.
    let cable = l.legs.iter().find(|leg| leg.kind == LegKind::MidiCable).expect("a cable");
    assert!((cable.span.typical().raw() - 0.96).abs() < 1e-12);
    let timing = |r: &Report| {
        r.loops[0].legs.iter().find(|leg| leg.kind == LegKind::EventTiming).expect("timing").span
    };
    assert_eq!(timing(&r).spread().raw(), 0.0);
    let wavers = timing(&at(EXACT_RIG, &text("next-block", "usb"), 0, 128, &[]));
    assert_eq!(wavers.low().raw(), 0.0);
    assert!((wavers.high().frames_at(HZ).raw() - 128.0).abs() < 1e-9);
}

#[test]
fn direct_monitoring_does_not_depend_on_the_buffer() {
    for block in [32, 2048] {
        let r = at(EXACT_RIG, &singer("", ""), 0, block, &["direct:ada"]);
        assert_eq!(r.loops[0].kind, LoopKind::Direct);
        assert!((frames(&r) - 74.0).abs() < 1e-9);
    }
}

#[test]
fn verdicts_follow_from_the_whole_range() {
    let wide = EXACT_RIG.replace("safety_in_frames = 8", "safety_in_frames = [0, 8, 200]");
    let verdict = |block| at(&wide, &singer("", ""), 0, block, &[]).loops[0].verdict();
    // 4.4 to 8.4 ms where 6 are noticed and 12 too late; and 21 to 25.
    assert_eq!(verdict(32), DelayVerdict::Playable);
    assert_eq!(verdict(512), DelayVerdict::Late);
    assert_eq!(at(EXACT_RIG, &singer("", ""), 0, 32, &[]).loops[0].verdict(), DelayVerdict::Immediate);
}

#[test]
fn a_processor_switched_off_but_loaded_may_hold_its_delay() {
    let off = r#"{ id = "old", latency_frames = 256, cost = "light", state = "off" }"#;
    let r = at(EXACT_RIG, &singer(off, ""), 0, 64, &[]);
    assert!((r.loops[0].total.spread().frames_at(HZ).raw() - 256.0).abs() < 30.0);
    let unloaded = at(EXACT_RIG, &singer(off, ""), 0, 64, &["unload:old"]);
    assert!((frames(&r) - frames(&unloaded) - 256.0).abs() < 1e-9);
}

#[test]
fn a_place_at_another_rate_adds_a_resampler_where_the_driver_resamples() {
    let place = |model: &str| {
        let rig = EXACT_RIG.replace("model = \"jack\"", &format!("model = \"{model}\""));
        format!(
            "{rig}\n[[place]]\nname = \"system playback\"\nkind = \"system-playback\"\ninterface = \"box\"\nrate_hz = 44100\n"
        )
    };
    let has = |model: &str| {
        at(&place(model), &singer("", ""), 0, 256, &[]).loops[0]
            .legs
            .iter()
            .any(|l| l.kind == LegKind::Resampler)
    };
    assert!(has("pipewire"));
    assert!(!has("jack"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn a_larger_buffer_never_shortens_a_loop_and_ranges_hold_their_typical(
        model in prop::sample::select(vec!["asio", "alsa", "jack", "pipewire", "core-audio", "wdm-ks", "asio-wrapped"]),
        latencies in prop::collection::vec(0u32..3000, 0..4),
        listens in prop::sample::select(vec!["headphones", "in-ears", "speakers"]),
    ) {
        let processors: Vec<String> =
            latencies.iter().enumerate().map(|(i, l)| format!("{{ id = \"p{i}\", latency_frames = {l}, cost = \"light\" }}")).collect();
        let text = singer(&processors.join(", "), "").replace("\"headphones\"", &format!("\"{listens}\""));
        let rig = EXACT_RIG.replace("model = \"jack\"", &format!("model = \"{model}\"")).replace("blocks_in = 1\nblocks_out = 2\n", "");
        let mut last = 0.0;
        for block in [64, 128, 256, 512, 1024, 2048] {
            let r = at(&rig, &text, 0, block, &[]);
            let total = r.loops[0].total;
            prop_assert!(total.low() <= total.typical() && total.typical() <= total.high());
            for leg in &r.loops[0].legs {
                prop_assert!(leg.span.low() <= leg.span.typical() && leg.span.typical() <= leg.span.high());
            }
            prop_assert!(total.typical().raw() >= last);
            last = total.typical().raw();
        }
    }

    #[test]
    fn leaving_a_processor_off_never_lengthens_a_loop(latencies in prop::collection::vec(0u32..3000, 1..5), which in 0usize..4) {
        let processors: Vec<String> =
            latencies.iter().enumerate().map(|(i, l)| format!("{{ id = \"p{i}\", latency_frames = {l}, cost = \"light\" }}")).collect();
        let text = singer(&processors.join(", "), "");
        let id = format!("bypass:p{}", which % latencies.len());
        prop_assert!(frames(&at(EXACT_RIG, &text, 0, 64, &[&id])) <= frames(&at(EXACT_RIG, &text, 0, 64, &[])) + 1e-9);
    }
}

#[test]
fn drivers_are_ranked_live_ones_first_and_shortest_first() {
    let drivers = ["mme", "wasapi-shared", "asio-wrapped", "wasapi-exclusive"].map(|m| {
        format!(
            "[[interface.driver]]\nmodel = \"{m}\"\nrates_hz = [48000]\nbuffers = {{ powers = [32, 2048] }}\n"
        )
    });
    let rig = rig(&format!("{EXACT_RIG}{}", drivers.concat()));
    let session = session(&singer("", ""), &rig);
    let b = context(&rig, &session);
    let ranked = swiftloop_core::loops::ranked_drivers(&b, 0.into(), HZ);
    let words: Vec<&str> = ranked.iter().map(|d| b.driver(&d.setting).id()).collect();
    assert_eq!(words[0], "jack");
    assert_eq!(words.len(), 5);
    let live = ranked.iter().take_while(|d| d.live).count();
    assert!(live == 3 && ranked[live..].iter().all(|d| !d.live), "{words:?}");
    assert!(ranked[..live].windows(2).all(|w| w[0].round_trip.typical() <= w[1].round_trip.typical()));
    // JACK at its smallest buffer: three blocks of 32, converters, safety.
    let expected = 3.0 * 32.0 + 70.0 + 16.0 + overhead();
    assert!((ranked[0].round_trip.typical().frames_at(HZ).raw() - expected).abs() < 1e-9);
    // The oldest interfaces are worse by a factor of ten.
    assert!(ranked[4].round_trip.typical().raw() > 10.0 * ranked[0].round_trip.typical().raw());
}

#[test]
fn the_phase_s_limit_beats_the_performer_s_and_that_the_table_s() {
    let limit = |text: &str| at(EXACT_RIG, text, 0, 64, &[]).loops[0].limit.as_ref().map(|l| l.noticed.raw());
    let plain = singer("", "");
    assert_eq!(limit(&plain), Some(6.0));
    let own = plain.replace("mic_m = 0 }", "mic_m = 0, limit_ms = 9 }");
    assert_eq!(limit(&own), Some(9.0));
    let phase =
        own.replace("performers = [\"ada\"] }", "performers = [\"ada\"], limits_ms = { ada = 4.5 } }");
    assert_eq!(limit(&phase), Some(4.5));
    // Each way to listen has its own column.
    assert_eq!(limit(&plain.replace("\"headphones\"", "\"speakers\"")), Some(12.0));
    assert_eq!(limit(&plain.replace("\"voice\", listens", "\"pads\", listens")), Some(24.0));
    // Nobody performs: nothing to keep to.
    assert_eq!(
        limit(&plain.replace("performers = [\"ada\"] }", "}").replace("tracking\", }", "tracking\" }")),
        None
    );
}

#[test]
fn speakers_add_the_air_and_distance_is_343_metres_a_second() {
    let near = singer("", "")
        .replace("\"headphones\"", "\"speakers\"")
        .replace("mic_m = 0 }", "mic_m = 0.343, speaker_m = 3.43 }");
    let far = at(EXACT_RIG, &near, 0, 64, &[]);
    let air =
        |kind: LegKind| far.loops[0].legs.iter().find(|l| l.kind == kind).expect("air").span.typical().raw();
    assert!((air(LegKind::AirIn) - 1.0).abs() < 1e-9);
    assert!((air(LegKind::AirOut) - 10.0).abs() < 1e-9);
}

#[test]
fn a_report_is_believed_but_not_beyond_what_reports_leave_out() {
    let reported = "reported = [{ rate_hz = 48000, buffer_frames = 64, in_frames = 80, out_frames = 144 }]\n";
    let r = at(&format!("{EXACT_RIG}{reported}"), &singer("", ""), 0, 64, &[]);
    assert!((frames(&r) - (80.0 + 144.0 + 70.0)).abs() < 1e-9);
    let legs = &r.loops[0].legs;
    assert_eq!(legs.iter().filter(|l| l.origin == Origin::Reported).count(), 2);
    // The doubt of a report goes one way only: up.
    assert!(
        legs.iter()
            .filter(|l| l.origin == Origin::Reported)
            .all(|l| l.span.low() == l.span.typical() && l.span.high() > l.span.typical())
    );
    // At another buffer nothing was reported.
    let other = at(&format!("{EXACT_RIG}{reported}"), &singer("", ""), 0, 128, &[]);
    assert!(other.loops[0].legs.iter().all(|l| l.origin != Origin::Reported));
}

#[test]
fn the_cursor_s_offset_is_the_way_out_alone() {
    let r =
        at(EXACT_RIG, &singer("", "{ id = \"look\", latency_frames = 500, cost = \"light\" }"), 0, 128, &[]);
    let table = crate::common::tables();
    let out = table
        .driver_model("jack")
        .map(|m| m.fixed_out_ms.typical().frames_at(HZ).raw())
        .expect("in the table");
    // Two blocks, the converter, the safety frames; the main output's look-ahead is compensated by starting early.
    assert!((r.cursor.total.typical().frames_at(HZ).raw() - (256.0 + 30.0 + 8.0 + out)).abs() < 1e-9);
}

#[test]
fn the_split_of_a_measured_round_trip_is_not_called_measured() {
    let one = "measured = [{ rate_hz = 48000, buffer_frames = 128, round_trip_frames = 510 }]\n";
    let r = at(&format!("{EXACT_RIG}{one}"), &singer("", ""), 0, 128, &[]);
    let out = &r.cursor.legs[0];
    assert_eq!((out.kind, out.origin), (LegKind::WayOut, Origin::Assumed));
    // Neither way is longer than the whole, and the typical share is the described one: 294 of 470 frames and overheads.
    assert!(out.span.high().frames_at(HZ).raw() <= 510.0);
    let (outward, whole) = (256.0 + 30.0 + 8.0 + overhead() / 2.0, 470.0 + overhead());
    assert!((out.span.typical().frames_at(HZ).raw() - 510.0 * outward / whole).abs() < 0.5);
    assert!(r.cursor.widest_doubt().is_some_and(|d| d.remeasure == Remeasure::Split));
}

#[test]
fn a_measured_trip_shorter_than_its_blocks_never_makes_a_negative_leg() {
    // One trip at a large buffer that leaves less than nothing for the fixed part at three blocks.
    let short = "measured = [{ rate_hz = 48000, buffer_frames = 512, round_trip_frames = 1100 }]\n";
    for block in [32, 64, 512, 2048] {
        let r = at(&format!("{EXACT_RIG}{short}"), &singer("", ""), 0, block, &[]);
        for l in r.loops.iter().chain([&r.cursor]) {
            assert!(l.legs.iter().all(|leg| leg.span.low().raw() >= 0.0), "{block}: {:?}", l.legs);
            assert!(l.total.low().raw() >= 0.0 && l.total.low() <= l.total.high());
        }
    }
}

#[test]
fn measured_trips_mean_the_same_in_any_order() {
    let trip =
        |frames: f64| format!("{{ rate_hz = 48000, buffer_frames = 128, round_trip_frames = {frames} }}");
    let orders = [[400.0, 410.0, 420.0], [420.0, 400.0, 410.0], [410.0, 420.0, 400.0]];
    for order in orders {
        let measured = format!("measured = [{}]\n", order.map(trip).join(", "));
        let r = at(&format!("{EXACT_RIG}{measured}"), &singer("", ""), 0, 128, &[]);
        assert!((frames(&r) - 410.0).abs() < 1e-9, "{order:?}: {}", frames(&r));
    }
}
