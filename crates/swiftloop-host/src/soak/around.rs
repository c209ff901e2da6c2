//! What was so while something was measured: the date, the kernel, how the clocks are governed.

use sysinfo::System;

/// Name and version of the kernel.
#[must_use]
pub fn kernel() -> Option<String> {
    let version = System::kernel_version()?;
    Some(format!("{} {version}", System::name().unwrap_or_else(|| std::env::consts::OS.into())))
}

/// How the clock of the first processor is governed, where the system says.
#[must_use]
pub fn clocks() -> Option<String> {
    let says = std::fs::read_to_string("/sys/devices/system/cpu/cpu0/cpufreq/scaling_governor").ok()?;
    Some(says.trim().to_string())
}

/// Today, as ISO 8601 writes it.
#[must_use]
pub fn today() -> String {
    jiff::Zoned::now().date().to_string()
}
