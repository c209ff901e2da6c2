//! A machine that is not there: what a soak of it would have heard.

use swiftloop_core::soak::{Samples, ValueCounts};
use swiftloop_units::stats::Pareto;

/// A tidy laptop on mains power: wake-ups of some ten microseconds, one in five hundred delayed by an interrupt, work
/// that takes up to a few percent longer than undisturbed. `wakes` of them, from a seed.
#[must_use]
pub fn tidy_laptop(wakes: u64, seed: u64) -> Samples {
    let mut random = fastrand::Rng::with_seed(seed);
    let tail = Pareto { shape: 0.08, scale: 22.0 };
    let mut delays = Vec::new();
    for block in 0..wakes {
        let slow = random.f64() < 0.002;
        let us = 6.0
            + 5.0 * super::gauss(&mut random).abs()
            + if slow { 45.0 + tail.quantile_above(1.0 - random.f64()) } else { 0.0 };
        // A tenth of a microsecond is what a clock tells.
        delays.push((block, (us * 10.0).round() / 10.0));
    }
    let pace = |random: &mut fastrand::Rng| 1.0 + 0.012 * super::gauss(random).abs();
    Samples {
        wakes: ValueCounts::new(delays.iter().map(|d| (d.1, 1))),
        slow: delays.iter().copied().filter(|d| d.1 > 40.0).collect(),
        pace: ValueCounts::new((0..20_000).map(|_| ((pace(&mut random) * 1e4).round() / 1e4, 1))),
        pace_by_second: (0..60).map(|_| 1.01 + 0.003 * super::gauss(&mut random)).collect(),
    }
}
