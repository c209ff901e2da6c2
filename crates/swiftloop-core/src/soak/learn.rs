//! From what a soak heard to a profile for the risk model: the histogram of wake-up delays, a generalised Pareto tail over
//! a high threshold, how much longer work takes than undisturbed, and how all of that clusters in time.

use super::ValueCounts;
use crate::rig::{PaceBin, PowerPlan, WakeBin, WakeProfile};
use serde::{Deserialize, Serialize};
use swiftloop_units::stats::{HEAVIEST, Pareto, ParetoFit, fit_pareto};
use swiftloop_units::{Factor, Micros, Range, Share};

/// Quantiles between which the histogram is kept: closer towards the tail.
const WAKE_AT: [f64; 16] =
    [0.01, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.98, 0.99, 0.995, 0.998, 0.999, 0.9995, 0.9999, 1.0];
const PACE_AT: [f64; 28] = [
    0.05, 0.15, 0.3, 0.45, 0.6, 0.7, 0.77, 0.82, 0.86, 0.89, 0.91, 0.93, 0.945, 0.955, 0.965, 0.975, 0.98,
    0.985, 0.988, 0.991, 0.994, 0.996, 0.9975, 0.9985, 0.999, 0.9995, 0.9999, 1.0,
];
/// Paces told apart; what is beyond counts as that.
const PACES: (f64, f64) = (0.001, 1000.0);
/// Fewer wake-ups say too little about the tail.
const FEWEST: u64 = 500;
/// Delays beyond the threshold that are tried, at most a fiftieth of all: the number whose fitted tail lies nearest.
const BEYOND: [u64; 7] = [40, 80, 160, 320, 640, 1280, 2560];

/// What a soak heard, all workers and rungs of one kind together.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Samples {
    /// Wake-up delays in µs.
    pub wakes: ValueCounts,
    /// Slow wake-ups in order: block number and delay in µs.
    pub slow: Vec<(u64, f64)>,
    /// Execution times beside what they should be (1 = as calibrated).
    pub pace: ValueCounts,
    /// For every second with work: mean pace.
    pub pace_by_second: Vec<f64>,
}

impl Samples {
    /// This, and then `later`.
    #[must_use]
    pub fn with(mut self, later: Self) -> Self {
        // A gap between the two: the last of one and the first of the other are not neighbours.
        let after = self.slow.last().map_or(0, |s| s.0 + 2);
        self.slow.extend(later.slow.into_iter().map(|s| (after + s.0, s.1)));
        self.pace_by_second.extend(later.pace_by_second);
        self.wakes = self.wakes.with(&later.wakes);
        self.pace = self.pace.with(&later.pace);
        self
    }
}

/// What was so while it was measured.
#[derive(Debug, Clone, Default)]
pub struct Provenance {
    /// ISO 8601.
    pub date: String,
    /// Name and version of the kernel.
    pub kernel: Option<String>,
    /// How clocks are governed.
    pub clocks: Option<String>,
    /// The power plan that this comes to; that of the machine when it cannot be said.
    pub power: Option<PowerPlan>,
    /// The thread had real-time priority.
    pub realtime: bool,
    /// The processor was held out of deep idle.
    pub held_awake: bool,
    /// Speed of a core beside the reference core.
    pub core_speed: Option<f64>,
}

