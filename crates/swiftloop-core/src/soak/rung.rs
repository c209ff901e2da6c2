//! One rung of a soak: what was seen beside what was predicted, and the smallest rung that holds.

use super::ValueCounts;
use super::question::Decision;
use crate::risk::Dropouts;
use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, Gamma};
use swiftloop_units::{Block, Hz, PerHour, Seconds};

/// What happened at one setting.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
pub struct Observed {
    /// Blocks that fell due.
    pub blocks: u64,
    /// Blocks that were late.
    pub late: u64,
    /// Unbroken runs of late blocks.
    pub runs: u64,
    /// How long it lasted.
    pub lasted: Seconds,
}

/// Nothing lasts no time at all.
const LEAST: Seconds = Seconds::new(1e-6);

impl Observed {
    /// This, and then `later`.
    #[must_use]
    pub fn plus(self, later: Self) -> Self {
        Self {
            blocks: self.blocks + later.blocks,
            late: self.late + later.late,
            runs: self.runs + later.runs,
            lasted: self.lasted + later.lasted,
        }
    }

    /// Misses: a run of late blocks is one, but the larger the share of late blocks, the more each counts for itself (one
    /// run without end is no single dropout).
    #[must_use]
    pub fn misses(&self) -> u64 {
        let share = self.late as f64 / self.blocks.max(1) as f64;
        self.runs + ((self.late - self.runs.min(self.late)) as f64 * share).round() as u64
    }

    /// Misses per hour with the exact 95 % interval of a Poisson count (Garwood 1936).
    #[must_use]
    pub fn per_hour(&self) -> Dropouts {
        let misses = self.misses() as f64;
        let quantile = |shape: f64, q: f64| Gamma::new(shape, 1.0).map_or(0.0, |g| g.inverse_cdf(q));
        let low = if misses > 0.0 { quantile(misses, 0.025) } else { 0.0 };
        let rate = |count: f64| PerHour::counted(count, self.lasted.max(LEAST));
        Dropouts { low: rate(low), typical: rate(misses), high: rate(quantile(misses + 1.0, 0.975)) }
    }
}

#[derive(Debug, Clone)]
pub struct Rung {
    pub block: Block,
    pub rate: Hz,
    pub observed: Observed,
    /// Wake-up delays in µs, all workers.
    pub wake_us: ValueCounts,
    /// Execution times in µs, all workers.
    pub exec_us: ValueCounts,
    /// Misses per hour that the risk model said before.
    pub predicted: Dropouts,
    pub decision: Decision,
}

impl Rung {
    /// How many times more was seen than predicted; nothing when too little was seen to say (fewer than 20 misses).
    #[must_use]
    pub fn off_by(&self) -> Option<f64> {
        (self.observed.misses() >= 20 && self.predicted.typical.raw() > 0.0)
            .then(|| self.observed.per_hour().typical / self.predicted.typical)
    }
}

/// The smallest block that showed no miss, where that is all that is known.
#[must_use]
pub fn quiet(rungs: &[Rung]) -> Option<&Rung> {
    rungs.last().filter(|r| r.decision == Decision::Open && r.observed.misses() == 0 && r.observed.blocks > 0)
}

/// The smallest block that holds when all larger ones that were tried do.
#[must_use]
pub fn smallest(rungs: &[Rung]) -> Option<Block> {
    let mut all: Vec<&Rung> = rungs.iter().collect();
    all.sort_by_key(|r| std::cmp::Reverse(r.block));
    let holding = all.iter().take_while(|r| r.decision == Decision::Holds);
    holding.last().map(|r| r.block)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn observed(blocks: u64, late: u64, runs: u64) -> Observed {
        Observed { blocks, late, runs, lasted: Seconds::new(3600.0) }
    }

    #[test]
    fn the_interval_is_the_textbooks() {
        // Garwood's table: 0 → 3.689, 10 → 4.795 to 18.39.
        let none = observed(1_000_000, 0, 0).per_hour();
        assert!(none.low.raw() == 0.0 && (none.high.raw() - 3.689).abs() < 0.001, "{none:?}");
        let ten = observed(1_000_000, 25, 10).per_hour();
        assert!((ten.low.raw() - 4.795).abs() < 0.001 && (ten.high.raw() - 18.391).abs() < 0.001, "{ten:?}");
        assert_eq!(ten.typical.raw(), 10.0);
    }

    #[test]
    fn many_late_blocks_count_each() {
        assert_eq!(observed(1000, 1000, 1).misses(), 1000);
        assert_eq!(observed(1000, 500, 20).misses(), 260);
        assert_eq!(observed(1000, 5, 2).misses(), 2);
        // One late block more never makes a step.
        let all: Vec<u64> = (20..900).map(|late| observed(1000, late, 20).misses()).collect();
        assert!(all.windows(2).all(|w| w[1] >= w[0] && w[1] - w[0] <= 2));
    }

    #[test]
    fn the_smallest_stands_above_no_rung_that_breaks() {
        let rung = |frames, decision| Rung {
            block: Block::new(frames),
            rate: Hz::new(48_000),
            observed: observed(1, 0, 0),
            wake_us: ValueCounts::default(),
            exec_us: ValueCounts::default(),
            predicted: Dropouts::NONE,
            decision,
        };
        use Decision::{Breaks, Holds, Open};
        assert_eq!(smallest(&[rung(32, Breaks), rung(64, Holds), rung(128, Holds)]), Some(Block::new(64)));
        assert_eq!(smallest(&[rung(32, Holds), rung(64, Open), rung(128, Holds)]), Some(Block::new(128)));
        assert_eq!(smallest(&[rung(32, Breaks)]), None);
    }
}
