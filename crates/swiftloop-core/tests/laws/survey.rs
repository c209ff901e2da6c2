//! The rules of the survey, each at its edge: what makes it speak, what keeps it silent, and that cure and way back
//! are for the figures that were seen.

use swiftloop_core::survey::{
    BusyProgram, Card, CardStream, EnergyState, Finding, Grade, GradedFinding, Idle, Inventory, Irq, Open,
    ServerState, Usb, UserLimits, findings,
};
use swiftloop_units::Hz;

fn open_at(rate: u32) -> CardStream {
    let open = Open {
        rate_hz: Hz::new(rate),
        period_frames: 64,
        buffer_frames: 192,
        channels: 2,
        sample_format: "S32_LE".into(),
    };
    CardStream { open: Some(open), ..CardStream::default() }
}

fn card(id: &str, streams: Vec<CardStream>) -> Card {
    Card { id: id.into(), streams, ..Card::default() }
}

/// A computer with one quiet card and nothing wrong that is known.
fn quiet() -> Inventory {
    Inventory { cards: vec![card("rack", vec![open_at(48_000)])], ..Inventory::default() }
}

fn of(inventory: &Inventory, id: &str) -> Option<GradedFinding> {
    findings(inventory).into_iter().find(|f| f.finding.id() == id)
}

#[test]
fn what_is_not_known_is_not_found() {
    assert_eq!(findings(&quiet()), vec![]);
    // Nothing at all is known but that there is no sound.
    let found = findings(&Inventory::default());
    assert_eq!(found.iter().map(|f| f.finding.id()).collect::<Vec<_>>(), ["no-sound"]);
}

#[test]
fn the_worst_stands_first() {
    let mut i = quiet();
    i.processor.governor = Some("schedutil".into());
    i.power.on_battery = Some(true);
    i.limits.realtime_priority = Some(0);
    let grades: Vec<Grade> = findings(&i).iter().map(|f| f.grade).collect();
    assert_eq!(grades, [Grade::Severe, Grade::Costly, Grade::Mild]);
}

#[test]
fn rates_agree_or_every_one_is_named() {
    let mut i = quiet();
    i.servers.push(ServerState {
        kind: "JACK".into(),
        rate_hz: Some(Hz::new(48_000)),
        ..ServerState::default()
    });
    assert!(of(&i, "rates-disagree").is_none());
    i.servers[0].rate_hz = Some(Hz::new(44_100));
    let Some(GradedFinding { finding: Finding::RatesDisagree(places), .. }) = of(&i, "rates-disagree") else {
        panic!()
    };
    let told: Vec<(&str, u32)> = places.iter().map(|p| (p.name.as_str(), p.rate_hz.get())).collect();
    assert_eq!(told, [("rack playback", 48_000), ("JACK", 44_100)]);
}

#[test]
fn two_clocks_need_two_open_cards() {
    let mut i = quiet();
    i.cards.push(card("box", vec![CardStream::default()]));
    assert!(of(&i, "two-clocks").is_none());
    i.cards[1].streams = vec![open_at(48_000)];
    let cards = ["rack", "box"].map(String::from).to_vec();
    assert_eq!(of(&i, "two-clocks").unwrap().finding, Finding::TwoClocks(cards));
}

#[test]
fn the_superuser_is_not_told_of_limits() {
    for (priority, bytes, superuser, expected) in [
        (0, 65_536, false, 2),
        (0, 65_536, true, 0),
        (49, u64::MAX, false, 1),
        (50, u64::MAX, false, 0),
        (95, 300_000_000, false, 0),
        (95, 200_000_000, false, 1),
    ] {
        let mut i = quiet();
        i.limits = UserLimits {
            realtime_priority: Some(priority),
            locked_bytes: Some(bytes),
            superuser,
            ..UserLimits::default()
        };
        let found = findings(&i);
        let limits = found.iter().filter(|f| f.finding.id().starts_with("no-")).count();
        assert_eq!(limits, expected, "{priority} {bytes} {superuser}");
    }
}

#[test]
fn a_governor_is_set_back_to_what_it_was() {
    for (word, grade) in
        [("powersave", Some(Grade::Costly)), ("ondemand", Some(Grade::Mild)), ("performance", None)]
    {
        let mut i = quiet();
        i.processor.governor = Some(word.into());
        let found = of(&i, "governor");
        assert_eq!(found.as_ref().map(|f| f.grade), grade, "{word}");
        assert!(found.is_none_or(|f| f.finding == Finding::Governor(word.into())));
    }
}

#[test]
fn idle_states_count_when_deep_and_allowed() {
    let state = |index, exit_us, disabled| Idle { index, name: format!("C{index}"), exit_us, disabled };
    let mut i = quiet();
    i.processor.idle = vec![state(0, 0, false), state(1, 99, false), state(2, 300, true)];
    assert!(of(&i, "deep-idle").is_none());
    i.processor.idle[2].disabled = false;
    assert_eq!(of(&i, "deep-idle").unwrap().finding, Finding::DeepIdle(vec![state(2, 300, false)]));
    i.processor.idle.push(state(3, 800, false));
    let both = vec![state(2, 300, false), state(3, 800, false)];
    assert_eq!(of(&i, "deep-idle").unwrap().finding, Finding::DeepIdle(both));
}

