//! Holding the processor out of deep idle: Linux keeps its exit delay below what an open `/dev/cpu_dma_latency`
//! asks for, as long as the file stays open.

use std::fs::File;
use std::io::Write;

/// The processor is held awake while this lives.
#[derive(Debug)]
pub struct Awake(#[allow(dead_code)] File);

/// Asks for an exit delay of 0 µs.
///
/// # Errors
/// Why the system does not let us, in words.
pub fn stay_awake() -> Result<Awake, String> {
    let open = || -> std::io::Result<File> {
        let mut file = std::fs::OpenOptions::new().write(true).open("/dev/cpu_dma_latency")?;
        file.write_all(&0i32.to_ne_bytes())?;
        Ok(file)
    };
    open().map(Awake).map_err(|e| format!("/dev/cpu_dma_latency: {e}"))
}
