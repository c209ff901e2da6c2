//! What was so while something was measured: the date and the kernel.

use sysinfo::System;

/// Name and version of the kernel.
#[must_use]
pub fn kernel() -> Option<String> {
    let version = System::kernel_version()?;
    Some(format!("{} {version}", System::name().unwrap_or_else(|| std::env::consts::OS.into())))
}

/// Today, as ISO 8601 writes it.
#[must_use]
pub fn today() -> String {
    jiff::Zoned::now().date().to_string()
}

/// Which start of the computer this is; empty where nobody tells.
#[must_use]
pub fn boot() -> String {
    let id = std::fs::read_to_string("/proc/sys/kernel/random/boot_id").unwrap_or_default();
    id.trim().into()
}

/// The time of day now, as ISO 8601 writes it, with the hour's difference.
#[must_use]
pub fn now() -> String {
    jiff::Zoned::now().strftime("%Y-%m-%dT%H:%M:%S%.3f%:z").to_string()
}

/// The time of day, as clocks show it.
#[must_use]
pub fn time_of_day() -> String {
    jiff::Zoned::now().strftime("%H:%M:%S").to_string()
}
