//! From the finger to the sound, for every way in which a sound begins: the delay is known because it was put there.

use swiftloop_measure::probe::{OnsetRefusal, onsets};
use swiftloop_units::Hz;

const RATE: Hz = Hz::new(48_000);
const LENGTH: usize = 480_000;

/// How loud a sound is, `n` frames after it began.
type Attack = fn(f32) -> f32;

/// A contact microphone hears a knock.
fn knock(n: f32) -> f32 {
    0.5 * (-n / 200.0).exp() * (n * 0.9).cos()
}

/// A plucked string: there at once, and long.
fn plucked(n: f32) -> f32 {
    0.3 * (-n / 9000.0).exp() * (n * 0.04).sin()
}

/// A drum: noise-like partials that die fast.
fn drum(n: f32) -> f32 {
    0.6 * (-n / 700.0).exp() * ((n * 0.31).cos() + (n * 0.73).cos() + (n * 1.37).cos()) / 3.0
}

/// A synthesiser's pad with an attack of two milliseconds.
fn pad(n: f32) -> f32 {
    0.2 * (n / 96.0).min(1.0) * (-n / 8000.0).exp() * (n * 0.2).sin()
}

/// Both channels: an act every 0.7 s or so, the sound of it `delays` frames later.
fn recording(attack: Attack, delays: &[usize], seed: u64, noise: f32) -> (Vec<f32>, Vec<f32>) {
    let mut random = fastrand::Rng::with_seed(seed);
    let mut hiss = move || noise * (random.f32() + random.f32() + random.f32() - 1.5);
    let (mut act, mut sound) = (vec![0.0; LENGTH], vec![0.0; LENGTH]);
    for (i, delay) in delays.iter().enumerate() {
        let at = 20_000 + i * 34_000;
        for n in 0..30_000.min(LENGTH - at - delay) {
            act[at + n] += knock(n as f32);
            sound[at + delay + n] += attack(n as f32);
        }
    }
    for x in act.iter_mut().chain(&mut sound) {
        *x += hiss();
    }
    (act, sound)
}

/// Delays between 3 and 45 ms.
fn some_delays(seed: u64) -> Vec<usize> {
    let mut random = fastrand::Rng::with_seed(seed);
    (0..12).map(|_| random.usize(150..2160)).collect()
}

#[test]
fn every_attack_is_found_where_it_begins() {
    // A sharp attack to a few frames; one that swells is heard only once it stands out of the noise.
    let attacks: [(&str, Attack, f64); 4] =
        [("knock", knock, 3.0), ("plucked", plucked, 12.0), ("drum", drum, 3.0), ("pad", pad, 40.0)];
    for (name, attack, within) in attacks {
        for seed in 0..4 {
            let delays = some_delays(seed);
            let (act, sound) = recording(attack, &delays, seed, 0.0002);
            let found = onsets(&act, &sound, RATE).unwrap_or_else(|e| panic!("{name}: {e:?}"));
            assert_eq!((found.events.len(), found.unanswered), (12, 0), "{name} {seed}");
            for (event, truth) in found.events.iter().zip(&delays) {
                let off = event.delay.raw() - *truth as f64;
                assert!(off.abs() <= within, "{name} {seed}: {off} frames off at {truth}");
            }
        }
    }
}

#[test]
fn hum_offset_and_level_move_nothing() {
    let delays = some_delays(9);
    let (act, sound) = recording(drum, &delays, 9, 0.0002);
    let plain = onsets(&act, &sound, RATE).unwrap();
    let hum = |n: usize| 0.02 * (n as f32 * std::f32::consts::TAU * 50.0 / 48_000.0).sin();
    let humming: Vec<f32> = sound.iter().enumerate().map(|(n, x)| x + 0.1 + hum(n)).collect();
    let quiet: Vec<f32> = act.iter().map(|x| x * 0.05).collect();
    for (act, sound) in [(&act, &humming), (&quiet, &sound), (&quiet, &humming)] {
        let found = onsets(act, sound, RATE).unwrap();
        assert_eq!(found.events.len(), 12);
        for (a, b) in found.events.iter().zip(&plain.events) {
            assert!((a.delay - b.delay).raw().abs() <= 6.0, "{a:?} against {b:?}");
        }
    }
}

#[test]
fn median_and_spread_are_those_of_the_events() {
    let delays = [480, 500, 490, 2000, 470];
    let (act, sound) = recording(knock, &delays, 1, 0.0001);
    let found = onsets(&act, &sound, RATE).unwrap();
    assert!((found.median.raw() - 490.0).abs() <= 2.0, "{found:?}");
    assert!((found.spread.raw() - 1530.0).abs() <= 4.0, "{found:?}");
}

#[test]
fn an_act_without_a_sound_is_counted_and_takes_nobody_elses() {
    let delays = some_delays(5);
    let (act, mut sound) = recording(knock, &delays, 5, 0.0001);
    // The fourth and the last sound never came.
    for i in [3, 11] {
        let from = 20_000 + i * 34_000 - 100;
        sound[from..(from + 33_000).min(LENGTH)].fill(0.0);
    }
    let found = onsets(&act, &sound, RATE).unwrap();
    assert_eq!((found.events.len(), found.unanswered), (10, 2));
    let answered = (0..12).filter(|i| ![3, 11].contains(i));
    for (event, i) in found.events.iter().zip(answered) {
        assert!((event.delay.raw() - delays[i] as f64).abs() <= 3.0, "{i}: {event:?}");
    }
}

#[test]
fn what_cannot_be_paired_is_refused() {
    let (act, sound) = recording(knock, &[500, 500], 2, 0.0001);
    let silence = vec![0.0; LENGTH];
    assert_eq!(onsets(&silence, &sound, RATE), Err(OnsetRefusal::Quiet(0)));
    assert_eq!(onsets(&act, &silence, RATE), Err(OnsetRefusal::Quiet(1)));
    assert_eq!(onsets(&[], &[], RATE), Err(OnsetRefusal::Quiet(0)));
    // Sounds before every act answer none; those after more than half a second neither.
    let early: Vec<f32> = sound[15_000..].iter().copied().chain(vec![0.0; 15_000]).collect();
    let before = onsets(&act[..60_000], &early[..36_000], RATE);
    assert_eq!(before, Err(OnsetRefusal::Unrelated));
}
