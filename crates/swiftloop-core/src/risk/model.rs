//! The risk of one setting: patterns of work with their weights, against a deadline, through the wake-up
//! delays and the variation of execution time.

use super::{Wake, WakeSet, mean_blocks_to_dropout};
use serde::Serialize;

/// Standard normal nodes and weights that stand for the logarithm of execution time. Up to three standard
/// deviations each cell's mean, so that the mean work is right (near saturation everything depends on it); beyond, each
/// cell's upper end, so that the tail is never taken too lightly.
const NODES: [(f64, f64); 13] = [
    (-1.525135, 1.5865525393e-01),
    (-0.459862, 3.4134474607e-01),
    (0.357771, 2.7337264762e-01),
    (1.073831, 1.5982015111e-01),
    (1.791371, 5.4582728614e-02),
    (2.511161, 1.0874574623e-02),
    (3.500000, 1.1172689526e-03),
    (4.000000, 2.0095783720e-04),
    (4.500000, 2.8273568708e-05),
    (5.000000, 3.1110215529e-06),
    (5.500000, 2.6766200939e-07),
    (6.000000, 1.8002974833e-08),
    (7.000000, 9.8658764491e-10),
];

/// Dropouts per hour with their doubt.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Dropouts {
    /// With the hopeful figures.
    pub low: f64,
    /// To expect.
    pub typical: f64,
    /// With the gloomy figures.
    pub high: f64,
}

impl Dropouts {
    /// The sum, bound by bound.
    #[must_use]
    pub fn plus(self, other: Self) -> Self {
        Self {
            low: self.low + other.low,
            typical: self.typical + other.typical,
            high: self.high + other.high,
        }
    }
}

/// Verdict on dropouts per hour against a target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// Even the gloomy figure meets the target.
    Calm,
    /// The typical figure meets the target, the gloomy one does not.
    Uneasy,
    /// The typical figure misses the target.
    Breaking,
}

impl Verdict {
    /// The word used in every output.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Calm => "calm",
            Self::Uneasy => "uneasy",
            Self::Breaking => "breaking",
        }
    }
}

/// The verdict on `dropouts` against `target` per hour.
#[must_use]
pub fn verdict(dropouts: Dropouts, target: f64) -> Verdict {
    if dropouts.typical > target {
        Verdict::Breaking
    } else if dropouts.high > target {
        Verdict::Uneasy
    } else {
        Verdict::Calm
    }
}

/// Period, deadline and wake-up delays of one setting.
#[derive(Debug, Clone, Copy)]
pub struct RiskModel<'a> {
    /// Time between blocks.
    pub period_us: f64,
    /// Deadline in periods: playback blocks less one, at least one.
    pub reserve: f64,
    /// Wake-up delays.
    pub wake: &'a WakeSet,
}

const US_PER_HOUR: f64 = 3.6e9;
/// Grid of the backlog chain in one period, and the most states it may have.
const GRID: usize = 8;
const MOST_STATES: f64 = 48.0;

impl RiskModel<'_> {
    /// Dropouts per hour, typical figures only, for patterns of `(weight, work in µs)`.
    #[must_use]
    pub fn typical(&self, patterns: &[(f64, f64)]) -> f64 {
        self.per_hour(&self.wake.typical, patterns)
    }

    /// Dropouts per hour with low, typical and high figures; work is known only to a factor, from `low` to `high`.
    #[must_use]
    pub fn dropouts(&self, patterns: &[(f64, f64)]) -> Dropouts {
        let low = self.per_hour(&self.wake.low, patterns);
        let typical = self.per_hour(&self.wake.typical, patterns);
        let high = self.per_hour(&self.wake.high, patterns);
        Dropouts { low: low.min(typical), typical, high: high.max(typical) }
    }

    fn per_hour(&self, wake: &Wake, patterns: &[(f64, f64)]) -> f64 {
        let blocks_per_hour = US_PER_HOUR / self.period_us;
        let deadline = self.reserve * self.period_us;
        // The discrete law of execution time, all patterns together.
        let spread: [f64; NODES.len()] = NODES.map(|(z, _)| (wake.variation * z).exp());
        let work: Vec<(f64, f64)> = patterns
            .iter()
            .flat_map(|&(weight, us)| {
                NODES.iter().zip(spread).map(move |(node, k)| (weight * node.1, us * k))
            })
            .collect();
        // P(wake-up delay + work × variation > t).
        let late = |t: f64| -> f64 {
            work.iter()
                .map(|&(weight, us)| if us >= t { weight } else { weight * wake.later_than(t - us) })
                .sum()
        };
        if self.reserve < 1.5 {
            // Late in nearly every block is one long dropout, but no less annoying for that: count each.
            let late = late(deadline);
            return blocks_per_hour * late / if late > 0.01 { 1.0 } else { wake.cluster };
        }
        let grid = GRID.min(((MOST_STATES / self.reserve).floor() as usize).max(2));
        let blocks = mean_blocks_to_dropout(|t| late(t * self.period_us), self.reserve, grid);
        blocks_per_hour / blocks / wake.cluster
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_weights_are_the_normal_law() {
        let sum: f64 = NODES.iter().map(|n| n.1).sum();
        assert!((sum - 1.0).abs() < 1e-7, "{sum}");
    }
}
