//! What this machine lets a real-time thread do: a FIFO priority, locked memory. Asked for by trying; what is refused
//! is said, with the way to get it.

/// What was granted, and why not the rest.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Permission {
    /// The thread runs before all ordinary ones.
    pub realtime: bool,
    /// Its memory stays where it is.
    pub locked: bool,
    /// What was refused, in words; empty when nothing was.
    pub refused: Vec<String>,
}

impl Permission {
    /// Everything was granted.
    #[must_use]
    pub fn whole(&self) -> bool {
        self.realtime && self.locked
    }
}

/// Priority of audio threads: above what serves ordinary interrupts (50), below watchdogs (99).
#[cfg(target_os = "linux")]
const PRIORITY: libc::c_int = 70;

/// What the system says when it refuses, without its number.
#[cfg(target_os = "linux")]
fn refusal(e: &std::io::Error) -> String {
    match e.kind() {
        std::io::ErrorKind::PermissionDenied => "this user may not".into(),
        std::io::ErrorKind::OutOfMemory => "more than this user may lock".into(),
        _ => e.to_string().split(" (os error").next().unwrap_or_default().to_lowercase(),
    }
}

/// Asks for both and keeps the memory locked when granted; the priority is given back.
#[must_use]
pub fn permission() -> Permission {
    let mut answer = Permission::default();
    match realtime() {
        Ok(()) => {
            answer.realtime = true;
            ordinary();
        }
        Err(why) => answer.refused.push(format!("no real-time priority ({why})")),
    }
    match lock() {
        Ok(()) => answer.locked = true,
        Err(why) => answer.refused.push(format!("no locked memory ({why})")),
    }
    answer
}

#[cfg(target_os = "linux")]
fn schedule(policy: libc::c_int, priority: libc::c_int) -> Result<(), String> {
    let wish = libc::sched_param { sched_priority: priority };
    // SAFETY: the thread is this one and `wish` is valid for the call.
    match unsafe { libc::pthread_setschedparam(libc::pthread_self(), policy, &raw const wish) } {
        0 => Ok(()),
        code => Err(refusal(&std::io::Error::from_raw_os_error(code))),
    }
}

/// Raises this thread.
#[cfg(target_os = "linux")]
pub(crate) fn realtime() -> Result<(), String> {
    schedule(libc::SCHED_FIFO, PRIORITY)
}

/// Lowers this thread to an ordinary one.
#[cfg(target_os = "linux")]
fn ordinary() {
    let _ = schedule(libc::SCHED_OTHER, 0);
}

/// An ordinary thread is woken when it asks, not 50 µs later to save power.
#[cfg(target_os = "linux")]
pub(crate) fn no_slack() {
    let _ = rustix::thread::set_current_timer_slack(std::num::NonZeroU64::new(1));
}

#[cfg(target_os = "linux")]
fn lock() -> Result<(), String> {
    use rustix::mm::{MlockAllFlags, mlockall};
    mlockall(MlockAllFlags::CURRENT | MlockAllFlags::FUTURE).map_err(|e| refusal(&e.into()))
}

#[cfg(not(target_os = "linux"))]
pub(crate) fn realtime() -> Result<(), String> {
    Err("only Linux is driven yet".into())
}
#[cfg(not(target_os = "linux"))]
fn ordinary() {}
#[cfg(not(target_os = "linux"))]
pub(crate) fn no_slack() {}
#[cfg(not(target_os = "linux"))]
fn lock() -> Result<(), String> {
    Err("only Linux is driven yet".into())
}
