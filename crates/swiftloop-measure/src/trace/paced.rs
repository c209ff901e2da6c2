//! Blocks of a thread that writes no marks: its coming and going and the timers it sets come in, blocks with the instant they were due
//! go out. A block is due when the thread's own timer is, or else a period after the last one, earlier where it
//! came earlier; it ends when the thread goes to sleep for the next.

use super::event::{Instant, LateMark, Left, Pid, Thread, TraceSpan};
use std::collections::{BTreeMap, VecDeque};

/// Times of work that the usual one is taken from.
const WORKS: usize = 255;
const FEWEST: usize = 9;
/// After so many periods without a block the pace begins anew.
const MISSED: i64 = 8;

/// All threads that are followed.
#[derive(Debug, Default)]
pub(super) struct Paced {
    /// From one block to the next.
    period: Option<TraceSpan>,
    threads: BTreeMap<Pid, Followed>,
}

#[derive(Debug, Default)]
struct Followed {
    timer: Option<Instant>,
    /// It wakes by timers of its own.
    timed: bool,
    /// The block at work.
    block: Option<(Thread, LateMark)>,
    last_due: Option<Instant>,
    works: VecDeque<i64>,
}

impl Paced {
    pub fn new(period: Option<TraceSpan>) -> Self {
        Self { period, threads: BTreeMap::new() }
    }

    /// A thread sets a timer.
    pub fn timer_set(&mut self, pid: Pid, due: Instant) {
        if let Some(followed) = self.threads.get_mut(&pid) {
            (followed.timer, followed.timed) = (Some(due), true);
        }
    }

    /// A followed thread gets its core: its block begins, if it is not at one.
    pub fn comes(&mut self, at: Instant, thread: Thread) {
        let followed = self.threads.entry(thread.pid).or_default();
        if followed.block.is_some() {
            return;
        }
        let due = match (followed.timer.take(), self.period, followed.last_due) {
            (Some(due), ..) if due <= at => Some(due),
            (_, Some(period), Some(last)) => {
                let passed = at.since(last).0;
                let count = (passed / period.0.max(1)).max(1);
                (passed <= MISSED * period.0).then(|| last.after(TraceSpan(count * period.0)).min(at))
            }
            (_, Some(_), None) => Some(at),
            _ => None,
        };
        followed.last_due = due.or(followed.last_due);
        let pid = Some(thread.pid);
        followed.block = due
            .map(|due| (thread, LateMark { pid, due, woke: at, period: self.period, ..LateMark::default() }));
    }

    /// A followed thread leaves its core: its block, when that is over.
    pub fn goes(&mut self, at: Instant, thread: Thread, left: Left) -> Option<LateMark> {
        let followed = self.threads.get_mut(&thread.pid)?;
        // One that sets timers and goes to sleep without one waits in the middle of its block.
        if left == Left::Runnable || (followed.timed && followed.timer.is_none()) {
            return None;
        }
        let (_, block) = followed.block.take()?;
        let known = followed.works.len() >= FEWEST;
        let usual =
            known.then(|| swiftloop_units::stats::median(followed.works.iter().map(|w| *w as f64)) as i64);
        followed.works.push_back(at.since(block.woke).0);
        if followed.works.len() > WORKS {
            followed.works.pop_front();
        }
        // Only one that was passed is what the block is judged by.
        let deadline = self.period.map(|p| block.due.after(p)).filter(|d| at > *d);
        Some(LateMark { done: Some(at), deadline, work: usual.map(TraceSpan), ..block })
    }

    /// Blocks that have not ended, and never will.
    pub fn unfinished(&mut self) -> Vec<(Thread, LateMark)> {
        std::mem::take(&mut self.threads).into_values().filter_map(|f| f.block).collect()
    }
}
