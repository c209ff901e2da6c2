//! macOS: threads with a time constraint, sleeps until an instant of the machine's own clock. No process can lock all its memory.

use super::{RealtimeSystem, plain};
use mach2::mach_time::{mach_absolute_time, mach_timebase_info, mach_wait_until};

pub(crate) struct MacOs;

/// What a thread that plays works at the most, and within which time, in ns: a third of the smallest usual block.
const WORKS_NS: u64 = 500_000;
const WITHIN_NS: u64 = 1_500_000;

/// Nanoseconds as ticks.
fn ticks(ns: u64) -> u64 {
    let mut base = mach_timebase_info { numer: 0, denom: 0 };
    // SAFETY: a place to write to, valid for the call.
    let told = unsafe { mach_timebase_info(&raw mut base) };
    if told != 0 || base.numer == 0 {
        return ns;
    }
    (u128::from(ns) * u128::from(base.denom) / u128::from(base.numer)) as u64
}

impl RealtimeSystem for MacOs {
    fn now_ns() -> u64 {
        plain::now_ns()
    }

    fn worked_ns() -> u64 {
        let time = rustix::time::clock_gettime(rustix::time::ClockId::ProcessCPUTime);
        time.tv_sec.unsigned_abs() * 1_000_000_000 + time.tv_nsec.unsigned_abs()
    }

    fn sleep_until(due_ns: u64) {
        let left = due_ns.saturating_sub(Self::now_ns());
        // SAFETY: figures only; a signal may end it early, so it is asked again below.
        unsafe {
            let until = mach_absolute_time() + ticks(left);
            while mach_wait_until(until) != 0 && mach_absolute_time() < until {}
        }
    }

    fn realtime() -> Result<(), String> {
        let wish = libc::thread_time_constraint_policy_data_t {
            period: 0,
            computation: u32::try_from(ticks(WORKS_NS)).unwrap_or(u32::MAX),
            constraint: u32::try_from(ticks(WITHIN_NS)).unwrap_or(u32::MAX),
            preemptible: 1,
        };
        // SAFETY: the thread is this one; the wish is of the kind and length that the call is told.
        let answer = unsafe {
            libc::thread_policy_set(
                libc::pthread_mach_thread_np(libc::pthread_self()),
                libc::THREAD_TIME_CONSTRAINT_POLICY as libc::thread_policy_flavor_t,
                (&raw const wish).cast_mut().cast(),
                libc::THREAD_TIME_CONSTRAINT_POLICY_COUNT,
            )
        };
        if answer == 0 { Ok(()) } else { Err(format!("the system refuses a time constraint ({answer})")) }
    }

    fn ordinary() {
        let mut nothing = 0;
        // SAFETY: as above; the ordinary policy takes no figures.
        unsafe {
            libc::thread_policy_set(
                libc::pthread_mach_thread_np(libc::pthread_self()),
                libc::THREAD_STANDARD_POLICY as libc::thread_policy_flavor_t,
                (&raw mut nothing).cast(),
                0,
            );
        }
    }

    fn lock() -> Result<(), String> {
        Err("macOS locks no process as a whole".into())
    }
}
