//! Options of `listen`.

use crate::shared::options::{Drawing, Shown};
use clap::Args;
use std::path::PathBuf;

/// `listen`
#[derive(Args)]
pub struct ListenOptions {
    /// The recording (WAV)
    pub recording: PathBuf,
    /// What was played: every frame is compared
    #[arg(long, value_name = "ORIGINAL")]
    pub against: Option<PathBuf>,
    /// Where to draw.
    #[command(flatten)]
    pub drawing: Drawing,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}
