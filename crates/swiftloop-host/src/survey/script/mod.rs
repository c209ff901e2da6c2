//! The scripts that copy what a computer tells of itself, for whoever carries the copy to another; and, where a system tells
//! most to its own tools, the same script run here: into a folder that is read and goes away again.

#[cfg(not(windows))]
mod run;

#[cfg(not(windows))]
pub(super) use run::told_here;

pub const LINUX: &str = include_str!("../../../collect/linux.sh");
pub const WINDOWS: &str = include_str!("../../../collect/windows.ps1");
pub const MACOS: &str = include_str!("../../../collect/macos.sh");
