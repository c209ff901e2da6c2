//! Events in the order of time. Cores that are written one after another, or across each other, come in; the follower gets
//! them as they happened. A bounded heap of events is sorted, and its first half passed on, so that a
//! stream of any length needs the same memory.

use swiftloop_measure::trace::{Instant, TraceEvent};

/// Events that are held back.
const HELD: usize = 1 << 17;
/// A core whose own events go back further than this has had its clock set.
const CLOCK_STEP_NS: i64 = 1_000_000;

/// Sorts a stream within bounds.
#[derive(Default)]
pub(super) struct BoundedSort {
    held: Vec<TraceEvent>,
    /// The last event of each core.
    last: Vec<i64>,
    passed: Option<Instant>,
    pub too_late: u64,
    /// A core's events may come in any order: rows of a table.
    pub any_order: bool,
}

impl BoundedSort {
    pub fn push(&mut self, event: TraceEvent, to: &mut impl FnMut(TraceEvent)) {
        let core = usize::from(event.core.0);
        if self.last.len() <= core {
            self.last.resize(core + 1, i64::MIN);
        }
        if !self.any_order && event.at.0 < self.last[core].saturating_sub(CLOCK_STEP_NS) {
            self.end(to);
            self.passed = None;
            self.last.fill(i64::MIN);
        }
        self.last[core] = event.at.0;
        if self.passed.is_some_and(|passed| event.at < passed) {
            self.too_late += 1;
            return;
        }
        self.held.push(event);
        if self.held.len() >= 2 * HELD {
            self.pass(HELD, to);
        }
    }

    /// Passes on all that is held.
    pub fn end(&mut self, to: &mut impl FnMut(TraceEvent)) {
        self.pass(self.held.len(), to);
    }

    fn pass(&mut self, count: usize, to: &mut impl FnMut(TraceEvent)) {
        // Stable: what happened at the same microsecond keeps the order of the file.
        self.held.sort_by_key(|e| e.at);
        for event in self.held.drain(..count) {
            self.passed = Some(event.at);
            to(event);
        }
    }
}
