//! How long waking from idle may take: a device of the kernel that keeps to what is written into it for as long as it is
//! held open. The one idea: it is held by a process, so that nothing is left when that is gone.

use std::fs::{File, OpenOptions};
use std::io::{Read, Write};

/// The device.
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
