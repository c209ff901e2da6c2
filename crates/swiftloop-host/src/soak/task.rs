//! What a soak is to do: how often blocks come, how long they may take, what is to be worked in them.

use swiftloop_core::soak::WorkPattern;

#[derive(Debug, Clone)]
pub struct Task {
    /// Time between blocks, in nanoseconds.
    pub period_ns: f64,
    /// Periods until a block must be done: playback blocks less one, at least one.
    pub reserve: f64,
    /// How long, in seconds.
    pub seconds: f64,
    /// Kinds of blocks: how often each comes and its work on each worker.
    pub patterns: Vec<WorkPattern>,
    /// What one frame of work takes on this machine, in nanoseconds.
    pub frame_ns: f64,
}
