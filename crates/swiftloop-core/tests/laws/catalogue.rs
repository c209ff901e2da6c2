//! What was weighed, in a session: what was written wins; on the machine that weighed it a processor takes what it took there,
//! whatever speed the rig says; on another one what it takes lies between its two yardsticks.

use crate::common::EXACT_RIG;
use crate::common::{described, rig_from, tables};
use swiftloop_core::catalogue::{
    Catalogue, Entry, OnMachine, PlannedMachine, ProcessorKey, Used, WEIGHED, fill,
};
use swiftloop_core::load::{burst_cycle, processor_cost};
use swiftloop_core::rig::Rig;
use swiftloop_core::session::{CostKnown, Session};
use swiftloop_measure::weigh::{AtRate, Bursts, DelayAt, NanosRange, ProcessorDelay, VoiceCost, Yardsticks};
use swiftloop_units::ids::ProcessorId;
use swiftloop_units::{Block, Hz};

const HERE: &str = "a core of ours";

fn exact(x: f64) -> NanosRange {
    NanosRange { low: x, typical: x, high: x }
}

fn at(rate_hz: u32, call: f64, frame: f64) -> AtRate {
    AtRate {
        rate_hz,
        per_call_ns: Some(exact(call)),
        per_frame_ns: Some(exact(frame)),
        quiet_per_frame_ns: Some(exact(frame / 4.0)),
        quiet_per_call_ns: Some(exact(call / 4.0)),
        swept: None,
        crowded: None,
        unflushed: None,
        voices: None,
        undisturbed: None,
        burst: None,
        delay: ProcessorDelay {
            measured_frames: Some(64.0),
            reported_frames: Some(60.0),
            readable: true,
            by_block: vec![],
        },
        yardsticks: SLOW,
    }
}

const SLOW: Yardsticks = Yardsticks { latency_ns: 4.0, throughput_ns: 0.2 };

fn entry(is: &str, machine: &str, rates: Vec<AtRate>) -> Entry {
    Entry {
        key: ProcessorKey { is: is.into(), version: None, library: "x".into(), settings: None },
        name: None,
        channels: [2, 2],
        status: WEIGHED.into(),
        why: None,
        on: vec![OnMachine { machine: machine.into(), date: "2026-01-02".into(), yardsticks: SLOW, rates }],
    }
}

fn catalogue(entries: Vec<Entry>) -> Catalogue {
    Catalogue { entries, ..Catalogue::default() }
}

/// A rig whose processor is ours, at this speed; `more` of its machine.
fn rig(more: &str) -> Rig {
    let more = more.replace(", paced", "\npaced");
    let text = EXACT_RIG.replacen(
        "[machine]",
        &format!("[machine]\nprocessor = \"{HERE}\"\n{}", more.trim_end_matches(',')),
        1,
    );
    assert_ne!(text, EXACT_RIG);
    rig_from(&text).expect("a rig")
}

fn session(rig: &Rig, processor: &str, catalogue: &Catalogue) -> (Session, Vec<Used>) {
    let text = format!(
        "format = \"swiftloop.session/1\"\ntrack = [{{ id = \"a\", channels = 2, processor = [{{ {processor} }}] }}]\n\
         phase = [{{ kind = \"mixing\" }}]\n"
    );
    let mut description = described(&text);
    let used = fill(&mut description, catalogue, &PlannedMachine::of(rig, tables()));
    let session = Session::checked(description, tables()).expect("a session");
    (session, used)
}

/// What the only processor takes in a block on this rig, in µs: low, typical, high.
fn takes(rig: &Rig, session: &Session, block: u32, channels: u32) -> [f64; 3] {
    let p = ProcessorId::from(0);
    let cost = processor_cost(session.processor(p), session.cost(p), channels, tables());
    let cycle = burst_cycle(Block::new(block), None, cost.typical.internal);
    let mean = |cost: swiftloop_core::load::CallCost| {
        cycle.blocks.iter().map(|b| b.share * cost.in_block(&cycle, &b.served).raw()).sum::<f64>()
    };
    [cost.low, cost.typical, cost.high].map(|c| mean(c) / rig.speed_under(rig.machine.power))
}

