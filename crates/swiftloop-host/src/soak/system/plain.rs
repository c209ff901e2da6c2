//! What every system has: a clock that only goes forward, and an ordinary sleep.

use std::sync::OnceLock;
use std::time::{Duration, Instant};

/// Nanoseconds since the first call.
pub(super) fn now_ns() -> u64 {
    static START: OnceLock<Instant> = OnceLock::new();
    START.get_or_init(Instant::now).elapsed().as_nanos() as u64
}

/// Sleeps so long, as well as an ordinary thread can.
#[cfg_attr(target_os = "macos", allow(dead_code, reason = "its own sleep never fails"))]
pub(super) fn sleep(ns: u64) {
    std::thread::sleep(Duration::from_nanos(ns));
}

#[cfg(not(any(target_os = "macos", target_os = "windows")))]
pub(crate) struct PlainSystem;

#[cfg(not(any(target_os = "macos", target_os = "windows")))]
impl super::RealtimeSystem for PlainSystem {
    fn now_ns() -> u64 {
        now_ns()
    }
    /// What the process worked is not asked here: the time that passed.
    fn worked_ns() -> u64 {
        now_ns()
    }
    fn sleep_until(due_ns: u64) {
        sleep(due_ns.saturating_sub(now_ns()));
    }
    fn realtime() -> Result<(), String> {
        Err("this system is not asked for it".into())
    }
    fn ordinary() {}
    fn lock() -> Result<(), String> {
        Err("this system is not asked for it".into())
    }
}
