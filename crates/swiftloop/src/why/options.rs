//! Options of `why`.

use crate::shared::options::{Shown, TraceQuestion};
use clap::Args;
use std::path::PathBuf;

/// `why`
#[derive(Args)]
pub struct WhyOptions {
    /// The recording that crackles (WAV)
    pub recording: PathBuf,
    /// What was played, where there is a file of it
    #[arg(long, value_name = "ORIGINAL")]
    pub against: Option<PathBuf>,
    /// rig.toml: its soak profile and settings count
    #[arg(long, value_name = "RIG")]
    pub rig: Option<PathBuf>,
    /// session.toml, with the notes beside it
    #[arg(long, value_name = "SESSION", requires = "rig")]
    pub session: Option<PathBuf>,
    /// A trace made meanwhile
    #[arg(long, value_name = "FILE")]
    pub trace: Option<PathBuf>,
    /// What is asked of it.
    #[command(flatten)]
    pub question: TraceQuestion,
    /// Do not look at this computer: the recording was made on another one
    #[arg(long)]
    pub elsewhere: bool,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

impl WhyOptions {
    /// Only the recording.
    #[must_use]
    pub fn of(recording: PathBuf) -> Self {
        let question = TraceQuestion { thread: None, period_us: None, in_time_us: None };
        let shown = Shown { full: false, json: false };
        Self {
            recording,
            against: None,
            rig: None,
            session: None,
            trace: None,
            question,
            elsewhere: false,
            shown,
        }
    }
}
