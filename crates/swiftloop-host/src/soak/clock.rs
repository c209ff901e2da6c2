//! The clock that nobody can step, and sleeping until an instant of it.

use super::system::{Here, RealtimeSystem};

/// Nanoseconds since some start that does not change: the monotonic clock.
#[must_use]
pub fn now_ns() -> u64 {
    Here::now_ns()
}

/// Nanoseconds that this process worked, in all its threads: what other programs take is not in it.
#[must_use]
pub fn worked_ns() -> u64 {
    Here::worked_ns()
}

/// Sleeps until the clock shows `due_ns`; at once when it has passed. A signal does not cut the sleep short.
pub(crate) fn sleep_until(due_ns: u64) {
    Here::sleep_until(due_ns);
}
