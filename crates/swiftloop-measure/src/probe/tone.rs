//! A tone that never repeats, to play through a loop and listen for what got lost: three sines that slide at
//! unrelated speeds, so that every lost, doubled or wrong frame shows, and every place can be told from every other.

use std::f64::consts::TAU;
use swiftloop_units::{Decibels, Hz};

/// Middle frequency, how far it slides either way, and in how many seconds to and fro.
const VOICES: [(f64, f64, f64); 3] = [(311.0, 60.0, 17.3), (977.0, 230.0, 11.9), (2903.0, 700.0, 23.7)];

/// `frames` of the tone with the given peak.
#[must_use]
pub fn tone(rate: Hz, frames: usize, peak: Decibels) -> Vec<f32> {
    let rate = f64::from(rate.get());
    let amplitude = peak.amplitude() / VOICES.len() as f64;
    let fade = (0.02 * rate).max(1.0);
    (0..frames)
        .map(|n| {
            let t = n as f64 / rate;
            // The integral of f + s·sin(2πt/p): phase without jumps.
            let voice = |(f, s, p): (f64, f64, f64)| f * t - s * p / TAU * (TAU * t / p).cos();
            let sum: f64 = VOICES.iter().map(|v| (voice(*v).fract() * TAU).sin()).sum();
            let edge = (n.min(frames - 1 - n) as f64 / fade).min(1.0);
            (amplitude * sum * edge) as f32
        })
        .collect()
}
