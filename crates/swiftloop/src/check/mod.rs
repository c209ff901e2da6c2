//! What a check shows: ready or not, what differs with its cost and its cure, what could not be looked at; as text, as JSON and
//! as OpenMetrics text; and of many computers a line each.

mod json;
pub mod metrics;
pub mod options;
pub mod run;
mod text;

use crate::shared::in_effect::Checked;
pub use json::json;
pub use text::{in_short, show};

use std::path::{Path, PathBuf};
use swiftloop_core::in_effect::Demand;

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
