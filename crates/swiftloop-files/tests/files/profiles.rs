//! A measured profile goes into a rig and comes out of it the same; what stood there is kept.

use proptest::prelude::*;
use std::path::Path;
use swiftloop_core::rig::{Rig, WakeProfile};
use swiftloop_core::soak::{Provenance, Samples, ValueCounts, learn};
use swiftloop_files::{rig_from, tables, with_profile};

const RIG: &str = "format = \"swiftloop.rig/1\"\n# mine\n[machine]   # the old one\ncores = 4 # four\nmemory_gb = 16\n\
                   disk_mb_per_s = 400\ndisk_free_gb = 90\n\n# the rack\n[[interface]]\nid = \"rack\"\nconnection = \"usb2\"\n\
                   [[interface.driver]]\nmodel = \"alsa\"\nrates_hz = [48000]\nbuffers = { powers = [32, 1024] }\n";

fn rig(text: &str) -> Rig {
    rig_from("rig.toml", text, tables()).unwrap_or_else(|e| panic!("{e:?}\n{text}"))
}

fn saved(text: &str, profile: &WakeProfile) -> String {
    with_profile(Path::new("rig.toml"), text, tables(), profile).unwrap()
}

fn profile(delays: &[f64], date: &str) -> WakeProfile {
    let heard = Samples {
        wakes: ValueCounts::new(delays.iter().map(|d| (*d, 1))),
        pace: ValueCounts::new(delays.iter().map(|d| (1.0 + d / 1e5, 1))),
        slow: Vec::new(),
        pace_by_second: vec![1.0, 1.1, 1.05],
    };
    let about = Provenance {
        date: date.into(),
        kernel: Some("made \"up\"\n6.1".into()),
        core_speed: Some(0.83),
        ..Provenance::default()
    };
    learn(&heard, &about).unwrap()
}

fn delays(seed: u64, scale: f64) -> Vec<f64> {
    let mut random = fastrand::Rng::with_seed(seed);
    let mut uniform = || random.f64();
    (0..3000).map(|_| 5.0 - scale * (1.0 - uniform()).ln()).collect()
}

/// Nothing is lost: below every bound that was read there are as many as there were, bounds written to four digits.
fn as_many_below(read: &[(f64, u64)], was: &[(f64, u64)]) -> bool {
    let below = |bins: &[(f64, u64)], to: f64| -> u64 {
        bins.iter().filter(|b| (b.0 * 1e4).round() <= (to * 1e4).round()).map(|b| b.1).sum()
    };
    let last = |bins: &[(f64, u64)]| bins.last().map(|b| (b.0 * 1e4).round());
    last(read) == last(was) && read.iter().all(|b| below(read, b.0) == below(was, b.0))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn what_is_written_is_read_again(seed in 1u64..1000, scale in 0.5f64..3000.0) {
        let profile = profile(&delays(seed, scale), "2026-11-23");
        let back = rig(&saved(RIG, &profile)).machine.wake.clone().unwrap();
        prop_assert_eq!(back.wakes, profile.wakes);
        let wakes = |p: &WakeProfile| p.bins.iter().map(|b| (b.up_to_us.raw(), b.count)).collect::<Vec<_>>();
        let paces = |p: &WakeProfile| p.pace.iter().map(|b| (b.up_to.raw(), b.count)).collect::<Vec<_>>();
        prop_assert!(as_many_below(&wakes(&back), &wakes(&profile)));
        prop_assert!(as_many_below(&paces(&back), &paces(&profile)));
        prop_assert_eq!(&back.kernel, &profile.kernel);
        let near = |a: f64, b: f64| (a - b).abs() <= 1e-4 + 1e-6 * b.abs();
        prop_assert!(near(back.threshold_us.raw(), profile.threshold_us.raw()));
        prop_assert!(near(back.shape.typical().raw(), profile.shape.typical().raw()));
        prop_assert!(near(back.scale_us.high().raw(), profile.scale_us.high().raw()));
        prop_assert!(near(back.tail_share.low().raw(), profile.tail_share.low().raw()));
    }
}

#[test]
fn every_line_of_the_users_stays_where_it_was() {
    let text = saved(RIG, &profile(&delays(1, 20.0), "2026-11-23"));
    let mut rest = text.lines();
    for line in RIG.lines() {
        assert!(rest.any(|l| l == line), "`{line}` is gone or moved:\n{text}");
    }
    assert_eq!(rig(&text).interfaces.len(), 1);
}

#[test]
fn older_profiles_are_kept_the_latest_last_and_not_for_ever() {
    let mut text = RIG.to_string();
    for day in 1..=12 {
        text = saved(&text, &profile(&delays(day, 20.0), &format!("2026-11-{day:02}")));
    }
    let rig = rig(&text);
    let machine = &rig.machine;
    assert_eq!(machine.wake.as_ref().unwrap().date, "2026-11-12");
    let dates: Vec<&str> = machine.earlier_wake.iter().map(|w| w.date.as_str()).collect();
    assert_eq!(dates.len(), 8);
    assert_eq!((dates[0], dates[7]), ("2026-11-04", "2026-11-11"));
}

#[test]
fn a_rig_without_a_place_for_it_is_refused() {
    for text in ["x = [", "format = \"swiftloop.rig/1\"\n", "machine = 3\n"] {
        assert!(
            with_profile(Path::new("rig.toml"), text, tables(), &profile(&delays(3, 9.0), "2026-11-23"))
                .is_err()
        );
    }
}
