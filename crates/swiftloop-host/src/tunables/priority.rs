//! The scheduling of a thread: `ordinary`, `real-time 80` (first in, first out) or `round-robin 80`.

use super::{TunableError, not_a_figure};

/// A thread is the one that is meant: numbers are given again.
fn named(thread: u32, name: &str) -> Result<(), TunableError> {
    let is = std::fs::read_to_string(format!("/proc/{thread}/comm")).unwrap_or_default();
    if is.trim_end() == name { Ok(()) } else { Err(TunableError::Gone(format!("thread {thread} ({name})"))) }
}

/// How it is scheduled.
pub(super) fn read(thread: u32, name: &str) -> Result<String, TunableError> {
    named(thread, name)?;
    let gone = || TunableError::Gone(format!("thread {thread} ({name})"));
    let id = libc::pid_t::try_from(thread).map_err(|_| gone())?;
    // The kernel itself is asked: not every C library passes this on. Its structure is one whole number (sched(7)).
    let mut priority: libc::c_int = 0;
    // SAFETY: the number is ours, and the calls only read the thread.
    let (policy, known) = unsafe {
        (
            libc::syscall(libc::SYS_sched_getscheduler, id),
            libc::syscall(libc::SYS_sched_getparam, id, &raw mut priority),
        )
    };
    let Ok(policy) = libc::c_int::try_from(policy) else { return Err(gone()) };
    if policy < 0 || known < 0 {
        return Err(gone());
    }
    // The flag that its children are ordinary again is no policy.
    Ok(match policy & !libc::SCHED_RESET_ON_FORK {
        libc::SCHED_FIFO => format!("real-time {priority}"),
        libc::SCHED_RR => format!("round-robin {priority}"),
        _ => "ordinary".into(),
    })
}

pub(super) fn put(thread: u32, name: &str, to: &str) -> Result<(), TunableError> {
    named(thread, name)?;
    let what = format!("thread {thread} ({name})");
    let id = libc::pid_t::try_from(thread).map_err(|_| TunableError::Gone(what.clone()))?;
    let (policy, priority) = match to.trim().split_once(' ') {
        Some(("real-time", n)) => (libc::SCHED_FIFO, n),
        Some(("round-robin", n)) => (libc::SCHED_RR, n),
        _ if to.trim() == "ordinary" => (libc::SCHED_OTHER, "0"),
        _ => return Err(not_a_figure(to)),
    };
    let priority: libc::c_int = priority.parse().map_err(|_| not_a_figure(to))?;
    // SAFETY: the number is ours and is only read.
    if unsafe { libc::syscall(libc::SYS_sched_setscheduler, id, policy, &raw const priority) } == 0 {
        return Ok(());
    }
    let why = std::io::Error::last_os_error();
    match why.raw_os_error() {
        Some(libc::ESRCH) => Err(TunableError::Gone(what)),
        Some(libc::EPERM) if super::is_root() => Err(TunableError::NoGroupShare(what)),
        Some(libc::EPERM) => Err(TunableError::NotAllowed(what)),
        _ => Err(TunableError::Refused { what, why }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_thread_is_ordinary_and_another_name_is_another_thread() {
        let (tell, hear) = std::sync::mpsc::channel();
        let (end, ended) = std::sync::mpsc::channel::<()>();
        let thread = std::thread::Builder::new().name("made up".into()).spawn(move || {
            // SAFETY: a call without arguments.
            tell.send(unsafe { libc::gettid() }).unwrap();
            let _ = ended.recv();
        });
        let id = u32::try_from(hear.recv().unwrap()).unwrap();
        assert_eq!(read(id, "made up").unwrap(), "ordinary");
        assert!(read(id, "another").unwrap_err().is_gone());
        assert!(put(id, "another", "ordinary").unwrap_err().is_gone());
        put(id, "made up", "ordinary").unwrap();
        assert!(put(id, "made up", "fast").is_err() && put(id, "made up", "real-time x").is_err());
        end.send(()).unwrap();
        thread.unwrap().join().unwrap();
    }
}
