//! What victim and thief have in common: when blocks are due, when the thief was at work, and how a thread is put on a core.

use std::error::Error;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicI64, Ordering::SeqCst};
use std::time::Duration;

/// From one block to the next, in nanoseconds: 64 frames at 48 kHz.
pub const PERIOD: i64 = 1_333_333;

pub type Failed = Box<dyn Error>;

/// What the threads share.
pub struct Shared {
    pub stop: AtomicBool,
    pub core: usize,
    /// The grid on which blocks are due.
    pub start: AtomicI64,
    /// When the thief was at work.
    pub active: Mutex<Vec<(i64, i64)>>,
    /// Blocks that were late: due and woke or done.
    pub late: Mutex<Vec<(u64, i64, i64)>>,
}

impl Shared {
    pub fn goes_on(&self) -> bool {
        !self.stop.load(SeqCst)
    }

    pub fn was_active(&self, from: i64, to: i64) {
        if let Ok(mut all) = self.active.lock() {
            all.push((from, to));
        }
    }
}

pub fn now() -> i64 {
    swiftloop_host::soak::now_ns() as i64
}

pub fn sleep_until(ns: i64) {
    let at = libc::timespec { tv_sec: ns / 1_000_000_000, tv_nsec: ns % 1_000_000_000 };
    // SAFETY: the time is valid for the call, and what is left is not asked for.
    unsafe {
        libc::clock_nanosleep(libc::CLOCK_MONOTONIC, libc::TIMER_ABSTIME, &raw const at, std::ptr::null_mut())
    };
}

pub fn sleep(ms: u64) {
    std::thread::sleep(Duration::from_millis(ms));
}

/// This thread stays on a core, with a real-time priority when one is given.
pub fn settle(core: usize, priority: Option<i32>) -> Result<(), Failed> {
    // SAFETY: the set is a plain value, filled before it is used; the thread is this one.
    unsafe {
        let mut set: libc::cpu_set_t = std::mem::zeroed();
        libc::CPU_SET(core, &mut set);
        if libc::sched_setaffinity(0, size_of::<libc::cpu_set_t>(), &raw const set) != 0 {
            return Err("a thread cannot be kept on a core".into());
        }
        if let Some(sched_priority) = priority {
            let wish = libc::sched_param { sched_priority };
            if libc::sched_setscheduler(0, libc::SCHED_FIFO, &raw const wish) != 0 {
                return Err("real-time priority is not allowed".into());
            }
        }
    }
    Ok(())
}

pub fn spin(ns: i64) {
    let end = now() + ns;
    while now() < end {
        std::hint::spin_loop();
    }
}