#[test]
fn a_speed_that_does_not_last_is_told_either_way() {
    for (first, last, told) in [(1.0, 1.0, false), (0.8, 1.0, true), (1.0, 0.8, true)] {
        let mut i = quiet();
        (i.processor.speed_at_first, i.processor.speed) = (Some(first), Some(last));
        let found = of(&i, "unsteady-speed");
        assert_eq!(found.map(|f| f.finding), told.then_some(Finding::UnsteadySpeed { first, last }));
    }
}

#[test]
fn heat_and_battery_and_limits_have_their_edges() {
    let mut i = quiet();
    i.power = EnergyState { on_battery: Some(false), has_battery: true, hottest_c: Some(89.9), plan: None };
    (i.processor.allowed_mhz, i.processor.most_mhz) = (Some(4000.0), Some(4000.0));
    (i.kernel.realtime_share, i.kernel.preemption) = (Some(0.95), Some("full".into()));
    assert_eq!(findings(&i), vec![]);
    i.power = EnergyState { on_battery: Some(true), has_battery: true, hottest_c: Some(90.0), plan: None };
    (i.processor.allowed_mhz, i.kernel.realtime_share) = (Some(3000.0), Some(0.5));
    i.kernel.preemption = Some("none".into());
    let mut ids: Vec<&str> = findings(&i).iter().map(|f| f.finding.id()).collect();
    ids.sort_unstable();
    assert_eq!(ids, ["heat", "limited-clock", "on-battery", "preemption", "realtime-share"]);
    let limited = Finding::LimitedClock { allowed_mhz: 3000.0, most_mhz: 4000.0 };
    assert_eq!(of(&i, "limited-clock").unwrap().finding, limited);
    for yes in [false, true] {
        i.kernel.preemption_can_change = yes;
        let found = of(&i, "preemption").unwrap().finding;
        assert!(matches!(found, Finding::Preemption { can_change, .. } if can_change == yes));
    }
}

#[test]
fn usb_tells_hub_before_controller() {
    let usb = |hubs, hub: &[&str], controller: &[&str]| Usb {
        speed_mbit_s: 480.0,
        hubs,
        hub_shared_with: hub.iter().map(ToString::to_string).collect(),
        controller_shared_with: controller.iter().map(ToString::to_string).collect(),
        place: "1-2.3".into(),
        autosuspend: Some(false),
    };
    let ids = |u: Usb| {
        let mut i = quiet();
        i.cards[0].usb = Some(u);
        findings(&i).iter().map(|f| (f.finding.id(), f.grade)).collect::<Vec<_>>()
    };
    assert_eq!(ids(usb(0, &[], &[])), []);
    assert_eq!(ids(usb(0, &[], &["camera"])), [("usb-controller", Grade::Mild)]);
    assert_eq!(ids(usb(1, &[], &["camera"])), [("usb-hub", Grade::Mild)]);
    assert_eq!(ids(usb(2, &["disk"], &["disk"])), [("usb-hub", Grade::Costly)]);
    let mut slow = usb(0, &[], &[]);
    (slow.speed_mbit_s, slow.autosuspend) = (12.0, Some(true));
    assert_eq!(ids(slow), [("usb-autosuspend", Grade::Costly), ("usb-slow", Grade::Mild)]);
}

#[test]
fn memory_interrupts_and_busy_programs_have_their_edges() {
    let mut i = quiet();
    (i.memory.total_gb, i.memory.available_gb) = (Some(16.0), Some(1.7));
    i.busy = vec![BusyProgram { name: "browser".into(), core_share: 0.14 }];
    i.cards[0].irq = Some(Irq { line: "16".into(), ..Irq::default() });
    assert_eq!(findings(&i), vec![]);
    i.memory.available_gb = Some(1.5);
    i.busy[0].core_share = 0.3;
    i.cards[0].irq = Some(Irq { line: "16".into(), shared_with: vec!["disk".into()], ..Irq::default() });
    let ids: Vec<(&str, Grade)> = findings(&i).iter().map(|f| (f.finding.id(), f.grade)).collect();
    assert_eq!(ids, [("memory", Grade::Costly), ("shared-interrupt", Grade::Mild), ("busy", Grade::Mild)]);
    // Waiting for memory is worse than having little.
    i.memory.waits_percent = Some([0.0, 2.0, 0.0]);
    i.busy.push(BusyProgram { name: "export".into(), core_share: 0.9 });
    assert_eq!(of(&i, "memory").unwrap().grade, Grade::Severe);
    assert_eq!(of(&i, "busy").unwrap().grade, Grade::Costly);
}

#[test]
fn everything_that_works_in_blocks_is_named_with_its_block() {
    let mut i = quiet();
    let pipewire = |forced| ServerState {
        kind: "PipeWire".into(),
        buffer_frames: Some(1024),
        forced_buffer_frames: forced,
        ..ServerState::default()
    };
    i.servers = vec![pipewire(None), pipewire(Some(256)), ServerState::default()];
    let all: Vec<(String, u32)> = i.blocks().into_iter().map(|b| (b.who, b.frames)).collect();
    let named = |who: &str, frames| (who.to_string(), frames);
    assert_eq!(all, [named("PipeWire", 1024), named("PipeWire", 256), named("ALSA, rack playback", 64)]);
}
