//! Options of `sheet`, `check`, `apply`, `watch` and `collect`: the plan in effect.

use super::{CatalogueFile, Shown};
use clap::{Args, ValueEnum};
use std::path::PathBuf;

/// What is asked of: a rig and a session, or settings that a plan handed out.
#[derive(Args)]
pub struct Place {
    /// Phase (the only one when left out)
    #[arg(long)]
    pub phase: Option<String>,
    /// Interface (the only one of the phase when left out)
    #[arg(long)]
    pub interface: Option<String>,
    /// What processors cost.
    #[command(flatten)]
    pub catalogue: CatalogueFile,
}

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

/// `check`
#[derive(Args)]
pub struct CheckOptions {
    /// A rig and a session, or settings that a plan handed out; after them copies of other computers, if it is about those
    #[arg(required = true, value_name = "RIG SESSION|SETTINGS [COPY]")]
    pub files: Vec<PathBuf>,
    /// Which phase.
    #[command(flatten)]
    pub place: Place,
    /// A copy of another computer's files instead of this computer (see swiftloop collect)
    #[arg(long, value_name = "DIR")]
    pub root: Option<PathBuf>,
    /// What was installed when all was well (good.toml beside the session or the settings when left out)
    #[arg(long, value_name = "FILE")]
    pub good: Option<PathBuf>,
    /// All is well now: keep what is installed, to compare with later
    #[arg(long)]
    pub remember: bool,
    /// Also write figures for a monitoring system into this file, as OpenMetrics text
    #[arg(long, value_name = "FILE")]
    pub metrics: Option<PathBuf>,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// What is asked about together.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Kinds {
    /// Buffer and rate of PipeWire or JACK
    Server,
    /// Clocks of the processor
    Clocks,
    /// Idle states
    Idle,
    /// Sleep of the interface
    Usb,
    /// Cores that serve the interface's interrupt
    Interrupts,
    /// Priorities of threads that move sound
    Priorities,
}

/// `apply`
#[derive(Args)]
pub struct ApplyOptions {
    /// A rig and a session, or settings that a plan handed out
    #[arg(required_unless_present = "back", conflicts_with = "back", num_args = 1..=2, value_name = "RIG SESSION|SETTINGS")]
    pub files: Vec<PathBuf>,
    /// Which phase.
    #[command(flatten)]
    pub place: Place,
    /// Put everything back as it was before
    #[arg(long)]
    pub back: bool,
    /// Ask nothing
    #[arg(long, short)]
    pub yes: bool,
    /// Only this kind of thing (may be repeated)
    #[arg(long, value_enum, value_name = "KIND", conflicts_with = "back")]
    pub only: Vec<Kinds>,
    /// Put everything back unless somebody presses Enter within this time: 30s
    #[arg(long, value_name = "LENGTH", value_parser = super::trace::length, conflicts_with = "back")]
    pub confirm_within: Option<f64>,
    /// Set a copy of another computer's files instead of this computer
    #[arg(long, value_name = "DIR")]
    pub root: Option<PathBuf>,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// `put-back`, started by apply itself.
#[derive(Args)]
pub struct PutBackOptions {
    /// The journal
    #[arg(long)]
    pub journal: PathBuf,
    /// The copy that was set
    #[arg(long)]
    pub root: Option<PathBuf>,
    /// Only steps after this one
    #[arg(long, default_value_t = 0)]
    pub after: u32,
}

/// `hold-awake`, started by apply itself.
#[derive(Args)]
pub struct HoldAwakeOptions {
    /// Longest time that waking may take, in µs
    #[arg(long)]
    pub limit_us: u32,
    /// Where it writes who it is
    #[arg(long)]
    pub place: PathBuf,
}

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
    #[arg(long, value_name = "LENGTH", value_parser = super::trace::length)]
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
