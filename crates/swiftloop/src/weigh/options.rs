//! Options of `weigh`, and of the process that runs a processor.

use crate::shared::options::{CatalogueFile, Shown};
use clap::Args;
use std::path::PathBuf;
use swiftloop_units::{Block, Hz};

/// `weigh`
#[derive(Args)]
#[command(
    override_usage = "swiftloop weigh [OPTIONS] <LIBRARY>...\n       swiftloop weigh [OPTIONS] --session <SESSION> [LIBRARY]..."
)]
pub struct WeighOptions {
    /// Libraries (LADSPA, CLAP) or bundles (LV2) with processors
    #[arg(required_unless_present = "session", value_name = "LIBRARY")]
    pub libraries: Vec<PathBuf>,
    /// All processors that this session names with is = "…": looked for in the libraries that are named, and where the system keeps them
    #[arg(long, value_name = "SESSION")]
    pub session: Option<PathBuf>,
    /// Its settings, as its standard saves them (CLAP); as it begins when left out
    #[arg(long, value_name = "FILE", requires = "id")]
    pub settings: Option<PathBuf>,
    /// Weigh again what was weighed before on this machine, and what failed then
    #[arg(long)]
    pub again: bool,
    /// Where what was weighed is kept
    #[command(flatten)]
    pub catalogue: CatalogueFile,
    /// Only this one of them, by its label, URI or id
    #[arg(long, visible_aliases = ["label", "uri"])]
    pub id: Option<String>,
    /// Sample rates in hertz
    #[arg(long, value_delimiter = ',', default_value = "48000,96000")]
    pub rates: Vec<Hz>,
    /// Blocks in frames
    #[arg(long, value_delimiter = ',', default_value = "32,64,128,256,512,1024")]
    pub blocks: Vec<Block>,
    /// Where it is kept how fast this machine is at its best (a file of this user when left out)
    #[arg(long, value_name = "FILE")]
    pub floor: Option<PathBuf>,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// `weigh-inside`: runs a library in a process of its own; started by weigh itself
#[derive(Args)]
pub struct WeighInsideOptions {
    pub library: PathBuf,
    #[arg(long)]
    pub standard: String,
    #[arg(long)]
    pub id: Option<String>,
    #[arg(long, value_delimiter = ',')]
    pub rates: Vec<u32>,
    #[arg(long, value_delimiter = ',')]
    pub blocks: Vec<u32>,
    #[arg(long)]
    pub settings: Option<PathBuf>,
    #[arg(long, value_delimiter = ',')]
    pub floor: Vec<f64>,
    #[arg(long)]
    pub below: bool,
}
