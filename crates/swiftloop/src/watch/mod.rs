//! `watch`: an eye on the take while it runs.

pub mod options;

#[cfg(target_os = "linux")]
pub mod run;
#[cfg(target_os = "linux")]
pub mod text;
#[cfg(target_os = "linux")]
pub mod watching;
