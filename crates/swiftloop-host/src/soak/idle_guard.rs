//! Holding the processor out of deep idle: Linux keeps its exit delay below what an open `/dev/cpu_dma_latency`
//! asks for, as long as the file stays open.

use std::fs::File;
use std::io::Write;

/// The processor is held awake while this lives.
#[derive(Debug)]
pub struct IdleGuard(#[allow(dead_code)] File);

/// Asks for an exit delay of 0 µs.
///
/// # Errors
/// Why the system does not let us, in words.
#[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
pub fn hold_off_idle() -> Result<IdleGuard, String> {
    let open = || -> std::io::Result<File> {
        let mut file = std::fs::OpenOptions::new().write(true).open("/dev/cpu_dma_latency")?;
        file.write_all(&0i32.to_ne_bytes())?;
        Ok(file)
    };
    let refused = |e: std::io::Error| match e.kind() {
        std::io::ErrorKind::PermissionDenied => "this user may not write to /dev/cpu_dma_latency",
        std::io::ErrorKind::NotFound => "this system has no /dev/cpu_dma_latency",
        _ => "/dev/cpu_dma_latency cannot be written",
    };
    open().map(IdleGuard).map_err(|e| refused(e).into())
}
