//! How long waking from idle may take: a device of the kernel that keeps to what is written into it for as long as it is
//! held open. It is held by a process, so that nothing is left when that is gone.

use std::fs::{File, OpenOptions};
use std::io::{Read, Write};

pub(super) const DEVICE: &str = "/dev/cpu_dma_latency";

/// The longest time that is allowed now, in µs; nothing where the kernel does not say or this user may not ask.
#[must_use]
pub fn wake_limit_us() -> Option<u32> {
    let mut limit = [0; 4];
    File::open(DEVICE).ok()?.read_exact(&mut limit).ok()?;
    u32::try_from(i32::from_ne_bytes(limit)).ok()
}

/// Holds the system to so many µs until the file goes.
///
/// # Errors
/// What the kernel says.
pub fn hold_awake(limit_us: u32) -> std::io::Result<File> {
    let mut file = OpenOptions::new().write(true).open(DEVICE)?;
    file.write_all(&i32::try_from(limit_us).unwrap_or(i32::MAX).to_ne_bytes())?;
    Ok(file)
}

/// The moment at which a process began, as the kernel counts; nothing where there is none.
#[must_use]
pub fn began(process: u32) -> Option<u64> {
    let stat = std::fs::read_to_string(format!("/proc/{process}/stat")).ok()?;
    // The 22nd field; after the name, which may hold anything, the third is the first.
    stat.rsplit_once(')')?.1.split_whitespace().nth(22 - 3)?.parse().ok()
}

/// Ends a process that began at that moment, and waits until it is gone. Another one that got its number is left alone.
pub fn end_process(process: u32, moment: u64) {
    const PATIENCE: std::time::Duration = std::time::Duration::from_secs(2);
    let is_it = || began(process) == Some(moment) && !is_dead(process);
    let Some(id) = i32::try_from(process).ok().and_then(rustix::process::Pid::from_raw) else { return };
    if !is_it() {
        return;
    }
    let _ = rustix::process::kill_process(id, rustix::process::Signal::TERM);
    let begun = std::time::Instant::now();
    while is_it() && begun.elapsed() < PATIENCE {
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
}

/// It has ended, and only waits for its parent to hear of it.
fn is_dead(process: u32) -> bool {
    let stat = std::fs::read_to_string(format!("/proc/{process}/stat")).unwrap_or_default();
    stat.rsplit_once(')').is_some_and(|s| s.1.trim_start().starts_with(['Z', 'X']))
}
