//! `apply`: what the plan says is put into effect step by step, with a journal, and put back.

pub mod options;

#[cfg(target_os = "linux")]
pub mod applying;
#[cfg(target_os = "linux")]
pub mod back;
#[cfg(target_os = "linux")]
pub mod hands;
#[cfg(target_os = "linux")]
pub mod holder;
#[cfg(target_os = "linux")]
pub mod run;
#[cfg(target_os = "linux")]
pub mod text;
