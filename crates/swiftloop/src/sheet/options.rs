//! Options of `sheet`.

use crate::shared::options::CatalogueFile;
use clap::Args;
use std::path::PathBuf;

/// `sheet`
#[derive(Args)]
pub struct SheetOptions {
    /// A rig and a session, or settings that a plan handed out; several rigs or settings before the session for several computers
    #[arg(required = true, value_name = "RIG SESSION|SETTINGS")]
    pub files: Vec<PathBuf>,
    /// Only these phases
    #[arg(long)]
    pub phase: Vec<String>,
    /// Only these interfaces
    #[arg(long)]
    pub interface: Vec<String>,
    /// The file to write; its ending says what: .html, .md, .txt (as text on the terminal when left out)
    #[arg(long, value_name = "FILE")]
    pub out: Option<PathBuf>,
    /// Also print it into this file, through a browser that is installed here
    #[arg(long, value_name = "FILE")]
    pub pdf: Option<PathBuf>,
    /// Replace existing files
    #[arg(long)]
    pub force: bool,
    /// What processors cost.
    #[command(flatten)]
    pub catalogue: CatalogueFile,
}
