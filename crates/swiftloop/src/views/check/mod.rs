//! What a check shows: ready or not, what differs with its cost and its cure, what could not be looked at; as text, as JSON and
//! as OpenMetrics text; and of many computers a line each.

mod json;
pub mod metrics;
mod text;

pub use json::json;
#[cfg(target_os = "linux")]
pub use text::differences;
pub use text::{in_short, show};

use std::path::{Path, PathBuf};
use swiftloop_core::in_effect::{Comparison, Demand, Difference, NotTaken, Put};
use swiftloop_core::survey::Inventory;

/// One computer that was checked.
pub struct Checked {
    pub name: String,
    pub inventory: Inventory,
    pub comparison: Comparison,
    /// What apply can set there.
    pub puts: Vec<Put>,
    /// What it cannot, although it could elsewhere.
    pub not_taken: Vec<NotTaken>,
    /// When all was well, if that was kept.
    pub known: Option<String>,
}

impl Checked {
    /// Apply sets it.
    pub fn is_put(&self, d: &Difference) -> bool {
        self.puts.iter().any(|p| cures(p.lever.cures(), d.wrong.id()))
    }
}

/// What cures one difference may cure another with it.
fn cures(cure: &str, wrong: &str) -> bool {
    cure == wrong || matches!((cure, wrong), ("rate", "rate-not-allowed") | ("buffer", "buffer-bounds"))
}

/// A whole check.
pub struct Check<'a> {
    pub demand: &'a Demand,
    pub computers: &'a [Checked],
    /// Files and place, as arguments of another command.
    pub place: String,
    /// The copies that it is about; none for this computer.
    pub copies: &'a [&'a PathBuf],
    /// Where the good state was kept just now.
    pub remembered: Option<&'a Path>,
}
