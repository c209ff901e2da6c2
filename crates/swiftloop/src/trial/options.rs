//! Options of `try`.

use crate::shared::options::{CatalogueFile, Drawing, Listening, Shown};
use clap::Args;
use std::path::PathBuf;
use swiftloop_units::{Block, Hz};

/// `try`
#[derive(Args)]
pub struct TryOptions {
    /// The rig file; leave both files out for a first answer from the driver table
    #[arg(requires = "session")]
    pub rig: Option<PathBuf>,
    /// The session file
    pub session: Option<PathBuf>,
    /// Interface of the rig (its only one when left out)
    #[arg(long)]
    pub interface: Option<String>,
    /// Phase of the session (its only one when left out)
    #[arg(long)]
    pub phase: Option<String>,
    /// Driver (as planned when left out)
    #[arg(long)]
    pub driver: Option<String>,
    /// Sample rate in hertz (as planned when left out)
    #[arg(long)]
    pub rate: Option<Hz>,
    /// Buffer in frames, or the name of a speed (as planned when left out)
    #[arg(long)]
    pub buffer: Option<String>,
    /// Render what is recorded ahead, in blocks of so many frames
    #[arg(long)]
    pub roll: Option<Block>,
    /// Cores that work for the session
    #[arg(long)]
    pub workers: Option<u32>,
    /// Apply a remedy by its id, as plan shows it (may be repeated)
    #[arg(long = "remedy", value_name = "ID")]
    pub remedies: Vec<String>,
    /// Show the legs of this performer (ada@loft: playing together with the far side loft)
    #[arg(long)]
    pub performer: Option<String>,
    /// What processors cost.
    #[command(flatten)]
    pub catalogue: CatalogueFile,
    /// Without files: what is played
    #[arg(long, default_value = "voice")]
    pub playing: String,
    /// Without files: how the performer listens
    #[arg(long, value_enum, default_value = "headphones")]
    pub listening: Listening,
    /// Without files: how the interface is connected
    #[arg(long, default_value = "usb2")]
    pub connection: String,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
    /// Where to draw.
    #[command(flatten)]
    pub drawing: Drawing,
}
