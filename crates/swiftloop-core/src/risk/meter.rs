//! How much was worked out: steps come in, a count goes out that is the same on every machine. The one idea: a search that a
//! clock cuts short would answer differently tomorrow; one that is cut short by what it worked out answers the same
//! everywhere, and can say how far off it may be.

use std::sync::atomic::{AtomicU64, Ordering};

/// Counts what one problem has cost, in steps of about a nanosecond of a laptop's core.
#[derive(Debug, Default)]
pub struct Meter(AtomicU64);

impl Meter {
    /// So many steps more.
    pub fn add(&self, steps: u64) {
        self.0.fetch_add(steps, Ordering::Relaxed);
    }

    /// All so far.
    #[must_use]
    pub fn spent(&self) -> u64 {
        self.0.load(Ordering::Relaxed)
    }
}
