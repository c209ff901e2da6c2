//! The clock that nobody can step, and sleeping until an instant of it.

/// Nanoseconds since some start that does not change: the monotonic clock.
#[cfg(target_os = "linux")]
#[must_use]
pub fn now_ns() -> u64 {
    let mut time = libc::timespec { tv_sec: 0, tv_nsec: 0 };
    // SAFETY: `time` is a valid place for the answer; the clock exists on every Linux.
    unsafe { libc::clock_gettime(libc::CLOCK_MONOTONIC, &raw mut time) };
    time.tv_sec as u64 * 1_000_000_000 + time.tv_nsec as u64
}

/// Sleeps until the clock shows `due_ns`; at once when it has passed. A signal does not cut the sleep short.
#[cfg(target_os = "linux")]
pub(super) fn sleep_until(due_ns: u64) {
    let due = libc::timespec {
        tv_sec: (due_ns / 1_000_000_000) as libc::time_t,
        tv_nsec: (due_ns % 1_000_000_000) as libc::c_long,
    };
    // SAFETY: `due` is valid and nothing is written to the null remainder of an absolute sleep.
    while unsafe {
        libc::clock_nanosleep(
            libc::CLOCK_MONOTONIC,
            libc::TIMER_ABSTIME,
            &raw const due,
            std::ptr::null_mut(),
        )
    } == libc::EINTR
    {}
}

#[cfg(not(target_os = "linux"))]
fn start() -> std::time::Instant {
    static START: std::sync::OnceLock<std::time::Instant> = std::sync::OnceLock::new();
    *START.get_or_init(std::time::Instant::now)
}

/// Nanoseconds since the first call.
#[cfg(not(target_os = "linux"))]
#[must_use]
pub fn now_ns() -> u64 {
    start().elapsed().as_nanos() as u64
}

#[cfg(not(target_os = "linux"))]
pub(super) fn sleep_until(due_ns: u64) {
    let due = start() + std::time::Duration::from_nanos(due_ns);
    std::thread::sleep(due.saturating_duration_since(std::time::Instant::now()));
}