/// The profile; nothing when too little was heard.
#[must_use]
pub fn learn(heard: &Samples, about: &Provenance) -> Option<WakeProfile> {
    let total = heard.wakes.total();
    if total < FEWEST {
        return None;
    }
    let (threshold, excesses, fit) = tail(&heard.wakes);
    let (hiccups, run) = clusters(&heard.slow, threshold);
    // Delays that come together tell less than as many that come alone.
    let widen = run.sqrt();
    let share = excesses.len() as f64 / total as f64;
    let doubt = 1.96 * widen / (excesses.len().max(1) as f64).sqrt();
    let around = |at: f64, (low, high): (f64, f64)| {
        Range::spanning(
            Factor::new((at - (at - low) * widen).clamp(-0.5, HEAVIEST)),
            Factor::new(at.clamp(-0.5, HEAVIEST)),
            Factor::new((at + (high - at) * widen).clamp(-0.5, HEAVIEST)),
        )
    };
    let scale = fit.tail.scale;
    let stretched = |to: f64| Micros::new((scale + (to - scale) * widen).max(scale * 0.2).max(1e-3));
    // Held within what a rig file takes before it is cut into bins, so that no two bins end at the same bound.
    let held = |&(pace, count): &(f64, u64)| (pace.clamp(PACES.0, PACES.1), count);
    let paces = ValueCounts::new(heard.pace.values().iter().map(held)).bins(&PACE_AT);
    Some(WakeProfile {
        date: about.date.clone(),
        wakes: total,
        bins: heard
            .wakes
            .bins(&WAKE_AT)
            .into_iter()
            .map(|(us, count)| WakeBin { up_to_us: Micros::new(us), count })
            .collect(),
        threshold_us: Micros::new(threshold),
        tail_share: Range::spanning(
            Share::new((share * (-doubt).exp()).clamp(0.0, 1.0)),
            Share::new(share),
            Share::new((share * doubt.exp()).clamp(0.0, 1.0)),
        ),
        shape: around(fit.tail.shape, fit.shape_interval),
        scale_us: Range::spanning(
            stretched(fit.scale_interval.0),
            Micros::new(scale.max(1e-3)),
            stretched(fit.scale_interval.1),
        ),
        variation: spread(&heard.pace).map(|v| Range::exact(Factor::new(v))),
        cluster: (hiccups > 0).then_some(Factor::new(run)),
        pace: paces.into_iter().map(|(up_to, count)| PaceBin { up_to: Factor::new(up_to), count }).collect(),
        pace_drift: drift(&heard.pace_by_second).map(Factor::new),
        core_speed: about.core_speed.map(Factor::new),
        power: about.power,
        kernel: about.kernel.clone(),
        clocks: about.clocks.clone(),
        realtime: Some(about.realtime),
        held_awake: Some(about.held_awake),
    })
}

/// Threshold, excesses over it and their law. A threshold too low takes ordinary wake-ups for the tail, one too high has
/// too little to go by: of all that are tried, the one whose law is nearest to what was seen (least Kolmogorov distance).
fn tail(wakes: &ValueCounts) -> (f64, Vec<f64>, ParetoFit) {
    let total = wakes.total();
    let at = |beyond: u64| {
        let threshold = wakes.quantile(1.0 - beyond as f64 / total as f64);
        let above = wakes.values().iter().filter(|v| v.0 > threshold);
        let excesses: Vec<f64> =
            above.flat_map(|&(us, count)| std::iter::repeat_n(us - threshold, count as usize)).collect();
        (threshold, excesses)
    };
    let tried = BEYOND.into_iter().filter(|b| *b == BEYOND[0] || b * 50 <= total).filter_map(|beyond| {
        let (threshold, excesses) = at(beyond);
        let fit = fit_pareto(&excesses)?;
        Some((distance(&excesses, fit.tail), (threshold, excesses, fit)))
    });
    let nearest = tried.min_by(|a, b| a.0.total_cmp(&b.0)).map(|t| t.1);
    nearest.unwrap_or_else(|| {
        let (threshold, excesses) = at(BEYOND[0]);
        let fit = flat(&excesses);
        (threshold, excesses, fit)
    })
}

/// Kolmogorov's distance between excesses in rising order and a tail.
fn distance(excesses: &[f64], tail: Pareto) -> f64 {
    let n = excesses.len() as f64;
    let off = |(i, x): (usize, &f64)| {
        let below = 1.0 - tail.survival(*x);
        (below - i as f64 / n).abs().max(((i + 1) as f64 / n - below).abs())
    };
    excesses.iter().enumerate().map(off).fold(0.0, f64::max)
}

/// An exponential tail when there is too little for two figures.
fn flat(excesses: &[f64]) -> ParetoFit {
    let mean = (excesses.iter().sum::<f64>() / excesses.len().max(1) as f64).max(1.0);
    ParetoFit {
        tail: Pareto { shape: 0.0, scale: mean },
        shape_interval: (-0.2, 0.3),
        scale_interval: (mean * 0.7, mean * 1.4),
    }
}

/// Hiccups (runs of slow wake-ups in neighbouring blocks) beyond the threshold, and how many wake-ups one has.
fn clusters(slow: &[(u64, f64)], threshold: f64) -> (usize, f64) {
    let blocks: Vec<u64> = slow.iter().filter(|s| s.1 > threshold).map(|s| s.0).collect();
    let hiccups = usize::from(!blocks.is_empty()) + blocks.windows(2).filter(|w| w[1] > w[0] + 1).count();
    (hiccups, blocks.len() as f64 / hiccups.max(1) as f64)
}

/// Half of what lies between 16 and 84 % of the logarithm: the standard deviation of a normal law.
fn spread(pace: &ValueCounts) -> Option<f64> {
    (pace.total() > 0).then(|| ((pace.quantile(0.84) / pace.quantile(0.16)).ln() / 2.0).clamp(0.0, 5.0))
}

