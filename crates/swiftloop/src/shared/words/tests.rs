//! Every refusal, warning and reason in words, one list each to be read as a whole: what a user sees seldom is written as
//! carefully as what everybody sees.

use super::reasons::{held_back, other_rate, why_not, without_roll, would_take};
use super::refusals::Explain;
use super::warnings::{capital, tell};
use swiftloop_core::advice::{RateMismatch, Warning};
use swiftloop_core::load::BoundBy;
use swiftloop_core::loops::{Context, LegKind, LoopKind};
use swiftloop_core::plan::{HeldBackBy, Objection, OtherRate, Overrun, WhyNot, WithoutRoll};
use swiftloop_core::rig::{Misplaced, Offered, PowerPlan};
use swiftloop_files::{rig_from, session_from, tables};
use swiftloop_measure::listen::AgainstRefusal;
use swiftloop_measure::probe::{BadRecipe, OnsetRefusal, Refusal, Trouble, UnusableFit};
use swiftloop_units::ids::PerformerId;
use swiftloop_units::{Block, Decibels, Frames, Gigabytes, Hz, Ms, PerHour, Ppm, Range, Seconds};

/// Runs `ask` in the demo.
fn in_demo<T>(ask: impl FnOnce(&Context<'_>) -> T) -> T {
    let rig = rig_from(
        concat!(env!("CARGO_MANIFEST_DIR"), "/demo/rig.toml"),
        include_str!("../../../demo/rig.toml"),
        tables(),
    )
    .unwrap();
    let session =
        session_from("session.toml", include_str!("../../../demo/session.toml"), &rig, tables()).unwrap();
    ask(&Context {
        tables: tables(),
        rig: &rig,
        session: &session,
        rigs: &swiftloop_core::doubt::Rigs::default(),
    })
}

/// What stands before a "to do:" begins small and ends without a full stop, and so does what follows it.
fn well_formed(what: &str, todo: &str) {
    for text in [what, todo] {
        assert!(!text.is_empty() && !text.ends_with('.') && !text.contains("  "), "{text:?}");
        assert!(!text.contains('{') && !text.contains("Some("), "{text:?}");
    }
    assert!(todo.starts_with(char::is_lowercase), "not an order: {todo:?}");
}

fn refusals<T: Explain>(all: &[T]) -> String {
    let each = |r: &T| {
        well_formed(&r.what(), &r.help());
        format!("{}\n  to do: {}\n", r.what(), r.help())
    };
    all.iter().map(each).collect()
}

#[test]
fn refusals_say_what_and_what_to_do() {
    let probe = [
        Refusal::Nothing,
        Refusal::ProbeItself { channel: 0 },
        Refusal::TooShort { have: Seconds::new(1.25), need: Seconds::new(3.9) },
        Refusal::Clipped { channel: 1, places: 12 },
        Refusal::WrongRate { made: Hz::new(48_000), says: Hz::new(44_100) },
        Refusal::Mixed { channel: 0, first: 0, second: 3, below: Decibels::new(11.6) },
        Refusal::TooFew { channel: 2, found: 2 },
    ];
    let onset = [OnsetRefusal::Quiet(1), OnsetRefusal::Unrelated];
    let against =
        [AgainstRefusal::Unrelated, AgainstRefusal::Rates, AgainstRefusal::Lost { from: Seconds::new(41.2) }];
    let shrinks = UnusableFit::Shrinks { smaller: Block::new(128), larger: Block::new(512) };
    let soon = UnusableFit::TooSoon { block: Block::new(128), trip: Frames::new(3.2) };
    let below = UnusableFit::BelowModel { blocks: 2.04, least: 3.0, model: "jack".into() };
    let fit = [shrinks, UnusableFit::TooFewBlocks, UnusableFit::NothingFixed, soon, below];
    let names = || vec!["rack".to_string(), "desk".into()];
    let rate = Misplaced::Rate {
        driver: "alsa".into(),
        interface: "rack".into(),
        rate: Hz::new(96_000),
        offered: vec![Hz::new(44_100), Hz::new(48_000)],
    };
    let placed = [
        Misplaced::Interface("rak".into(), names()),
        Misplaced::Driver("asio".into(), names()),
        rate,
        Misplaced::Speed("brisk".into(), names()),
        Misplaced::NamedSpeeds(names()),
    ];
    let trouble = [Trouble::TwoClocks, Trouble::Slips, Trouble::Compensated];
    let recipe = [BadRecipe::Channels, BadRecipe::Bursts, BadRecipe::Level];
    let listened = [refusals(&probe), refusals(&onset), refusals(&against)];
    let all = [listened.concat(), refusals(&fit), refusals(&placed), refusals(&trouble), refusals(&recipe)];
    insta::assert_snapshot!("refusals", all.concat());
}

#[test]
fn warnings_say_what_and_what_to_do() {
    let mismatch = |effect| Warning::RateDisagrees {
        place: "desk box panel".into(),
        place_rate: Hz::new(44_100),
        session_rate: Hz::new(48_000),
        effect,
    };
    let all = [
        mismatch(RateMismatch::Converts),
        mismatch(RateMismatch::OneIsSilent),
        mismatch(RateMismatch::Breaks),
        Warning::DepthNotOffered { wanted: 24, offered: vec![16, 32] },
        Warning::TwoClocks {
            interface: 0.into(),
            apart: Range::new(Ppm::new(5.0), Ppm::new(30.0), Ppm::new(100.0)).unwrap(),
            every: Seconds::new(0.69),
        },
        Warning::LockedOut { program: 0.into(), interface: 0.into(), model: "asio".into() },
        Warning::NotForPlaying { model: "mme".into() },
        Warning::BelowKnown {
            block: Block::new(64),
            least: Block::new(128),
            model: "WASAPI, exclusive".into(),
        },
        Warning::PowerPlan(PowerPlan::Saving),
        Warning::Hub(0.into()),
        Warning::HeardTwice { performer: 0.into(), track: 0.into() },
        Warning::MainDelays { delay: Frames::new(1024.0), time: Ms::new(21.3) },
        Warning::MutedComputes(vec![0.into(), 1.into()]),
        Warning::OffButLoaded(vec![0.into()]),
        Warning::OpenChannels { interface: 0.into(), open: 16, used: 2 },
        Warning::UnlabelledSpeed { interface: 1.into(), speed: "brisk".into(), guess: Block::new(128) },
        Warning::DiskSpace { minutes: 90.0, needed: Gigabytes::new(12.44), free: Gigabytes::new(8.0) },
        Warning::Memory { needed: Gigabytes::new(17.0), there: Gigabytes::new(16.0) },
        Warning::NetworkNotCounted,
    ];
    let listing = in_demo(|context| {
        let each = |w: &Warning| {
            let told = tell(context, w);
            well_formed(&told.wrong, &told.todo);
            assert!(!told.todo.contains(&told.wrong), "the cure repeats the complaint");
            format!("[{}] {}\n  {}.\n", w.code(), told.wrong, capital(&told.todo))
        };
        all.iter().map(each).collect::<String>()
    });
    insta::assert_snapshot!("warnings", listing);
    // No code is used twice: a script can tell all of them apart. (The first three are one warning with three effects.)
    let mut codes: Vec<&str> = all[2..].iter().map(Warning::code).collect();
    codes.sort_unstable();
    codes.dedup();
    assert_eq!(codes.len(), all.len() - 2);
}

fn overrun(all: f64) -> Overrun {
    Overrun { caused: PerHour::new(all / 2.0), all: PerHour::new(all), allowed: PerHour::new(0.2) }
}

#[test]
fn reasons_are_sentences_without_their_full_stop() {
    let ada = Some(PerformerId::from(0));
    let why = [
        WhyNot::Late { performer: ada, over: Ms::new(1.26) },
        WhyNot::Late { performer: None, over: Ms::new(40.0) },
        WhyNot::Breaks { dropouts: PerHour::new(120_000.0), allowed: PerHour::new(0.2) },
        WhyNot::AlwaysLate { performer: ada, over: Ms::new(0.04), in_some: true },
        WhyNot::AlwaysBreaks { dropouts: PerHour::new(3.0), in_some: false },
        WhyNot::MoreEffort { effort: 12, planned: 9, or_more: false },
        WhyNot::MoreEffort { effort: 12, planned: 9, or_more: true },
        WhyNot::CannotRoll(0.into()),
        WhyNot::LessSure,
        WhyNot::MoreDelay(Ms::new(2.667)),
        WhyNot::LessRoom { here: 0.22, planned: 0.41 },
        WhyNot::SlowStart,
        WhyNot::Noticed,
        WhyNot::MoreChanges,
        WhyNot::NoBetter,
        WhyNot::PlanMissed,
    ];
    let limit = |kind| HeldBackBy::Limit {
        performer: ada,
        kind,
        delay: Ms::new(13.46),
        limit: Ms::new(12.0),
        longest: Some((LegKind::ConverterIn, Ms::new(9.9))),
    };
    let work =
        |bound_by| HeldBackBy::Work { bound_by, chain: vec![0.into(), 1.into()], overrun: overrun(50.0) };
    let held = [
        limit(LoopKind::Sound),
        limit(LoopKind::Keys),
        HeldBackBy::Memory(overrun(9.0)),
        HeldBackBy::Disk(overrun(9.0)),
        HeldBackBy::WakeUps(overrun(9.0)),
        work(BoundBy::Chain),
        work(BoundBy::Burst),
        work(BoundBy::Cores),
    ];
    let buffer = Offered::plain(Block::new(256));
    let without = [
        WithoutRoll::Effort(14),
        WithoutRoll::Late { buffer: buffer.clone(), over: Ms::new(3.0) },
        WithoutRoll::Breaks { buffer, dropouts: PerHour::new(7.0) },
    ];
    let objections = [
        None,
        Some(Objection::Limits),
        Some(Objection::Target),
        Some(Objection::Drivers),
        Some(Objection::Effort),
        Some(Objection::Unsure),
        Some(Objection::Changes),
        Some(Objection::Last),
    ];
    let listing = in_demo(|context| {
        let lost: String = why.iter().map(|w| format!("{}\n", why_not(context, w))).collect();
        let held =
            held.iter().map(|h| format!("{}\n  it would take {}\n", held_back(context, h), would_take(h)));
        let without: String = without.iter().map(|w| format!("{}\n", without_roll(w))).collect();
        let rates = objections
            .iter()
            .map(|&worse_in| format!("{}\n", other_rate(&OtherRate { rate: Hz::new(96_000), worse_in })));
        [lost, held.collect(), without, rates.collect()].join("\n")
    });
    assert!(!listing.contains(".\n") && !listing.contains("3.1 % instead of 3.1 %"), "{listing}");
    insta::assert_snapshot!("reasons", listing);
}
