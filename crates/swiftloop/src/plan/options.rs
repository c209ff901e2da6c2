//! Options of `plan`.

use crate::shared::options::{CatalogueFile, Drawing, Shown};
use clap::Args;
use std::path::PathBuf;

/// `plan`
#[derive(Args)]
pub struct PlanOptions {
    /// The rig file
    pub rig: PathBuf,
    /// The session file
    pub session: PathBuf,
    /// Only these phases
    #[arg(long)]
    pub phase: Vec<String>,
    /// Only these interfaces
    #[arg(long)]
    pub interface: Vec<String>,
    /// Also write what one computer must be set to into this file, small enough to mail
    #[arg(long, value_name = "FILE")]
    pub hand_out: Option<PathBuf>,
    /// What processors cost.
    #[command(flatten)]
    pub catalogue: CatalogueFile,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
    /// Where to draw.
    #[command(flatten)]
    pub drawing: Drawing,
}
