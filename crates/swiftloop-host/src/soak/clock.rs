//! The clock that nobody can step, and sleeping until an instant of it.

/// Nanoseconds since some start that does not change: the monotonic clock.
#[cfg(target_os = "linux")]
#[must_use]
pub fn now_ns() -> u64 {
    let time = rustix::time::clock_gettime(rustix::time::ClockId::Monotonic);
    time.tv_sec.unsigned_abs() * 1_000_000_000 + time.tv_nsec.unsigned_abs()
}

/// Nanoseconds that this process worked, in all its threads: what other programs take is not in it.
#[cfg(target_os = "linux")]
#[must_use]
pub fn worked_ns() -> u64 {
    let time = rustix::time::clock_gettime(rustix::time::ClockId::ProcessCPUTime);
    time.tv_sec.unsigned_abs() * 1_000_000_000 + time.tv_nsec.unsigned_abs()
}

/// Sleeps until the clock shows `due_ns`; at once when it has passed. A signal does not cut the sleep short.
#[cfg(target_os = "linux")]
pub(crate) fn sleep_until(due_ns: u64) {
    use rustix::thread::{ClockId, Timespec, clock_nanosleep_absolute};
    let due = Timespec {
        tv_sec: i64::try_from(due_ns / 1_000_000_000).unwrap_or(i64::MAX),
        tv_nsec: (due_ns % 1_000_000_000).try_into().unwrap_or(0),
    };
    while clock_nanosleep_absolute(ClockId::Monotonic, &due) == Err(rustix::io::Errno::INTR) {}
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

/// What this process worked is not asked here: the time that passed.
#[cfg(not(target_os = "linux"))]
#[must_use]
pub fn worked_ns() -> u64 {
    now_ns()
}

#[cfg(not(target_os = "linux"))]
pub(crate) fn sleep_until(due_ns: u64) {
    let due = start() + std::time::Duration::from_nanos(due_ns);
    std::thread::sleep(due.saturating_duration_since(std::time::Instant::now()));
}
