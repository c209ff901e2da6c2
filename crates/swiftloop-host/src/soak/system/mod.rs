//! What a soak asks of an operating system: a clock that nobody can step, sleep until an instant of it, a thread that runs before
//! others, memory that stays. One trait, one file for each system that has ways of its own, and what every system has for all others.

#[cfg(target_os = "linux")]
mod linux;
#[cfg(target_os = "macos")]
mod macos;
#[cfg(not(target_os = "linux"))]
mod plain;
#[cfg(target_os = "windows")]
mod windows;

#[cfg(target_os = "linux")]
pub(crate) use linux::Linux as Here;
#[cfg(target_os = "macos")]
pub(crate) use macos::MacOs as Here;
#[cfg(not(any(target_os = "linux", target_os = "macos", target_os = "windows")))]
pub(crate) use plain::PlainSystem as Here;
#[cfg(target_os = "windows")]
pub(crate) use windows::Windows as Here;

/// An operating system, for a thread that has to be in time. What is refused is told in words.
pub(crate) trait RealtimeSystem {
    /// Nanoseconds since some start that does not change.
    fn now_ns() -> u64;
    /// Nanoseconds that this process worked, in all its threads.
    fn worked_ns() -> u64;
    /// Sleeps until the clock shows `due_ns`; at once when it has passed.
    fn sleep_until(due_ns: u64);
    fn realtime() -> Result<(), String>;
    /// Lowers this thread to an ordinary one.
    fn ordinary();
    /// An ordinary thread is woken when it asks, not later to save power.
    fn no_slack() {}
    /// Keeps this process's memory where it is.
    fn lock() -> Result<(), String>;
}
