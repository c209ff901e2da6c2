//! Options of `watch`.

use crate::shared::options::{Place, Shown};
use clap::Args;
use std::path::PathBuf;

/// `watch`
#[derive(Args)]
pub struct WatchOptions {
    /// A rig and a session, or settings that a plan handed out
    #[arg(required = true, num_args = 1..=2, value_name = "RIG SESSION|SETTINGS")]
    pub files: Vec<PathBuf>,
    /// Which phase.
    #[command(flatten)]
    pub place: Place,
    /// How long: 30min, 2h (until Ctrl-C when left out)
    #[arg(long, value_name = "LENGTH", value_parser = crate::shared::options::length)]
    pub length: Option<f64>,
    /// Ring the terminal's bell at every dropout
    #[arg(long)]
    pub bell: bool,
    /// Keep everything that happens in this file, a line of JSON each
    #[arg(long, value_name = "FILE")]
    pub log: Option<PathBuf>,
    /// Keep figures for a monitoring system in this file, as OpenMetrics text
    #[arg(long, value_name = "FILE")]
    pub metrics: Option<PathBuf>,
    /// Look into the kernel as well, and name who stole the time of late blocks (as root)
    #[arg(long)]
    pub trace: bool,
    /// Put minutes and dropouts into notes.toml beside the session when it ends
    #[arg(long)]
    pub note: bool,
    /// Replace existing files
    #[arg(long)]
    pub force: bool,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}
