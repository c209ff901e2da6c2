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