#[test]
fn on_its_own_machine_it_takes_what_it_took_whatever_the_speed() {
    let known = catalogue(vec![entry("lv2:x", HERE, vec![at(48_000, 700.0, 12.0)])]);
    for speed in [0.3, 0.8, 1.0, 2.5] {
        let rig = rig(&format!("core_speed = {speed}, paced_cost = [1.5, 1.5, 1.5],"));
        let (session, used) = session(&rig, "id = \"p\", is = \"lv2:x\"", &known);
        assert_eq!(used, [Used::Here]);
        assert_eq!(session.cost(ProcessorId::from(0)).known, CostKnown::Alone);
        for block in [32, 256] {
            let truth = 1.5 * (700.0 + 12.0 * f64::from(block)) / 1e3;
            for (channels, many) in [(1, 1.0), (2, 1.0), (3, 2.0), (6, 3.0)] {
                let [_, typical, _] = takes(&rig, &session, block, channels);
                assert!(
                    (typical - many * truth).abs() < 1e-9 * truth,
                    "{speed} {block} {channels}: {typical}"
                );
            }
        }
        assert_eq!(session.cost(ProcessorId::from(0)).quiet, 0.25);
    }
}

#[test]
fn elsewhere_it_lies_between_the_yardsticks() {
    let known = catalogue(vec![entry("lv2:x", "another core", vec![at(48_000, 0.0, 100.0)])]);
    let rig = rig("core_speed = 1.0, paced_cost = [1.0, 1.0, 1.0],");
    let (session, used) = session(&rig, "id = \"p\", is = \"lv2:x\"", &known);
    assert_eq!(used, [Used::Elsewhere]);
    let reference = Yardsticks::REFERENCE;
    let bounds = [reference.throughput_ns / SLOW.throughput_ns, reference.latency_ns / SLOW.latency_ns];
    let [low, typical, high] = takes(&rig, &session, 1000, 2);
    assert!(
        (low - 100.0 * bounds[0]).abs() < 1e-6 && (high - 100.0 * bounds[1]).abs() < 1e-6,
        "{low} {high}"
    );
    assert!(low < typical && typical < high);
}

#[test]
fn what_was_written_wins_and_what_was_never_weighed_keeps_its_class() {
    let known = catalogue(vec![entry("lv2:x", HERE, vec![at(48_000, 700.0, 12.0), at(96_000, 700.0, 13.0)])]);
    let rig = rig("");
    let p = ProcessorId::from(0);
    let of = |words: &str| session(&rig, words, &known).0;
    let written =
        of("id = \"p\", is = \"lv2:x\", cost = { per_call_ns = 5, per_frame_ns = 7 }, latency_frames = 9");
    assert_eq!(written.cost(p).known, CostKnown::Figures);
    assert_eq!(written.processor(p).latency_frames.raw(), 9.0);
    // A class is only a guess: what was weighed goes before it.
    assert_eq!(of("id = \"p\", is = \"lv2:x\", cost = \"extreme\"").cost(p).known, CostKnown::Alone);
    assert!(matches!(of("id = \"p\", is = \"lv2:y\"").cost(p).known, CostKnown::Class(_)));
    assert_eq!(session(&rig, "id = \"p\", is = \"lv2:y\"", &known).1, [Used::Missing("lv2:y".into())]);
    // The delay is the measured one, at each rate that was weighed.
    let weighed = of("id = \"p\", is = \"lv2:x\"");
    for rate in [48_000, 96_000] {
        let frames = weighed.processor(p).latency(Hz::new(rate), Hz::new(48_000));
        assert_eq!((frames.low().raw(), frames.high().raw()), (64.0, 64.0));
    }
}

#[test]
fn the_same_settings_go_before_those_at_first() {
    let mut own = entry("lv2:x", HERE, vec![at(48_000, 1.0, 50.0)]);
    own.key.settings = Some("abc".into());
    let known = catalogue(vec![entry("lv2:x", HERE, vec![at(48_000, 1.0, 10.0)]), own]);
    let rig = rig("core_speed = 1.0, paced_cost = [1.0, 1.0, 1.0],");
    let frame = |more: &str| {
        let (session, _) = session(&rig, &format!("id = \"p\", is = \"lv2:x\"{more}"), &known);
        takes(&rig, &session, 1000, 2)[1].round()
    };
    assert_eq!(
        (frame(""), frame(", settings = \"abc\""), frame(", settings = \"other\"")),
        (10.0, 50.0, 10.0)
    );
}

