//! The probe's readings against ideal delays, against the Cramér-Rao bound, and under everything that goes wrong.
//! `cargo test --release -p swiftloop-core --test laws -- probe:: --ignored --nocapture` prints the whole accuracy table.

use crate::sounds::{delayed, gauss, hiss, single};
use proptest::prelude::*;
use swiftloop_measure::probe::{ChannelReading, Polarity, Recipe, Refusal, onsets, read};
use swiftloop_units::workers::OneByOne;
use swiftloop_units::{Decibels, Hz};

const RATE: Hz = Hz::new(48_000);

fn recipe() -> Recipe {
    Recipe::new(RATE, 1, 8, -12).unwrap()
}

/// Noise that lies `snr` decibels below a burst.
fn noise_at(recipe: &Recipe, snr: f64) -> f64 {
    recipe.peak() / std::f64::consts::SQRT_2 / Decibels::new(snr).amplitude()
}

fn loop_of(recipe: &Recipe, delay: f64) -> Vec<f64> {
    delayed(&recipe.render()[0], delay, recipe.length())
}

fn reading(samples: &[f64]) -> ChannelReading {
    read(&[single(samples)], RATE, None, &OneByOne).expect("a reading").channels.remove(0)
}

/// Root-mean-square error over `trials`, the bound, and the share of truths inside the interval.
fn errors(snr: f64, trials: u64, clean: &[f64], truth: f64) -> (f64, f64, f64, f64) {
    let recipe = recipe();
    let deviation = noise_at(&recipe, snr);
    let (mut squares, mut inside, mut near) = (0.0, 0, 0);
    for trial in 0..trials {
        let mut samples = clean.to_vec();
        hiss(&mut samples, deviation, trial * 7919 + snr.to_bits() % 1000);
        let Ok(found) = read(&[single(&samples)], RATE, None, &OneByOne) else { continue };
        let c = &found.channels[0];
        let error = c.latency.typical().raw() - truth;
        squares += error * error;
        near += u32::from(error.abs() < 0.5);
        inside += u32::from(c.latency.low().raw() <= truth && truth <= c.latency.high().raw());
        if snr > -10.0 {
            assert_eq!((c.polarity, c.source), (Polarity::Normal, 0));
            assert_eq!(found.recipe.level_db, -12);
        }
    }
    let bound = recipe.bound(recipe.peak(), deviation).raw() / (recipe.bursts as f64).sqrt();
    let n = trials as f64;
    ((squares / n).sqrt(), bound, f64::from(inside) / n, f64::from(near) / n)
}

#[test]
fn without_noise_the_delay_is_exact() {
    for delay in [0.25, 37.0, 412.25, 1963.618, 20_000.5] {
        let found = reading(&loop_of(&recipe(), delay));
        let error = found.latency.typical().raw() - delay;
        assert!(error.abs() <= 1e-4, "{delay}: off by {error}");
        assert!(found.gain.raw().abs() < 0.01 && found.polarity == Polarity::Normal, "{found:?}");
        assert!(found.slips.is_empty() && !found.drifts && found.bursts.len() == 8);
    }
}

#[test]
fn the_probe_itself_is_no_round_trip() {
    let made = recipe().render();
    let refused = read(&made, RATE, None, &OneByOne).expect_err("it was never played");
    assert_eq!(refused, Refusal::ProbeItself { channel: 0 });
    // What went round a loop is read however short the way was.
    assert!(read(&[single(&loop_of(&recipe(), 1.0))], RATE, None, &OneByOne).is_ok());
}

#[test]
fn noise_costs_no_more_than_it_must() {
    let clean = loop_of(&recipe(), 512.37);
    for snr in [0.0, 20.0] {
        let (rms, bound, inside, _) = errors(snr, 24, &clean, 512.37);
        // 24 trials leave the root mean square itself uncertain by 15 %.
        assert!(rms <= (1.2 * bound).max(1e-4) * 1.45, "{snr} dB: {rms} against {bound}");
        assert!(inside >= 0.8, "{snr} dB: {inside} within their intervals");
    }
}

