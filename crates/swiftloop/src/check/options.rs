//! Options of `check`.

use crate::shared::options::{Place, Shown};
use clap::Args;
use std::path::PathBuf;

/// `check`
#[derive(Args)]
pub struct CheckOptions {
    /// A rig and a session, or settings that a plan handed out; after them copies of other computers, if it is about those
    #[arg(required = true, value_name = "RIG SESSION|SETTINGS [COPY]")]
    pub files: Vec<PathBuf>,
    /// Which phase.
    #[command(flatten)]
    pub place: Place,
    /// A copy of another computer's files instead of this computer (see swiftloop collect)
    #[arg(long, value_name = "DIR")]
    pub root: Option<PathBuf>,
    /// What was installed when all was well (good.toml beside the session or the settings when left out)
    #[arg(long, value_name = "FILE")]
    pub good: Option<PathBuf>,
    /// All is well now: keep what is installed, to compare with later
    #[arg(long)]
    pub remember: bool,
    /// Also write figures for a monitoring system into this file, as OpenMetrics text
    #[arg(long, value_name = "FILE")]
    pub metrics: Option<PathBuf>,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}