/// Bursts come on top of every call, and in the mean every frame is worked on once.
#[test]
fn bursts_come_on_top_of_every_call() {
    for own in [48u32, 480, 1024] {
        let mut x = at(48_000, 200.0, 3.0);
        x.burst = Some(Bursts { frames: own, ns: 90_000.0 });
        let known = catalogue(vec![entry("lv2:x", HERE, vec![x])]);
        let rig = rig("core_speed = 1.0, paced_cost = [1.0, 1.0, 1.0],");
        let (session, _) = session(&rig, "id = \"p\", is = \"lv2:x\"", &known);
        for block in [64u32, 512] {
            let n = f64::from(block);
            let truth = (200.0 + 3.0 * n + 90_000.0 * n / f64::from(own)) / 1e3;
            let typical = takes(&rig, &session, block, 2)[1];
            assert!((typical - truth).abs() < 1e-6 * truth, "{own} {block}: {typical} {truth}");
        }
    }
}

#[test]
fn voices_are_those_of_the_session_up_to_its_own_limit() {
    let mut x = at(48_000, 0.0, 100.0);
    x.voices =
        Some(VoiceCost { base_per_frame_ns: 20.0, per_voice_per_frame_ns: 10.0, limit: Some(16), held: 8 });
    let known = catalogue(vec![entry("lv2:x", HERE, vec![x])]);
    let rig = rig("core_speed = 1.0, paced_cost = [1.0, 1.0, 1.0],");
    for (voices, frame) in [(1, 30.0), (8, 100.0), (12, 140.0), (16, 180.0), (64, 180.0)] {
        let words = format!("id = \"p\", is = \"lv2:x\", voices = {voices}");
        let (session, _) = session(&rig, &words, &known);
        let typical = takes(&rig, &session, 1000, 2)[1];
        assert!((typical - frame).abs() < 1e-6, "{voices}: {typical}");
    }
}

#[test]
fn a_delay_that_depends_on_the_block_is_a_range() {
    let mut x = at(48_000, 1.0, 1.0);
    x.delay.by_block =
        [(32, 32.0), (256, 64.0), (1024, 1024.0)].map(|(block, frames)| DelayAt { block, frames }).into();
    let (session, _) =
        session(&rig(""), "id = \"p\", is = \"lv2:x\"", &catalogue(vec![entry("lv2:x", HERE, vec![x])]));
    let frames = session.processor(ProcessorId::from(0)).latency(Hz::new(48_000), Hz::new(48_000));
    assert_eq!([frames.low(), frames.typical(), frames.high()].map(|f| f.raw()), [32.0, 64.0, 1024.0]);
}

#[test]
fn what_is_put_in_joins_what_was_there() {
    let mut all = Catalogue::default();
    all.put(entry("lv2:x", HERE, vec![at(48_000, 1.0, 1.0)]));
    all.put(entry("lv2:x", HERE, vec![at(96_000, 1.0, 1.0)]));
    all.put(entry("lv2:x", "another", vec![at(48_000, 2.0, 2.0)]));
    all.put(entry("lv2:x", HERE, vec![at(48_000, 3.0, 3.0)]));
    let key = entry("lv2:x", HERE, vec![]).key;
    assert_eq!(all.entries.len(), 1);
    let rates = |machine: &str| {
        let on = all.entry(&key).and_then(|e| e.on_machine(machine)).expect("a machine");
        on.rates.iter().map(|r| (r.rate_hz, r.per_call_ns.map_or(0.0, |s| s.typical))).collect::<Vec<_>>()
    };
    assert_eq!(rates(HERE), [(48_000, 3.0), (96_000, 1.0)]);
    assert_eq!(rates("another"), [(48_000, 2.0)]);
    assert!(all.knows(&key, HERE, &[48_000, 96_000]) && !all.knows(&key, "another", &[96_000]));
    // What fails now is known to fail, and nobody plans with it.
    let failed = Entry { status: "crashed".into(), ..entry("lv2:x", HERE, vec![]) };
    all.put(failed);
    assert!(all.knows(&key, "any", &[48_000]) && all.meant("lv2:x", None).is_none());
}
