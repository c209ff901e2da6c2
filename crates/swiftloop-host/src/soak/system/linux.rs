//! Linux: FIFO scheduling, absolute sleeps, locked memory.

use super::RealtimeSystem;

pub(crate) struct Linux;

/// Priority of audio threads: above what serves ordinary interrupts (50), below watchdogs (99).
const PRIORITY: libc::c_int = 70;

/// What the system says when it refuses, without its number.
#[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
fn refusal(e: &std::io::Error) -> String {
    match e.kind() {
        std::io::ErrorKind::PermissionDenied => "this user may not".into(),
        std::io::ErrorKind::OutOfMemory => "more than this user may lock".into(),
        _ => e.to_string().split(" (os error").next().unwrap_or_default().to_lowercase(),
    }
}

fn schedule(policy: libc::c_int, priority: libc::c_int) -> Result<(), String> {
    // The kernel itself is asked, of this thread (0): not every C library passes this on (sched(7)).
    // SAFETY: the number is valid for the call, and only read.
    match unsafe { libc::syscall(libc::SYS_sched_setscheduler, 0, policy, &raw const priority) } {
        0 => Ok(()),
        _ => Err(refusal(&std::io::Error::last_os_error())),
    }
}

fn clock_ns(clock: rustix::time::ClockId) -> u64 {
    let time = rustix::time::clock_gettime(clock);
    time.tv_sec.unsigned_abs() * 1_000_000_000 + time.tv_nsec.unsigned_abs()
}

impl RealtimeSystem for Linux {
    fn now_ns() -> u64 {
        clock_ns(rustix::time::ClockId::Monotonic)
    }

    fn worked_ns() -> u64 {
        clock_ns(rustix::time::ClockId::ProcessCPUTime)
    }

    fn sleep_until(due_ns: u64) {
        use rustix::thread::{ClockId, Timespec, clock_nanosleep_absolute};
        let due = Timespec {
            tv_sec: i64::try_from(due_ns / 1_000_000_000).unwrap_or(i64::MAX),
            tv_nsec: (due_ns % 1_000_000_000).try_into().unwrap_or(0),
        };
        // A signal does not cut the sleep short.
        while clock_nanosleep_absolute(ClockId::Monotonic, &due) == Err(rustix::io::Errno::INTR) {}
    }

    fn realtime() -> Result<(), String> {
        schedule(libc::SCHED_FIFO, PRIORITY)
    }

    fn ordinary() {
        let _ = schedule(libc::SCHED_OTHER, 0);
    }

    fn no_slack() {
        let _ = rustix::thread::set_current_timer_slack(std::num::NonZeroU64::new(1));
    }

    fn lock() -> Result<(), String> {
        use rustix::mm::{MlockAllFlags, mlockall};
        mlockall(MlockAllFlags::CURRENT | MlockAllFlags::FUTURE).map_err(|e| refusal(&e.into()))
    }
}
