//! What a running soak shows while it runs: counters that the workers bump and anybody may read or reset. One relaxed
//! addition or maximum each, so that looking costs the workers nothing.

use std::sync::atomic::AtomicU64;
use std::sync::atomic::Ordering::Relaxed;
use swiftloop_measure::trace::LateLine;

/// Is told of every late block, on the thread that was late: may ask for no memory and wait for nobody.
type Tell = Box<dyn Fn(&LateLine) + Send + Sync>;

/// Counters of all workers.
pub struct SoakMeter {
    workers: Vec<Counters>,
    misses: AtomicU64,
    tell: Option<Tell>,
}

impl std::fmt::Debug for SoakMeter {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("SoakMeter")
            .field("workers", &self.workers)
            .field("misses", &self.misses)
            .finish_non_exhaustive()
    }
}

/// One cache line a worker: they do not get into each other's way.
#[derive(Debug, Default)]
#[repr(align(128))]
struct Counters {
    blocks: AtomicU64,
    worst_wake_ns: AtomicU64,
    worst_exec_ns: AtomicU64,
    exec_ns: AtomicU64,
}

/// A look at one worker.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct WorkerReading {
    pub blocks: u64,
    /// Latest wake-up since the last reset, in µs.
    pub worst_wake_us: f64,
    /// Longest work since the last reset, in µs.
    pub worst_exec_us: f64,
    /// Mean work since the last reset, in µs.
    pub mean_exec_us: f64,
}

impl SoakMeter {
    /// Counters for so many workers.
    #[must_use]
    pub fn new(workers: usize) -> Self {
        Self {
            workers: (0..workers).map(|_| Counters::default()).collect(),
            misses: AtomicU64::new(0),
            tell: None,
        }
    }

    /// The same, and `tell` is told of every late block by its own thread.
    #[must_use]
    pub fn telling(self, tell: impl Fn(&LateLine) + Send + Sync + 'static) -> Self {
        Self { tell: Some(Box::new(tell)), ..self }
    }

    /// A block was late: tells whoever wants to know.
    pub(crate) fn late(&self, line: impl FnOnce() -> LateLine) {
        if let Some(tell) = &self.tell {
            tell(&line());
        }
    }

    pub(crate) fn miss(&self) {
        self.misses.fetch_add(1, Relaxed);
    }

    /// Counts a block of a worker.
    pub fn count(&self, worker: usize, wake_ns: u64, exec_ns: u64) {
        let c = &self.workers[worker];
        c.blocks.fetch_add(1, Relaxed);
        c.exec_ns.fetch_add(exec_ns, Relaxed);
        c.worst_wake_ns.fetch_max(wake_ns, Relaxed);
        c.worst_exec_ns.fetch_max(exec_ns, Relaxed);
    }

    /// Every worker as it stands.
    #[must_use]
    pub fn look(&self) -> Vec<WorkerReading> {
        let us = |ns: &AtomicU64| ns.load(Relaxed) as f64 / 1000.0;
        self.workers
            .iter()
            .map(|c| {
                let blocks = c.blocks.load(Relaxed);
                WorkerReading {
                    blocks,
                    worst_wake_us: us(&c.worst_wake_ns),
                    worst_exec_us: us(&c.worst_exec_ns),
                    mean_exec_us: us(&c.exec_ns) / blocks.max(1) as f64,
                }
            })
            .collect()
    }

    /// Misses so far; a reset does not forget them.
    #[must_use]
    pub fn misses(&self) -> u64 {
        self.misses.load(Relaxed)
    }

    /// Forgets worst and mean, not the record.
    pub fn reset(&self) {
        for c in &self.workers {
            for counter in [&c.blocks, &c.worst_wake_ns, &c.worst_exec_ns, &c.exec_ns] {
                counter.store(0, Relaxed);
            }
        }
    }
}
