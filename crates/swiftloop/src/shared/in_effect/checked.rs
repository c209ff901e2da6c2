//! A computer held against what a phase needs of it.

use super::SurveyedComputer;
use crate::shared::failure::Failure;
use std::path::Path;
use swiftloop_core::in_effect::{Comparison, Demand, Difference, NotTaken, Put, compare, puts};
use swiftloop_core::survey::Inventory;
use swiftloop_files::read_good;

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
    pub fn is_put(&self, d: &Difference) -> bool {
        self.puts.iter().any(|p| cures(p.lever.cures(), d.wrong.id()))
    }
}

/// What cures one difference may cure another with it.
fn cures(cure: &str, wrong: &str) -> bool {
    cure == wrong || matches!((cure, wrong), ("rate", "rate-not-allowed") | ("buffer", "buffer-bounds"))
}

/// The folder of a file.
pub fn folder(file: &Path) -> &Path {
    file.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// Holds a computer against what the phase needs.
pub fn checked(computer: SurveyedComputer, demand: &Demand, good: &Path) -> Result<Checked, Failure> {
    let known = read_good(good, &computer.name)?;
    let (puts, not_taken) = puts(demand, &computer.inventory);
    Ok(Checked {
        comparison: compare(demand, &computer.inventory, known.as_ref()),
        known: known.map(|k| k.date),
        name: computer.name,
        inventory: computer.inventory,
        puts,
        not_taken,
    })
}
