//! A watch: each change is told once, dropouts are counted once, and what changed shortly before one is told with it.

use std::collections::BTreeSet;
use swiftloop_core::in_effect::{Happened, Sample, WatchEvent, Watcher};
use swiftloop_core::survey::BusyProgram;

fn at(at_s: f64) -> Sample {
    Sample { at_s, xruns: Some(0), server: Some(true), ..Sample::default() }
}

fn names(events: &[WatchEvent]) -> Vec<&Happened> {
    events.iter().map(|e| &e.happened).collect()
}

#[test]
fn a_quiet_take_is_a_quiet_log() {
    let mut watcher = Watcher::default();
    let mut events = Vec::new();
    for second in 0..600 {
        let mut sample = at(f64::from(second));
        sample.values.insert("buffer", "64 frames".into());
        sample.load_percent = Some(20.0 + f64::from(second % 7));
        sample.busy = (second % 20 == 0).then(|| vec![BusyProgram { name: "shell".into(), core_share: 0.1 }]);
        sample.devices = (second % 20 == 0).then(|| BTreeSet::from(["rack".to_string()]));
        events.extend(watcher.look(&sample));
    }
    assert_eq!(events, vec![]);
    let summary = watcher.summary();
    assert_eq!((summary.dropouts, summary.load_percent, summary.told_by_server), (0, Some(26.0), true));
}

#[test]
fn dropouts_add_up_and_come_from_the_server_where_it_tells() {
    let mut random = fastrand::Rng::with_seed(4);
    for server in [true, false] {
        let mut watcher = Watcher::default();
        let (mut xruns, mut late, mut told) = (0u64, 0u64, 0u64);
        for second in 0..500 {
            xruns += u64::from(random.u32(0..20) == 0);
            late += u64::from(random.u32(0..10) == 0);
            let sample = Sample { xruns: server.then_some(xruns), late, ..at(f64::from(second)) };
            for event in watcher.look(&sample) {
                match event.happened {
                    Happened::Xrun { count, .. } if server => told += count,
                    Happened::Late { count, .. } if !server => told += count,
                    Happened::Xrun { .. }
                    | Happened::Late { .. }
                    | Happened::Thief { .. }
                    | Happened::Changed { .. }
                    | Happened::DeviceCame { .. }
                    | Happened::DeviceGone { .. }
                    | Happened::Works { .. }
                    | Happened::Rests { .. }
                    | Happened::Hot { .. }
                    | Happened::SlowedByHeat { .. }
                    | Happened::ShortOfMemory { .. }
                    | Happened::ServerGone
                    | Happened::ServerBack => {}
                }
            }
        }
        let summary = watcher.summary();
        assert_eq!(summary.dropouts, if server { xruns } else { late });
        assert_eq!((summary.dropouts, summary.late_blocks), (told, late));
        assert!(summary.first_s.len() <= 20 && summary.first_s.is_sorted());
    }
}

#[test]
fn what_changed_shortly_before_a_dropout_is_told_with_it_and_what_changed_long_before_is_not() {
    let mut watcher = Watcher::default();
    watcher.look(&at(0.0));
    let works =
        Sample { busy: Some(vec![BusyProgram { name: "backup".into(), core_share: 0.6 }]), ..at(1.0) };
    assert!(matches!(names(&watcher.look(&works))[..], [Happened::Works { .. }]));
    let first = watcher.look(&Sample { xruns: Some(2), ..at(2.0) });
    let [Happened::Xrun { count: 2, after }] = names(&first)[..] else { panic!("{first:?}") };
    assert_eq!(after, &["backup began to work"]);
    let later = watcher.look(&Sample { xruns: Some(3), ..at(30.0) });
    let [Happened::Xrun { count: 1, after }] = names(&later)[..] else { panic!("{later:?}") };
    assert!(after.is_empty());
    assert_eq!(watcher.summary().before["backup began to work"], 2);
    assert_eq!(watcher.summary().first_s, [2.0, 30.0]);
}

#[test]
fn devices_servers_heat_and_programs_come_and_go_once() {
    let mut watcher = Watcher::default();
    let set = |names: &[&str]| Some(names.iter().map(ToString::to_string).collect::<BTreeSet<_>>());
    let busy = |share| Some(vec![BusyProgram { name: "sync".into(), core_share: share }]);
    watcher.look(&Sample { devices: set(&["rack"]), ..at(0.0) });
    let mut all = Vec::new();
    for (second, sample) in [
        Sample { devices: set(&["rack", "stick"]), hottest_c: Some(95.0), ..at(1.0) },
        Sample { devices: set(&["stick"]), hottest_c: Some(88.0), busy: busy(0.3), ..at(2.0) },
        Sample { server: Some(false), hottest_c: Some(70.0), busy: busy(0.1), ..at(3.0) },
        Sample { server: Some(true), hottest_c: Some(91.0), busy: busy(0.01), throttled: Some(3), ..at(4.0) },
        Sample { throttled: Some(5), memory_waits_percent: Some(4.0), ..at(5.0) },
        Sample { memory_waits_percent: Some(5.0), throttled: Some(5), ..at(6.0) },
    ]
    .iter()
    .enumerate()
    {
        all.extend(watcher.look(sample).into_iter().map(|e| (second, e.happened)));
    }
    let has = |wanted: &Happened| all.iter().filter(|(_, h)| h == wanted).count();
    for once in [
        Happened::DeviceCame { device: "stick".into() },
        Happened::DeviceGone { device: "rack".into() },
        Happened::ServerGone,
        Happened::ServerBack,
        Happened::Hot { celsius: 95.0 },
        Happened::Hot { celsius: 91.0 },
        Happened::Works { program: "sync".into(), core_share: 0.3 },
        Happened::Rests { program: "sync".into() },
        Happened::SlowedByHeat { times: 2 },
        Happened::ShortOfMemory { waits_percent: 4.0 },
    ] {
        assert_eq!(has(&once), 1, "{once:?}: {all:?}");
    }
    assert_eq!(all.len(), 10);
}
