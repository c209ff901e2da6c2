//! What a soak came to: the answer first, what to do, what the machine did, what was predicted beside what was seen.

mod chain;
mod json;
pub mod machine;
pub mod meter;
pub mod options;
pub mod run;
#[cfg(test)]
mod tests;
mod text;
#[cfg(target_os = "linux")]
mod traced;

pub use json::json;
pub use text::show;

use crate::soak::machine::{Chain, ChangesSince};
use std::path::Path;
use swiftloop_core::rig::WakeProfile;
use swiftloop_core::soak::{Rung, SoakTest};
use swiftloop_host::jack::About;
use swiftloop_host::soak::Permission;
use swiftloop_units::{Block, Hz, Seconds};

/// Everything about one soak.
pub struct Soaked<'a> {
    pub title: &'a str,
    pub permission: &'a Permission,
    pub speed: f64,
    /// The same where latency counts, and where throughput does.
    pub speed_of_halves: [f64; 2],
    pub rate: Hz,
    pub reserve: f64,
    pub question: SoakTest,
    pub ladder: bool,
    /// Length of the show that is asked about.
    pub show: Option<Seconds>,
    pub smallest: Option<Block>,
    pub rungs: &'a [Rung],
    pub profile: Option<&'a WakeProfile>,
    pub since: Option<&'a ChangesSince>,
    pub saved: Option<&'a Path>,
    pub stopped: bool,
    pub clock_step_s: f64,
    /// Threads that shared the work.
    pub workers: usize,
    /// Hardware threads there are for them.
    pub hardware_threads: usize,
    /// The server that was soaked through.
    pub server: Option<&'a About>,
    pub gone: bool,
    /// The session's own processors, that were the work.
    pub chain: Option<&'a Chain>,
    /// What a look into the kernel found.
    #[cfg(target_os = "linux")]
    pub traced: Option<&'a crate::soak::machine::Traced>,
}