/// Standard deviation of the logarithm of the pace from second to second.
fn drift(seconds: &[f64]) -> Option<f64> {
    if seconds.len() < 3 {
        return None;
    }
    let logs: Vec<f64> = seconds.iter().map(|s| s.max(1e-6).ln()).collect();
    let mean = logs.iter().sum::<f64>() / logs.len() as f64;
    let variance = logs.iter().map(|l| (l - mean).powi(2)).sum::<f64>() / (logs.len() - 1) as f64;
    Some(variance.sqrt())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn about() -> Provenance {
        Provenance { date: "2026-11-23".into(), ..Provenance::default() }
    }

    /// Delays from a known law: 20 µs and an exponential of 10, and one in 200 from a Pareto tail beyond 100 µs.
    fn heard(seed: u64, count: u64) -> Samples {
        let mut random = fastrand::Rng::with_seed(seed);
        let tail = Pareto { shape: 0.2, scale: 50.0 };
        let mut all = Vec::new();
        for block in 0..count {
            let slow = random.f64() < 0.02;
            let us = if slow {
                100.0 + tail.quantile_above(random.f64())
            } else {
                (20.0 - 10.0 * random.f64().ln()).min(100.0)
            };
            all.push((block, us));
        }
        Samples {
            wakes: ValueCounts::new(all.iter().map(|a| (a.1, 1))),
            slow: all.into_iter().filter(|a| a.1 > 40.0).collect(),
            pace: ValueCounts::new((0..1000).map(|i| (1.0 + f64::from(i) * 1e-4, 1))),
            pace_by_second: vec![1.0, 1.02, 1.04, 1.02],
        }
    }

    #[test]
    fn a_known_tail_comes_back() {
        let profile = learn(&heard(1, 100_000), &about()).unwrap();
        // One in fifty is of the Pareto tail beyond 100 µs; the threshold lies in it.
        assert!(
            profile.threshold_us.raw() >= 100.0 && profile.tail_share.typical().raw() < 0.0205,
            "{profile:?}"
        );
        assert!(profile.shape.low().raw() < 0.2 && 0.2 < profile.shape.high().raw(), "{profile:?}");
        // A Pareto tail stays one beyond a higher threshold: scale + shape × difference.
        let scale = 50.0 + 0.2 * (profile.threshold_us.raw() - 100.0);
        assert!(profile.scale_us.low().raw() < scale && scale < profile.scale_us.high().raw(), "{profile:?}");
        assert_eq!(profile.bins.iter().map(|b| b.count).sum::<u64>(), profile.wakes);
        assert!(profile.cluster.unwrap().raw() < 1.1);
    }

    #[test]
    fn slow_wakeups_in_a_row_are_one_hiccup_and_widen_the_doubt() {
        let alone = heard(2, 50_000);
        let mut together = alone.clone();
        together.slow.retain(|s| s.1 > 100.0);
        for (i, s) in together.slow.iter_mut().enumerate() {
            s.0 = (i as u64 / 8) * 1000 + i as u64 % 8;
        }
        let [alone, together] = [alone, together].map(|h| learn(&h, &about()).unwrap());
        assert!(together.cluster.unwrap().raw() > 1.5 * alone.cluster.unwrap().raw());
        assert!(together.shape.spread().raw() > alone.shape.spread().raw());
        assert_eq!(together.shape.typical(), alone.shape.typical());
    }

    #[test]
    fn paces_beyond_all_measure_share_one_bin() {
        let slow = (0..60).map(|i| (900.0 + f64::from(i) * 10.0, 100));
        let odd = Samples { pace: ValueCounts::new(slow), ..heard(4, 5000) };
        let pace = learn(&odd, &about()).unwrap().pace;
        assert!(pace.windows(2).all(|w| w[0].up_to < w[1].up_to), "{pace:?}");
        assert_eq!(
            (pace.last().unwrap().up_to.raw(), pace.iter().map(|p| p.count).sum::<u64>()),
            (1000.0, 6000)
        );
    }

    #[test]
    fn too_little_is_not_enough_and_no_tail_at_all_is_an_answer() {
        assert!(learn(&heard(3, 499), &about()).is_none());
        let steady = Samples { wakes: ValueCounts::new([(12.0, 5000)]), ..Samples::default() };
        let profile = learn(&steady, &about()).unwrap();
        assert_eq!((profile.tail_share.typical().raw(), profile.cluster), (0.0, None));
    }
}
