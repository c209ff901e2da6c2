//! Each thing in turn is otherwise than planned: it is named by its word, and nothing else is.

use super::machine::{demand, ready};
use swiftloop_core::in_effect::{Demand, Known, Unread, compare};
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::survey::{BusyProgram, Inventory, Network, Open, ServerState, System, Version};
use swiftloop_units::{Block, Hz};

type Change = fn(&mut Inventory);

/// How a stream of the card is open.
fn opened(i: &mut Inventory, stream: usize) -> &mut Open {
    i.cards[0].streams[stream].open.as_mut().unwrap()
}

/// What is changed, and by which word it has to be named.
const WRONG: &[(&str, Change)] = &[
    ("no-sound", |i| {
        i.cards.clear();
        i.servers.clear();
    }),
    ("server", |i| i.servers.clear()),
    ("rate", |i| i.servers[0].rate_hz = Some(Hz::new(44_100))),
    ("rate", |i| i.servers[0].forced_rate_hz = Some(Hz::new(96_000))),
    ("rate", |i| opened(i, 0).rate_hz = Hz::new(44_100)),
    ("rate-not-allowed", |i| i.servers[0].allowed_rates_hz = vec![Hz::new(44_100)]),
    ("buffer", |i| i.servers[0].buffer_frames = Some(1024)),
    ("buffer", |i| i.servers[0].forced_buffer_frames = Some(128)),
    ("buffer-bounds", |i| i.servers[0].buffer_range_frames = Some((128, 2048))),
    ("clock-source", |i| i.cards[0].clock = Some("Word Clock".into())),
    ("channels", |i| opened(i, 1).channels = 16),
    ("channels", |i| opened(i, 0).channels = 2),
    ("power", |i| i.processor.governor = Some("powersave".into())),
    ("power", |i| i.power.plan = Some(PowerPlan::Saving)),
    ("on-battery", |i| i.power.on_battery = Some(true)),
    ("limited-clock", |i| i.processor.allowed_mhz = Some(2000.0)),
    ("heat", |i| i.power.hottest_c = Some(97.0)),
    ("idle", |i| i.processor.idle[2].disabled = false),
    ("no-realtime", |i| i.limits.realtime_priority = Some(0)),
    ("no-locked-memory", |i| i.limits.locked_bytes = Some(65_536)),
    ("server-without-realtime", |i| i.servers[0].realtime = Some(false)),
    ("thread-priority", |i| i.servers[0].threads[0].priority = None),
    ("group-realtime", |i| i.limits.group_realtime_us = Some(0)),
    ("realtime-share", |i| i.kernel.realtime_share = Some(0.5)),
    ("usb-autosuspend", |i| i.cards[0].usb.as_mut().unwrap().autosuspend = Some(true)),
    ("usb-hub", |i| i.cards[0].usb.as_mut().unwrap().hubs = 1),
    ("usb-slow", |i| i.cards[0].usb.as_mut().unwrap().speed_mbit_s = 12.0),
    ("interrupt-cores", |i| i.cards[0].irq.as_mut().unwrap().cores = Some("0-3".into())),
    ("programs", |i| i.busy = vec![BusyProgram { name: "sync".into(), core_share: 0.4 }]),
    ("programs", |i| i.busy = vec![BusyProgram { name: "web browser".into(), core_share: 0.03 }]),
    ("memory", |i| i.memory.available_gb = Some(0.5)),
    ("too-little-memory", |i| i.memory.total_gb = Some(5.5)),
    ("disk", |i| i.disk_free_gb = Some(3.0)),
    ("wireless", |i| i.network = Some(Network { name: "wlan0".into(), wireless: true })),
];

fn named(demand: &Demand, now: &Inventory) -> Vec<&'static str> {
    compare(demand, now, None).differences.iter().map(|d| d.wrong.id()).collect()
}

#[test]
fn every_wrong_state_is_named_and_no_other() {
    for (k, (word, change)) in WRONG.iter().enumerate() {
        let mut now = ready();
        change(&mut now);
        let mut found = named(&demand(), &now);
        found.dedup();
        assert_eq!(found, [*word], "{k}");
    }
}

#[test]
fn two_wrong_states_are_both_named() {
    for (a, change_a) in WRONG {
        for (b, change_b) in WRONG {
            // Where there is no sound, or no server, there is nothing else to be wrong with it.
            if [a, b].iter().any(|w| matches!(**w, "no-sound" | "server")) {
                continue;
            }
            let mut now = ready();
            change_a(&mut now);
            change_b(&mut now);
            let found = named(&demand(), &now);
            // The latter of two about the same thing holds.
            if a != b {
                assert!(found.contains(a) && found.contains(b), "{a} {b}: {found:?}");
            }
        }
    }
}

#[test]
fn what_is_not_told_is_neither_right_nor_wrong() {
    let nothing = Inventory {
        servers: vec![ServerState {
            kind: "PipeWire".into(),
            nodes: vec!["16-channel rack".into()],
            ..ServerState::default()
        }],
        ..Inventory::default()
    };
    let found = compare(&demand(), &nothing, None);
    assert_eq!(found.differences, vec![]);
    for what in [Unread::Rates, Unread::Buffer, Unread::Power, Unread::Rights, Unread::Programs, Unread::Disk]
    {
        assert!(found.unread.contains(&what), "{what:?}");
    }
    // Another system tells other things; what it cannot tell is not asked of it.
    let windows = Inventory { system: System::Windows, ..ready() };
    assert_eq!(
        named(&Demand { driver: "asio".into(), server: None, ..demand() }, &windows),
        Vec::<&str>::new()
    );
}

#[test]
fn names_of_the_interface_are_compared_as_people_mean_them() {
    let other = |name: &str| {
        let mut now = ready();
        now.cards[0].id = "x1".into();
        now.cards[0].name = name.into();
        now.cards[0].connection = "pcie".into();
        named(&demand(), &now)
    };
    for same in ["16 Channel Rack", "16-channel rack (line 1)", "RACK"] {
        assert!(!other(same).contains(&"device"), "{same}");
    }
    for another in ["ra", "desk box", "", "16"] {
        assert!(other(another).contains(&"device"), "{another}");
    }
}

#[test]
fn versions_are_compared_with_those_when_all_was_well() {
    let version = |of: &str, is: &str| Version { of: of.into(), is: is.into() };
    let known = |versions| Known { date: "2026-11-01".into(), versions };
    let ids = |known: &Known| -> Vec<&'static str> {
        compare(&demand(), &ready(), Some(known)).differences.iter().map(|d| d.wrong.id()).collect()
    };
    assert_eq!(ids(&known(vec![version("kernel", "6.1")])), Vec::<&str>::new());
    assert_eq!(ids(&known(vec![version("kernel", "6.0")])), ["version"]);
    assert_eq!(ids(&known(vec![version("driver of Rack", "3")])), ["version"]);
    // What is new since then is no difference.
    assert_eq!(ids(&known(vec![])), Vec::<&str>::new());
}

#[test]
fn the_shorter_the_block_the_shallower_the_sleep_that_it_bears() {
    let mut now = ready();
    now.processor.idle[1].disabled = false; // 130 µs
    let with = |frames| Demand {
        buffer_frames: Block::new(frames),
        driver: "alsa".into(),
        server: None,
        ..demand()
    };
    let sleeps = |frames| named(&with(frames), &now).contains(&"idle");
    assert!(sleeps(32) && sleeps(64) && !sleeps(256) && !sleeps(1024));
}