#[test]
fn deep_noise_still_gives_the_frame() {
    let (_, _, _, near) = errors(-25.0, 10, &loop_of(&recipe(), 777.7), 777.7);
    assert!(near >= 0.9, "{near}");
}

fn print_row(snr: f64, trials: u64) -> (f64, f64, f64, f64) {
    let (rms, bound, inside, near) = errors(snr, trials, &loop_of(&recipe(), 512.37), 512.37);
    println!(
        "| {snr} dB | {trials} | {rms:.6} | {bound:.6} | {:.2} | {:.1} % | {:.1} % |",
        rms / bound,
        inside * 100.0,
        near * 100.0
    );
    (rms, bound, inside, near)
}

#[test]
#[ignore = "minutes: the whole table"]
fn accuracy_table() {
    println!(
        "| signal to noise | trials | root mean square error | Cramér-Rao bound | ratio | in the 95 % interval | within half a frame |"
    );
    println!("| --- | --- | --- | --- | --- | --- | --- |");
    for snr in [60.0, 50.0, 40.0, 30.0, 20.0, 10.0, 0.0, -10.0, -20.0] {
        let (rms, bound, inside, near) = print_row(snr, 200);
        // 200 trials leave the root mean square uncertain by 5 %.
        assert!(snr < 0.0 || rms <= (1.2 * bound).max(1e-4) && inside >= 0.92, "{snr}");
        assert!(near >= 0.99, "{snr}");
    }
}

#[test]
#[ignore = "minutes: a thousand trials in deep noise"]
fn deep_noise_table() {
    let (_, _, _, near) = print_row(-25.0, 1000);
    assert!(near >= 0.99);
}

/// The probe as a recorder hears it whose clock runs `ppm` faster.
fn drifting(recipe: &Recipe, delay: f64, ppm: f64) -> Vec<f64> {
    let stretch = 1.0 + ppm * 1e-6;
    let length = (recipe.length() as f64 * stretch) as usize + 4000;
    let mut samples = vec![0.0; length];
    for i in 0..recipe.bursts {
        let from = recipe.start(0, i) as f64 * stretch + delay;
        let to = from + recipe.burst_frames() as f64 * stretch;
        for (n, x) in samples.iter_mut().enumerate().take(to as usize + 1).skip(from as usize) {
            *x += recipe.peak() * recipe.burst(recipe.direction(i), (n as f64 - from) / stretch);
        }
    }
    samples
}

#[test]
fn drift_is_read_to_a_tenth_of_a_ppm() {
    let recipe = Recipe::new(RATE, 1, 16, -12).unwrap();
    for (ppm, seed) in [(0.0, 1), (1.3, 2), (-38.2, 3), (97.0, 4), (-200.0, 5)] {
        let mut samples = drifting(&recipe, 300.25, ppm);
        hiss(&mut samples, noise_at(&recipe, 40.0), seed);
        let found = reading(&samples);
        assert!((found.drift.raw() - ppm).abs() <= 0.1, "{ppm}: {:?}", found.drift);
        assert!((found.latency.typical().raw() - 300.25).abs() < 0.004, "{ppm}: {:?}", found.latency);
    }
}

