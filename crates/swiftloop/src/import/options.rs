//! Options of `import`.

use crate::shared::options::Shown;
use clap::Args;
use std::path::PathBuf;

/// `import`
#[derive(Args)]
pub struct ImportOptions {
    /// A DAWproject archive, a Standard MIDI file, or a folder of WAV recordings
    pub source: PathBuf,
    /// The session file to write; into one that is there goes what changed in the source
    #[arg(long, value_name = "SESSION", default_value = "session.toml")]
    pub into: PathBuf,
    /// The rig to plan with, for the next step that is shown
    #[arg(long, value_name = "RIG")]
    pub rig: Option<PathBuf>,
    /// Replace the session that is there
    #[arg(long)]
    pub force: bool,
    /// How to show it
    #[command(flatten)]
    pub shown: Shown,
}
