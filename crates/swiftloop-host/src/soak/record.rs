//! What a soak remembers: histograms of fixed size, and a list of the slowest moments with when they were, both
//! allocated before the first block.

use super::permission::Permission;
use hdrhistogram::Histogram;
use swiftloop_core::soak::{Observed, Samples, ValueCounts};
use swiftloop_units::Seconds;

/// Longest time told apart: a minute; what is longer counts as that.
const LONGEST_NS: u64 = 60_000_000_000;
/// Digits that a histogram keeps: 1 in 1000.
const DIGITS: u8 = 3;
/// Slow moments remembered with their time.
const MOMENTS: usize = 1 << 15;
/// From here on a delay is a slow moment.
pub(super) const SLOW_NS: u64 = 40_000;

/// A delay and the block it struck.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Late {
    /// Block number from the start.
    pub block: u64,
    /// How late, in nanoseconds.
    pub ns: u64,
}

/// What one worker recorded.
#[derive(Debug, Clone)]
pub struct WorkerRecord {
    /// Wake-up delays in nanoseconds, of wake-ups from real sleep.
    pub wake: Histogram<u64>,
    /// Execution times in nanoseconds.
    pub exec: Histogram<u64>,
    /// Execution times beside what they should be, in thousandths (1000 = as calibrated).
    pub ratio: Histogram<u64>,
    pub slow: Vec<Late>,
    /// Time spent and time as calibrated, second by second (the last entry takes all that follows).
    seconds: Vec<(f64, f64)>,
}

/// Seconds that are told apart.
const SECONDS: usize = 7200;

impl WorkerRecord {
    /// Empty histograms of full size.
    ///
    /// # Errors
    /// When the histogram's own rules refuse the bounds, which are constants.
    pub fn new() -> Result<Self, hdrhistogram::CreationError> {
        let histogram = || Histogram::new_with_bounds(1, LONGEST_NS, DIGITS);
        Ok(Self {
            wake: histogram()?,
            exec: histogram()?,
            ratio: histogram()?,
            slow: Vec::with_capacity(MOMENTS),
            seconds: vec![(0.0, 0.0); SECONDS],
        })
    }

    /// One block. `wake_ns` is left out when the worker did not sleep before it.
    pub fn block(&mut self, block: u64, second: u64, wake_ns: Option<u64>, exec_ns: u64, calibrated_ns: f64) {
        if let Some(ns) = wake_ns {
            self.wake.saturating_record(ns.max(1));
            if ns >= SLOW_NS && self.slow.len() < MOMENTS {
                self.slow.push(Late { block, ns });
            }
        }
        self.exec.saturating_record(exec_ns.max(1));
        if calibrated_ns >= 1.0 {
            self.ratio.saturating_record((exec_ns as f64 / calibrated_ns * 1000.0) as u64 + 1);
            let at = (second as usize).min(SECONDS - 1);
            if let Some(second) = self.seconds.get_mut(at) {
                second.0 += exec_ns as f64;
                second.1 += calibrated_ns;
            }
        }
    }

    /// What the worker heard.
    fn heard(&self) -> Samples {
        Samples {
            wakes: counts(&self.wake),
            slow: self.slow.iter().map(|s| (s.block, s.ns as f64 / 1000.0)).collect(),
            pace: counts(&self.ratio),
            pace_by_second: self.seconds.iter().filter(|s| s.1 > 0.0).map(|s| s.0 / s.1).collect(),
        }
    }
}

/// What a soak found.
#[derive(Debug, Clone)]
pub struct Record {
    /// What the machine granted.
    pub permission: Permission,
    pub workers: Vec<WorkerRecord>,
    /// Blocks that fell due.
    pub blocks: u64,
    /// Blocks that were done too late (those skipped after them not counted).
    pub late_blocks: u64,
    /// Unbroken runs of late and skipped blocks.
    pub runs: u64,
    /// How long it ran.
    pub seconds: f64,
    /// It was stopped before its time.
    pub stopped: bool,
    /// How far the wall clock was stepped meanwhile, in seconds (it is not what we measure with).
    pub clock_step_s: f64,
}

impl Record {
    #[must_use]
    pub fn observed(&self) -> Observed {
        Observed {
            blocks: self.blocks,
            late: self.late_blocks,
            runs: self.runs,
            lasted: Seconds::new(self.seconds),
        }
    }

    /// What all workers heard.
    #[must_use]
    pub fn heard(&self) -> Samples {
        self.workers.iter().map(WorkerRecord::heard).fold(Samples::default(), Samples::with)
    }

    /// Execution times of all workers in µs.
    #[must_use]
    pub fn exec_us(&self) -> ValueCounts {
        self.workers.iter().map(|w| counts(&w.exec)).fold(ValueCounts::default(), |sum, c| sum.with(&c))
    }
}

/// A histogram's values in thousandths: nanoseconds become microseconds, thousandths whole ones.
fn counts(histogram: &Histogram<u64>) -> ValueCounts {
    let value = |v: u64| histogram.median_equivalent(v) as f64 / 1000.0;
    ValueCounts::new(histogram.iter_recorded().map(|v| (value(v.value_iterated_to()), v.count_at_value())))
}
