//! The risk of one setting: patterns of work with their weights, against a deadline, through the wake-up
//! delays and the variation of execution time.

use super::{Wake, WakeSet, mean_blocks_to_dropout};
use crate::load::WorkShare;
use crate::units::{Micros, PerHour};
use serde::Serialize;

/// Dropouts per hour with their doubt.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Dropouts {
    /// With the hopeful figures.
    pub low: PerHour,
    /// To expect.
    pub typical: PerHour,
    /// With the gloomy figures.
    pub high: PerHour,
}

impl Dropouts {
    /// None at all.
    pub const NONE: Self =
        Self { low: PerHour::new(0.0), typical: PerHour::new(0.0), high: PerHour::new(0.0) };

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
pub enum DropoutVerdict {
    /// Even the gloomy figure meets the target.
    Holds,
    /// The typical figure meets the target, the gloomy one does not: it cannot be told yet.
    Open,
    /// The typical figure misses the target.
    Breaks,
}

impl DropoutVerdict {
    /// The word used in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Holds => "holds",
            Self::Open => "open",
            Self::Breaks => "breaks",
        }
    }
}

/// The verdict on `dropouts` against what is allowed.
#[must_use]
pub fn verdict(dropouts: Dropouts, target: PerHour) -> DropoutVerdict {
    if dropouts.typical > target {
        DropoutVerdict::Breaks
    } else if dropouts.high > target {
        DropoutVerdict::Open
    } else {
        DropoutVerdict::Holds
    }
}

/// Period, deadline and wake-up delays of one setting.
#[derive(Debug, Clone, Copy)]
pub struct RiskModel<'a> {
    /// Time between blocks.
    pub period: Micros,
    /// Deadline in periods: playback blocks less one, at least one.
    pub reserve: f64,
    /// Wake-up delays.
    pub wake: &'a WakeSet,
}

const US_PER_HOUR: f64 = 3.6e9;
/// Grid of the backlog chain in one period, and the most states it may have.
const GRID: usize = 8;
const MOST_STATES: f64 = 48.0;
/// When a larger share of blocks is late, each counts; below, a run of them is one dropout.
pub const EACH_COUNTS: f64 = 0.01;
/// Periods that one late block may span: what is longer is rare, and changes nothing.
const LONGEST_SPAN: u32 = 256;

impl RiskModel<'_> {
    /// Dropouts per hour, typical figures only.
    #[must_use]
    pub fn typical(&self, work: &[WorkShare]) -> PerHour {
        self.per_hour(&self.wake.typical, work)
    }

    /// Dropouts per hour with low, typical and high figures; work is known only to a factor, from `low` to `high`.
    #[must_use]
    pub fn dropouts(&self, work: &[WorkShare]) -> Dropouts {
        let low = self.per_hour(&self.wake.low, work);
        let typical = self.per_hour(&self.wake.typical, work);
        let high = self.per_hour(&self.wake.high, work);
        Dropouts { low: low.min(typical), typical, high: high.max(typical) }
    }

    /// Dropouts per hour as a soak counts them: after a late block it goes on at the next period, so the periods that a
    /// late block spans bring no block of their own, `1 + Σⱼ P(longer than j periods)` of them for every block done.
    /// Unlike [`RiskModel::dropouts`] this falls again when blocks take many periods.
    #[must_use]
    pub fn counted(&self, work: &[WorkShare]) -> Dropouts {
        let one = |wake: &Wake| {
            let longer = |j: u32| later_than(wake, work, f64::from(j) * self.period.raw());
            let spanned: f64 = (1..=LONGEST_SPAN).map(longer).take_while(|p| *p > 1e-9).sum();
            self.per_hour(wake, work) / (1.0 + spanned)
        };
        let all = [&self.wake.low, &self.wake.typical, &self.wake.high].map(one);
        Dropouts { low: all[0].min(all[1]), typical: all[1], high: all[2].max(all[1]) }
    }

    fn per_hour(&self, wake: &Wake, work: &[WorkShare]) -> PerHour {
        let blocks_per_hour = US_PER_HOUR / self.period.raw();
        let deadline = self.reserve * self.period.raw();
        let late = |t: f64| later_than(wake, work, t);
        if self.reserve < 1.5 {
            // Late in nearly every block is one long dropout, but no less annoying for that: count each.
            let missed = late(deadline);
            let run = if missed > EACH_COUNTS { 1.0 } else { wake.cluster };
            return PerHour::new(blocks_per_hour * missed / run);
        }
        let grid = GRID.min(((MOST_STATES / self.reserve).floor() as usize).max(2));
        let blocks = mean_blocks_to_dropout(|t| late(t * self.period.raw()), self.reserve, grid);
        PerHour::new(blocks_per_hour / blocks / wake.cluster)
    }
}

/// P(wake-up delay + work × pace + interruptions of the work > t), over all patterns together.
fn later_than(wake: &Wake, work: &[WorkShare], t: f64) -> f64 {
    let mut late = 0.0;
    for &WorkShare { share: weight, work } in work {
        let us = work.raw();
        let at = |&(share, pace): &(f64, f64)| share * wake.later_than(t - us * pace);
        late += weight * (wake.pace.iter().map(at).sum::<f64>() + wake.struck(t - us, us)).min(1.0);
    }
    late
}
