//! Options of `survey`.

use crate::shared::options::Shown;
use clap::Args;
use std::path::PathBuf;

/// `survey`
#[derive(Args)]
pub struct SurveyOptions {
    /// Read a copy of another computer's files under this folder instead (see the README for what to copy)
    #[arg(long, value_name = "DIR")]
    pub root: Option<PathBuf>,
    /// Write what was found into this rig file; in an existing one what is missing is added, and what differs is named
    #[arg(long, value_name = "RIG")]
    pub save: Option<PathBuf>,
    /// Keys of the file that get the machine's figure where they differ, such as machine.cores; or all
    #[arg(long, value_name = "KEY", requires = "save", num_args = 1..)]
    pub replace: Vec<String>,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}
