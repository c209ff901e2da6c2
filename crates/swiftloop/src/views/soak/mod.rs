//! What a soak came to: the answer first, what to do, what the machine did, what was predicted beside what was seen.

mod json;
pub mod meter;
#[cfg(test)]
mod tests;
mod text;

pub use json::json;
pub use text::show;

use std::path::Path;
use swiftloop_core::rig::WakeProfile;
use swiftloop_core::soak::{Change, Question, Rung};
use swiftloop_core::units::{Block, Hz, Seconds};
use swiftloop_host::jack::About;
use swiftloop_host::soak::Permission;

/// Changes since an older profile.
pub struct Since {
    /// The older profile's date.
    pub date: String,
    /// What changed.
    pub changes: Vec<Change>,
}

/// Everything about one soak.
pub struct Soaked<'a> {
    pub title: &'a str,
    pub permission: &'a Permission,
    pub speed: f64,
    pub rate: Hz,
    pub reserve: f64,
    pub question: Question,
    pub ladder: bool,
    /// Length of the show that is asked about.
    pub show: Option<Seconds>,
    pub smallest: Option<Block>,
    pub rungs: &'a [Rung],
    pub profile: Option<&'a WakeProfile>,
    pub since: Option<&'a Since>,
    pub saved: Option<&'a Path>,
    pub stopped: bool,
    pub clock_step_s: f64,
    /// Threads that shared the work.
    pub workers: usize,
    /// Hardware threads there are for them.
    pub hardware_threads: usize,
    /// The server that was soaked through.
    pub server: Option<&'a About>,
    /// It went away.
    pub gone: bool,
}
