//! Every turn that the answers about traces can take, on made-up ones: real ones depend on the machine.

use super::compare_text::Compared;
#[cfg(target_os = "linux")]
use super::record_text;
use super::record_text::Recorded;
use super::{TraceRead, compare_text};
use crate::shared::answer::Detail;
use crate::shared::page::paint;
use std::path::Path;
use swiftloop_files::trace::{EventKindsSeen, TraceReading};
use swiftloop_measure::trace::{
    BlockStage, BlockStages, ChangedThief, Core, Holder, HolderKind, LateBlock, MatchedCrackles, Pid, Thread,
    TraceComparison, TraceSpan, TraceSummary, Who, rank,
};

/// As on a terminal, without its colours; no line is wider than the page but those that are commands.
fn plain(text: &str) -> String {
    let text = anstream::adapter::strip_str(&paint(text)).to_string();
    for line in text.lines().filter(|l| !l.starts_with("  swiftloop") && !l.starts_with("  chrt")) {
        assert!(line.chars().count() <= 80, "{line}");
    }
    text
}

fn who(kind: HolderKind, name: &str) -> Who {
    Who { kind, name: name.into() }
}

/// A block that was late by these holders, in microseconds.
fn late(reading: &mut TraceReading, holders: &[(HolderKind, &str, f64)]) -> LateBlock {
    let held = |(kind, name, us): &(HolderKind, &str, f64)| {
        let took = TraceSpan::from_us(*us);
        Holder { who: who(*kind, name), took, extra: took }
    };
    let holders: Vec<Holder> = holders.iter().map(held).collect();
    let thief = holders[0].who.clone();
    LateBlock {
        thread: Thread { pid: Pid(70), name: reading.names.of("mixer") },
        core: Core(1),
        way: BlockStages::default(),
        took: TraceSpan(holders.iter().map(|h| h.took.0).sum()),
        allowed: TraceSpan::from_us(133.0),
        by_deadline: false,
        grew: BlockStage::WokenToScheduled,
        holders,
        thief,
        lost: false,
        noticed: None,
        lanes: vec![],
    }
}

/// A reading of these blocks; each is a list of holders.
fn reading(blocks: &[&[(HolderKind, &str, f64)]]) -> TraceReading {
    let seen = EventKindsSeen {
        switches: true,
        wakings: true,
        interrupts: true,
        soft: true,
        timers: true,
        counted: true,
    };
    let mut reading = TraceReading { seen, ..TraceReading::default() };
    let all: Vec<LateBlock> = blocks.iter().map(|b| late(&mut reading, b)).collect();
    let ranking = rank(&all);
    reading.told = TraceSummary {
        events: 1000,
        marks: all.len() as u64,
        late_count: all.len() as u64,
        late: all,
        ranking,
        ..TraceSummary::default()
    };
    reading
}

fn told(reading: &TraceReading) -> String {
    let file = Path::new("trace.txt");
    plain(&super::read_text::show(
        &TraceRead { file, reading, thread: None, heard: None, chosen: None },
        Detail::Screen,
    ))
}

#[test]
fn several_late_blocks_get_a_ranking() {
    let net: &[(HolderKind, &str, f64)] =
        &[(HolderKind::SoftirqNet, "NET_RX: wlp2s0", 400.0), (HolderKind::OwnWork, "mixer", 9.0)];
    let host: &[(HolderKind, &str, f64)] = &[(HolderKind::Host, swiftloop_measure::trace::HOST, 3000.0)];
    let both: &[(HolderKind, &str, f64)] = &[
        (HolderKind::Priority, "capture", 100.0),
        (HolderKind::Softirq, "BLOCK", 95.0),
        (HolderKind::Idle, "idle", 40.0),
    ];
    insta::assert_snapshot!("ranking", told(&reading(&[net, net, net, host, both])));
}

#[test]
fn one_that_needs_two_together_says_so() {
    let both: &[(HolderKind, &str, f64)] = &[
        (HolderKind::Priority, "capture", 100.0),
        (HolderKind::Softirq, "BLOCK", 95.0),
        (HolderKind::Idle, "idle", 40.0),
    ];
    let said = told(&reading(&[both]));
    assert!(
        said.starts_with("One block was late; no single thief: it would have been in time only without"),
        "{said}"
    );
    let nobody: &[(HolderKind, &str, f64)] = &[(HolderKind::Unknown, "events that were lost", 900.0)];
    let said = told(&reading(&[nobody]));
    assert!(said.contains("the trace does not show that anything") && said.contains("larger ring"), "{said}");
}

