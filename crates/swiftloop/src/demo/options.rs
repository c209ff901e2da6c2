//! Options of `demo`.

use clap::Args;
use std::path::PathBuf;

/// `demo`
#[derive(Args)]
pub struct DemoOptions {
    /// Write the sample files here; without it nothing is left behind
    pub dir: Option<PathBuf>,
    /// The whole output of every command of the tour
    #[arg(long, conflicts_with = "dir")]
    pub full: bool,
    /// Replace existing files
    #[arg(long)]
    pub force: bool,
}
