//! Which block has which work: decided before the first block, looked up in each.

use super::task::Task;
use swiftloop_core::soak::WorkPattern;
use swiftloop_units::Micros;

/// Blocks after which the order begins anew.
const CYCLE: u32 = 4096;

/// The work of every block on every worker, in frames of work.
#[derive(Debug, Clone)]
pub struct Schedule {
    order: Vec<u16>,
    frames: Vec<Vec<u64>>,
}

impl Schedule {
    /// For so many workers. The kinds of blocks come in golden-section steps, so that every stretch has its share of each.
    #[must_use]
    pub fn new(task: &Task, workers: usize) -> Self {
        let total: f64 = task.patterns.iter().map(|p| p.share).sum();
        let pick = |i: u32| {
            let mut left = (f64::from(i) * 0.618_033_988_749_894_9).fract() * total;
            let at = task.patterns.iter().position(|p| {
                left -= p.share;
                left < 0.0
            });
            at.unwrap_or(task.patterns.len().saturating_sub(1)) as u16
        };
        let of = |work: Micros| (work.raw().max(0.0) * 1000.0 / task.frame_ns).round() as u64;
        let each =
            |p: &WorkPattern| (0..workers).map(|w| p.work.get(w).map_or(0, |work| of(*work))).collect();
        Self { order: (0..CYCLE).map(pick).collect(), frames: task.patterns.iter().map(each).collect() }
    }

    /// The work of a block on a worker.
    #[must_use]
    pub fn frames(&self, block: u64, worker: usize) -> u64 {
        let kind = self.order.get((block % u64::from(CYCLE)) as usize).copied().unwrap_or(0);
        self.frames.get(kind as usize).and_then(|f| f.get(worker)).copied().unwrap_or(0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_of_block_gets_its_share_of_every_stretch() {
        let kind = |share, us| WorkPattern { share, work: vec![Micros::new(us)] };
        let patterns = vec![kind(0.5, 1.0), kind(0.3, 2.0), kind(0.2, 3.0)];
        let task = Task { period_ns: 1e6, reserve: 1.0, seconds: 1.0, patterns, frame_ns: 1000.0 };
        let schedule = Schedule::new(&task, 1);
        for stretch in (0..CYCLE).collect::<Vec<_>>().chunks(128) {
            for (frames, share) in [(1, 0.5), (2, 0.3), (3, 0.2)] {
                let here = stretch.iter().filter(|b| schedule.frames(u64::from(**b), 0) == frames).count();
                assert!((here as f64 / 128.0 - share).abs() < 0.04, "{frames}: {here}");
            }
        }
        assert_eq!(schedule.frames(7, 1), 0); // a worker that is not there
    }
}
