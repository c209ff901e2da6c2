//! Every turn that the report of a soak can take, on made-up soaks: the real ones depend on the machine.

use super::{ChangesSince, Soaked, json, show};
use crate::shared::answer::Detail;
use crate::shared::page::paint;
use std::path::Path;
use std::sync::LazyLock;
use swiftloop_core::rig::WakeProfile;
use swiftloop_core::risk::Dropouts;
use swiftloop_core::soak::{
    Decision, Observed, Provenance, Rung, Samples, SoakTest, ValueCounts, compare, learn, smallest,
};
use swiftloop_host::jack::About;
use swiftloop_host::soak::Permission;
use swiftloop_units::{Block, Hz, PerHour, Seconds};

const RATE: Hz = Hz::new(48_000);

/// A minute at one block in which so many blocks of its own were late.
fn rung(frames: u32, late: u64, decision: Decision) -> Rung {
    let blocks = 60 * 48_000 / u64::from(frames);
    let rate = |x: f64| PerHour::new(x);
    Rung {
        block: Block::new(frames),
        rate: RATE,
        observed: Observed { blocks, late, runs: late, lasted: Seconds::new(60.0) },
        wake_us: ValueCounts::new([(4.0, blocks - 40), (18.0, 39), (310.0, 1)]),
        exec_us: ValueCounts::new([(420.0, blocks - 2), (990.0, 2)]),
        predicted: Dropouts { low: rate(0.5), typical: rate(3.0), high: rate(40.0) },
        decision,
    }
}

/// What a quiet minute teaches, with delays so many times as long.
fn profile(longer: f64) -> WakeProfile {
    let delays = (1..20_000u32).map(|i| (4.0 - 3.0 * longer * (f64::from(i) / 20_000.0).ln(), 1));
    let heard = Samples { wakes: ValueCounts::new(delays), ..Samples::default() };
    let about =
        Provenance { date: "2026-03-01".into(), core_speed: Some(1.2 / longer), ..Provenance::default() };
    learn(&heard, &about).unwrap()
}

static GRANTED: Permission = Permission { realtime: true, locked: true, refused: Vec::new() };
static LEARNED: LazyLock<WakeProfile> = LazyLock::new(|| profile(1.0));

/// A soak of these rungs with which all went well.
fn soaked(rungs: &[Rung]) -> Soaked<'_> {
    Soaked {
        title: "60 % of the period on each of 2 workers",
        permission: &GRANTED,
        speed: 1.2,
        speed_of_halves: [1.5, 0.96],
        rate: RATE,
        reserve: 1.0,
        question: SoakTest { allowed: PerHour::new(1.0), error: 0.001 },
        show: None,
        ladder: false,
        smallest: None,
        rungs,
        profile: Some(&LEARNED),
        since: None,
        saved: None,
        stopped: false,
        clock_step_s: 0.0,
        workers: 2,
        hardware_threads: 4,
        server: None,
        gone: false,
        chain: None,
        #[cfg(target_os = "linux")]
        traced: None,
    }
}

/// What is shown of it: colours are the terminal's affair, what is compared are the words.
fn shown(soaked: &Soaked<'_>, detail: Detail) -> String {
    // Text and JSON are of one soak, and say the same of it.
    let value = json(soaked);
    for (rung, told) in soaked.rungs.iter().zip(value["rungs"].as_array().unwrap()) {
        assert_eq!(told["misses"], rung.observed.misses());
        assert_eq!(told["decision"], rung.decision.as_str());
    }
    let text = anstream::adapter::strip_str(&paint(&show(soaked, detail))).to_string();
    for line in text.lines().filter(|l| !l.trim_start().starts_with("printf ")) {
        assert!(line.chars().count() <= 80, "{line}");
    }
    text
}

#[test]
fn one_block_holds_breaks_or_is_open() {
    let text = |late, decision| shown(&soaked(&[rung(128, late, decision)]), Detail::Screen);
    insta::assert_snapshot!("holds", text(0, Decision::Holds));
    insta::assert_snapshot!("breaks", text(700, Decision::Breaks));
    insta::assert_snapshot!("open", text(1, Decision::Open));
}

#[test]
fn a_ladder_names_its_smallest_block_or_what_to_do() {
    let found = [rung(64, 200, Decision::Breaks), rung(128, 0, Decision::Holds)];
    let ladder = |rungs: &[Rung]| {
        shown(&Soaked { ladder: true, smallest: smallest(rungs), ..soaked(rungs) }, Detail::Full)
    };
    insta::assert_snapshot!("ladder_full", ladder(&found));
    insta::assert_snapshot!("ladder_without_end", ladder(&found[..1]));
    let quiet = [rung(64, 200, Decision::Breaks), rung(128, 0, Decision::Open)];
    let show = Some(Seconds::new(7200.0));
    let told = Soaked { ladder: true, smallest: smallest(&quiet), show, ..soaked(&quiet) };
    insta::assert_snapshot!("ladder_quiet", shown(&told, Detail::Screen));
}

#[test]
fn what_was_refused_or_went_wrong_is_told_with_a_way_out() {
    let refused = Permission {
        refused: vec!["no real-time priority (this user may not)".into()],
        ..Permission::default()
    };
    let server = About {
        kind: "JACK",
        rate_hz: 48_000,
        buffer_frames: 1024,
        realtime: true,
        load_percent: 3.25,
        ports: vec![],
        version: None,
    };
    let rungs = [rung(128, 0, Decision::Open)];
    let all = Soaked {
        permission: &refused,
        server: Some(&server),
        stopped: true,
        gone: true,
        clock_step_s: -3600.0,
        workers: 8,
        ..soaked(&rungs)
    };
    insta::assert_snapshot!("all_that_went_wrong", shown(&all, Detail::Screen));
    let alone = shown(&Soaked { workers: 1, hardware_threads: 1, ..soaked(&rungs) }, Detail::Screen);
    assert!(alone.contains("one hardware thread"), "{alone}");
    let nothing = shown(&Soaked { profile: None, ..soaked(&[]) }, Detail::Screen);
    assert!(nothing.contains("Stopped before the first block."), "{nothing}");
    assert!(nothing.contains("soak longer"), "{nothing}");
}

#[test]
fn a_machine_is_compared_with_itself() {
    let rungs = [rung(128, 0, Decision::Holds)];
    let against = |now: f64| {
        let since =
            ChangesSince { date: "2026-03-01".into(), changes: compare(&profile(1.0), &profile(now)) };
        let saved = Some(Path::new("my rig.toml"));
        shown(&Soaked { since: Some(&since), saved, ..soaked(&rungs) }, Detail::Screen)
    };
    insta::assert_snapshot!("has_become_worse", against(2.0));
    let same = against(1.0);
    assert!(same.contains("Nothing changed by more than chance."), "{same}");
    // A path with a space can be pasted.
    assert!(same.contains("swiftloop plan 'my rig.toml' SESSION.toml"), "{same}");
    assert!(against(0.5).contains("has become better"));
}