/// A way to spoil a recording, the most that the delay may be off by, and its name.
type Spoiling = (&'static str, f64, fn(&mut Vec<f64>));

#[test]
fn nothing_that_recordings_suffer_moves_the_delay() {
    let spoilt: [Spoiling; 10] = [
        ("40 dB down", 1e-4, |s| s.iter_mut().for_each(|x| *x *= 0.01)),
        ("inverted", 1e-4, |s| s.iter_mut().for_each(|x| *x = -*x)),
        ("hum at the probe's level", 1e-3, |s| {
            let hum = |n: usize| 0.25 * (std::f64::consts::TAU * 50.0 * n as f64 / 48_000.0).sin();
            s.iter_mut().enumerate().for_each(|(n, x)| *x += hum(n));
        }),
        ("direct current", 1e-3, |s| s.iter_mut().for_each(|x| *x += 0.3)),
        ("echo 6 dB down after 20 ms", 1e-3, |s| {
            for n in (960..s.len()).rev() {
                s[n] += 0.501 * s[n - 960];
            }
        }),
        ("high-pass at 20 Hz", 1e-3, |s| {
            // One pole, as a coupling capacitor makes it; bilinear transform.
            let k = (std::f64::consts::PI * 20.0 / 48_000.0).tan();
            let (mut before, mut out) = (0.0, 0.0);
            for x in s.iter_mut() {
                out = ((*x - before) + (1.0 - k) * out) / (1.0 + k);
                before = *x;
                *x = out;
            }
        }),
        ("16 bits", 1e-4, |s| s.iter_mut().for_each(|x| *x = (*x * 32_768.0).round() / 32_768.0)),
        ("a gap of 3 ms in a burst", 1e-3, |s| s[69_500..69_644].fill(0.0)),
        ("the last burst cut off", 1e-4, |s| s.truncate(recipe().start(0, 7) + 5000)),
        ("nothing at all", 1e-4, |_| ()),
    ];
    for (name, most, spoil) in spoilt {
        let mut samples = loop_of(&recipe(), 431.77);
        spoil(&mut samples);
        let found = reading(&samples);
        let error = found.latency.typical().raw() - 431.77;
        println!(
            "{name}: {error:.6} frames, {:?}, echo {:?}, snr {:.1}",
            found.latency,
            found.echo,
            found.snr.raw()
        );
        assert!(error.abs() <= most, "{name}: off by {error} frames");
        assert_eq!(found.polarity == Polarity::Inverted, name == "inverted");
        assert_eq!(found.echo.is_some(), name.starts_with("echo"), "{name}: {:?}", found.echo);
    }
}

#[test]
fn an_echo_is_placed_and_the_first_arrival_wins() {
    let mut samples = loop_of(&recipe(), 431.77);
    // The direct sound is weaker than what the wall throws back.
    let dry = samples.clone();
    for n in 1200..samples.len() {
        samples[n] += 1.6 * dry[n - 1200];
    }
    let found = reading(&samples);
    assert!((found.latency.typical().raw() - 431.77).abs() < 0.01, "{:?}", found.latency);
    let echo = found.echo.expect("an echo");
    assert!((echo.later.raw() - 1200.0).abs() < 0.05 && (echo.ratio - 1.6).abs() < 0.02, "{echo:?}");
}

#[test]
fn lost_and_doubled_frames_are_told_with_their_place() {
    for (shift, at) in [(-1i64, 100_000usize), (1, 90_000), (-64, 150_000), (256, 60_000), (-1024, 120_000)] {
        let mut samples = loop_of(&recipe(), 250.5);
        if shift < 0 {
            samples.drain(at..at + shift.unsigned_abs() as usize);
        } else {
            let again: Vec<f64> = samples[at - shift as usize..at].to_vec();
            samples.splice(at..at, again);
        }
        let found = reading(&samples);
        assert_eq!(found.slips.len(), 1, "{shift}: {:?}", found.slips);
        let slip = found.slips[0];
        assert_eq!(slip.shift_frames, shift);
        // A burst that was hit itself belongs to either side.
        assert!(slip.frame.abs_diff(at as u64) <= slip.give_or_take + 13_000, "{shift}: {slip:?}");
        assert!((found.latency.typical().raw() - 250.5).abs() < 0.05, "{shift}: {:?}", found.latency);
    }
}

#[test]
fn outputs_are_told_apart_without_the_probe_at_hand() {
    for channels in [1usize, 2, 5, 8] {
        let recipe = Recipe::new(RATE, channels, 8, -20).unwrap();
        let played = recipe.render();
        for (source, signal) in played.iter().enumerate() {
            let mut samples = delayed(signal, 333.3, recipe.length());
            hiss(&mut samples, noise_at(&recipe, -8.0), source as u64);
            let found = read(&[single(&samples)], RATE, None, &OneByOne).unwrap();
            assert_eq!((found.channels[0].source, found.recipe.channels), (source, channels));
            assert_eq!(found.recipe.level_db, -20);
        }
    }
}

#[test]
fn what_cannot_be_read_is_refused_with_its_reason() {
    let refused = |channels: &[Vec<f32>], rate| read(channels, rate, None, &OneByOne).unwrap_err();
    let two = Recipe::new(RATE, 2, 8, -12).unwrap();
    let played = two.render();
    let both: Vec<f32> = played[0].iter().zip(&played[1]).map(|(a, b)| a + 0.7 * b).collect();
    assert!(matches!(refused(&[both], RATE), Refusal::Mixed { first: 0, second: 1, .. }));

    let mut random = fastrand::Rng::with_seed(3);
    let only_hiss: Vec<f32> = (0..480_000).map(|_| 0.1 * gauss(&mut random) as f32).collect();
    assert_eq!(refused(&[only_hiss], RATE), Refusal::Nothing);
    assert_eq!(refused(&[vec![0.0; 480_000]], RATE), Refusal::Nothing);
    assert!(matches!(refused(&[vec![0.0; 4800]], RATE), Refusal::TooShort { .. }));
    assert!(matches!(refused(&[], RATE), Refusal::TooShort { .. }));

    let clipped: Vec<f32> =
        loop_of(&recipe(), 99.0).iter().map(|x| (x * 6.0).clamp(-1.0, 1.0) as f32).collect();
    assert!(matches!(refused(&[clipped], RATE), Refusal::Clipped { channel: 0, .. }));

    let same = single(&loop_of(&recipe(), 10.0));
    let wrong = refused(std::slice::from_ref(&same), Hz::new(44_100));
    assert_eq!(wrong, Refusal::WrongRate { made: RATE, says: Hz::new(44_100) });
    let converted: Vec<f32> = (0..same.len() * 2 - 2)
        .map(|n| if n % 2 == 0 { same[n / 2] } else { (same[n / 2] + same[n / 2 + 1]) / 2.0 })
        .collect();
    assert_eq!(
        refused(&[converted], Hz::new(96_000)),
        Refusal::WrongRate { made: RATE, says: Hz::new(96_000) }
    );
}

#[test]
fn from_the_finger_to_the_sound() {
    let rate = Hz::new(48_000);
    let mut random = fastrand::Rng::with_seed(11);
    let (mut act, mut sound) = (vec![0.0f32; 480_000], vec![0.0f32; 480_000]);
    let mut truth = Vec::new();
    for i in 0..12 {
        let at = 20_000 + i * 36_000;
        let delay = 500 + random.usize(0..60);
        truth.push(delay as f64);
        for n in 0..1500 {
            let fall = (-(n as f32) / 200.0).exp();
            act[at + n] += 0.5 * fall * (n as f32 * 0.9).cos();
            sound[at + delay + n] += 0.3 * (-(n as f32) / 4000.0).exp() * (n as f32 * 0.06).cos();
        }
    }
    for x in act.iter_mut().chain(&mut sound) {
        *x += 0.0003 * gauss(&mut random) as f32;
    }
    let found = onsets(&act, &sound, rate).unwrap();
    assert_eq!((found.events.len(), found.unanswered), (12, 0));
    for (event, truth) in found.events.iter().zip(&truth) {
        assert!((event.delay.raw() - truth).abs() <= 3.0, "{event:?} against {truth}");
    }
    assert!(onsets(&act, &vec![0.0; 480_000], rate).is_err());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    #[test]
    fn any_delay_gain_and_noise_reads_within_its_interval_or_nearly(
        delay in 0.0f64..5000.0, gain in 0.02f64..1.0, snr in 5.0f64..60.0, seed in 0u64..1000
    ) {
        let recipe = recipe();
        let mut samples: Vec<f64> = loop_of(&recipe, delay).iter().map(|x| x * gain).collect();
        hiss(&mut samples, noise_at(&recipe, snr) * gain, seed);
        let found = reading(&samples);
        let half = found.latency.spread().raw() / 2.0;
        prop_assert!((found.latency.typical().raw() - delay).abs() < 3.0 * half, "{found:?}");
        prop_assert!((found.snr.raw() - snr).abs() < 1.5, "{found:?}");
        prop_assert!((found.gain.raw() - Decibels::of_amplitude(gain).raw()).abs() < 0.5);
    }

    #[test]
    fn any_samples_at_all_never_panic(samples in prop::collection::vec(-2.0f32..2.0, 0..60_000)) {
        let _ = read(&[samples], Hz::new(8000), None, &OneByOne);
    }
}