#[test]
fn all_that_is_wrong_with_a_trace_is_said() {
    let net: &[(HolderKind, &str, f64)] = &[(HolderKind::SoftirqNet, "NET_RX", 400.0)];
    let mut poor = reading(&[net]);
    poor.seen = EventKindsSeen { switches: true, ..EventKindsSeen::default() };
    poor.unread = 3;
    poor.first_unread = Some((17, "what is this".into()));
    poor.unknown.insert("a_new_event".into(), 12);
    poor.too_late = 5;
    poor.told.lost = 345;
    (poor.told.apart, poor.told.marks, poor.told.unreadable, poor.told.clock_jumps) = (1, 4, 2, 1);
    poor.told.late_count = 9;
    insta::assert_snapshot!("poor", told(&poor));
    let heard = MatchedCrackles { began: 12.5, blocks: vec![0], crackles: 9, by_chance: 0.7 };
    for heard in [Some(Some(&heard)), Some(None)] {
        let read =
            TraceRead { file: Path::new("t.txt"), reading: &poor, thread: None, heard, chosen: Some(0) };
        let said = plain(&super::read_text::show(&read, Detail::Full));
        let word =
            if read.heard == Some(None) { "do not fit together" } else { "9 of the recording's crackles" };
        assert!(said.contains(word) && said.contains("The late block"), "{said}");
    }
}

#[test]
fn before_and_after_take_five_turns() {
    let files = [Path::new("before.txt"), Path::new("after.txt")];
    let shown = |late: [u64; 2], by_chance| {
        let who = who(HolderKind::SoftirqNet, "NET_RX: wlp2s0");
        let thieves = if late == [0, 0] { vec![] } else { vec![ChangedThief { who, late, by_chance }] };
        let found = TraceComparison { hours: [0.5, 0.5], late, by_chance, thieves };
        let compared = Compared { files, found: &found };
        let value = compare_text::json(&compared);
        assert_eq!(value["before"]["late_per_hour"], 2.0 * late[0] as f64);
        plain(&compare_text::show(&compared))
    };
    insta::assert_snapshot!("cured", shown([40, 0], 1e-9));
    insta::assert_snapshot!("better", shown([40, 6], 1e-6));
    let said = shown([6, 40], 1e-6);
    assert!(said.starts_with("Worse") && said.contains("Undo the change"), "{said}");
    let said = shown([6, 7], 0.8);
    assert!(said.starts_with("No difference") && said.contains("120 minutes each"), "{said}");
    assert!(shown([0, 0], 1.0).starts_with("No difference"));
}

#[cfg(target_os = "linux")]
#[test]
fn a_recording_tells_what_it_could_not_keep() {
    let all = Recorded {
        file: Path::new("trace.txt"),
        seconds: 7260.0,
        asked_seconds: 28_800.0,
        full_disk: false,
        events: 120_000,
        lost: 0,
        rate: 9_000.0,
        ring_kb: 2048,
        back: Some(2.0),
        wanted_back: 3.0,
        cores: 4,
        missing: &["napi/napi_poll"],
        own_share: 0.002,
        times: 2,
        until: true,
    };
    insta::assert_snapshot!("recorded", plain(&record_text::show(&all)));
    let nothing = plain(&record_text::show(&Recorded { times: 0, seconds: 90.0, back: Some(9.0), ..all }));
    assert!(
        nothing.starts_with("Nothing was noticed in 90.0 s") && nothing.contains("soak --trace"),
        "{nothing}"
    );
    let lossy =
        Recorded { until: false, lost: 30_000, back: None, seconds: 10.0, missing: &[], ..nothing_lost() };
    let said = plain(&record_text::show(&lossy));
    assert!(said.contains("30000 events (20.0 %)") && said.contains("--ring-kb 8192"), "{said}");
    let full = plain(&record_text::show(&Recorded { full_disk: true, ..nothing_lost() }));
    assert!(full.starts_with("The disk is full") && full.contains("another folder"), "{full}");
}

#[cfg(target_os = "linux")]
fn nothing_lost() -> Recorded<'static> {
    Recorded {
        file: Path::new("trace.txt"),
        seconds: 10.0,
        asked_seconds: 10.0,
        full_disk: false,
        events: 120_000,
        lost: 0,
        rate: 9_000.0,
        ring_kb: 2048,
        back: None,
        wanted_back: 3.0,
        cores: 4,
        missing: &[],
        own_share: 0.002,
        times: 0,
        until: false,
    }
}
