//! Options of `apply`, and of the processes that it starts.

use crate::shared::options::{Place, Shown};
use clap::{Args, ValueEnum};
use std::path::PathBuf;

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
    #[arg(long, value_name = "LENGTH", value_parser = crate::shared::options::length, conflicts_with = "back")]
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
