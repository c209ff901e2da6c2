//! How much was worked out: steps come in, a count goes out that is the same on every machine. A search that a
//! clock cuts short would answer differently tomorrow; one that is cut short by what it worked out answers the same
//! everywhere, and can say how far off it may be.

use super::Remembered;
use super::remembered::{RememberedRisk, RiskKey};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Counts what one problem has cost, in steps of about a nanosecond of a laptop's core.
#[derive(Debug, Default)]
pub struct StepMeter {
    spent: AtomicU64,
    remembered: Arc<Remembered>,
}

impl StepMeter {
    /// Of a problem that asks much of what others ask: what one has worked out the others know.
    #[must_use]
    pub fn sharing(remembered: Arc<Remembered>) -> Self {
        Self { remembered, ..Self::default() }
    }

    /// One that begins anew, and knows what this one knows.
    #[must_use]
    pub fn anew(&self) -> Self {
        Self::sharing(Arc::clone(&self.remembered))
    }

    /// So many steps more.
    pub fn add(&self, steps: u64) {
        self.spent.fetch_add(steps, Ordering::Relaxed);
    }

    /// The answer to a question, and its steps, whoever worked it out.
    pub(super) fn answer(&self, question: &RiskKey, of: impl FnOnce() -> RememberedRisk) -> f64 {
        let answer = self.remembered.answer(question, of);
        self.add(answer.steps);
        answer.value
    }

    #[must_use]
    pub fn spent(&self) -> u64 {
        self.spent.load(Ordering::Relaxed)
    }
}
