//! Options of `collect`.

use clap::{Args, ValueEnum};
use std::path::PathBuf;

/// Systems that computers are copied from.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum SystemOf {
    /// Linux
    Linux,
    /// Windows 10 or 11
    Windows,
    /// macOS 13 or newer
    Macos,
}

/// `collect`
#[derive(Args)]
pub struct CollectOptions {
    /// The system of the computer that is to be copied
    #[arg(value_enum)]
    pub system: SystemOf,
    /// The file to write (printed when left out)
    #[arg(long, value_name = "FILE")]
    pub out: Option<PathBuf>,
    /// Replace an existing file
    #[arg(long)]
    pub force: bool,
}
