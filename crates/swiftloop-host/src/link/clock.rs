//! Two clocks of this computer: one that only goes forward, also while it sleeps, and the one that shows the time of day, in which
//! the kernel stamps packets.

use std::time::{SystemTime, UNIX_EPOCH};

/// Nanoseconds of the clock that only goes forward, sleep included.
#[cfg(target_os = "linux")]
pub(super) fn steady_ns() -> i64 {
    let time = rustix::time::clock_gettime(rustix::time::ClockId::Boottime);
    time.tv_sec.saturating_mul(1_000_000_000).saturating_add(i64::from(time.tv_nsec as i32))
}

#[cfg(not(target_os = "linux"))]
pub(super) fn steady_ns() -> i64 {
    crate::soak::now_ns() as i64
}

/// Nanoseconds since 1970 by the clock on the wall.
pub(super) fn wall_ns() -> i64 {
    match SystemTime::now().duration_since(UNIX_EPOCH) {
        Ok(since) => i64::try_from(since.as_nanos()).unwrap_or(i64::MAX),
        Err(before) => -i64::try_from(before.duration().as_nanos()).unwrap_or(i64::MAX),
    }
}

/// What the clock on the wall shows more than the steady one, now.
pub(super) fn wall_ahead() -> i64 {
    // Of three looks the one that was least disturbed.
    let look = || {
        let before = steady_ns();
        let wall = wall_ns();
        let after = steady_ns();
        (after - before, wall - (before + (after - before) / 2))
    };
    [look(), look(), look()].into_iter().min_by_key(|l| l.0).map_or(0, |l| l.1)
}
