//! Options of `soak`, and of the processes that it starts.

use crate::shared::options::{CatalogueFile, Shown};
use clap::{Args, ValueEnum};
use std::path::PathBuf;
use swiftloop_units::{Block, Hz, Seconds};

/// `soak`
#[derive(Args)]
pub struct SoakOptions {
    /// rig.toml; with a session, the work is that of the plan's setting
    pub rig: Option<PathBuf>,
    /// session.toml
    #[arg(requires = "rig")]
    pub session: Option<PathBuf>,
    /// Interface (not needed when there is one)
    #[arg(long, requires = "session")]
    pub interface: Option<String>,
    /// Phase (not needed when there is one)
    #[arg(long, requires = "session")]
    pub phase: Option<String>,
    /// Block in frames (as planned; 128 without a session)
    #[arg(long)]
    pub buffer: Option<Block>,
    /// Sample rate in hertz (as planned; 48000 without a session)
    #[arg(long)]
    pub rate: Option<Hz>,
    /// Work of each block in percent of its period, on every worker (50 without a session)
    #[arg(long, value_name = "PERCENT", conflicts_with = "session", value_parser = clap::value_parser!(u32).range(0..=100))]
    pub work: Option<u32>,
    /// Threads that share the work (as planned; 1 without a session)
    #[arg(long, value_parser = clap::value_parser!(u32).range(1..=256))]
    pub workers: Option<u32>,
    /// Blocks the device plays from: with more than 2 lateness is carried over (as the driver has it; 2 without a session)
    #[arg(long, value_name = "BLOCKS", value_parser = clap::value_parser!(u32).range(2..=16))]
    pub playback_blocks: Option<u32>,
    /// How long each block is soaked, in seconds; as long again it is listened to in between, to predict from
    #[arg(long, default_value_t = 60.0, value_parser = seconds)]
    pub seconds: f64,
    /// Climb from the smallest block to the first that nothing speaks against
    #[arg(long)]
    pub ladder: bool,
    /// Dropouts an hour that you allow (as the phase does; 1 without a session)
    #[arg(long, value_name = "PER_HOUR", value_parser = allowed, allow_negative_numbers = true)]
    pub allow: Option<f64>,
    /// A show of this length, say 2h or 90min: the chance of no dropout in all of it
    #[arg(long, value_name = "LENGTH", value_parser = show_length)]
    pub show: Option<Seconds>,
    /// What processors cost.
    #[command(flatten)]
    pub catalogue: CatalogueFile,
    /// How often each of the two wrong answers may be given
    #[arg(long, default_value_t = 0.05, value_parser = error_rate)]
    pub error: f64,
    /// Take the session's own processors as the work, each as it was weighed, in a process of their own; with --save their joint cost
    #[cfg(target_os = "linux")]
    #[arg(long, requires = "session", conflicts_with_all = ["workers", "through", "work", "compare"])]
    pub real: bool,
    /// Libraries that hold processors of the session, beside those that the system keeps
    #[cfg(target_os = "linux")]
    #[arg(long, value_name = "LIBRARY", requires = "real")]
    pub library: Vec<PathBuf>,
    /// Look into the kernel meanwhile: every miss gets its thief (Linux, as root); with --save its text is kept beside the rig
    #[cfg(target_os = "linux")]
    #[arg(long, conflicts_with = "real")]
    pub trace: bool,
    /// Hold the processor out of deep idle: shows what saving power costs
    #[arg(long)]
    pub awake: bool,
    /// Be a client of a running audio server instead: real periods, real xruns
    #[arg(long, value_enum, value_name = "SERVER")]
    pub through: Option<SoakServer>,
    /// Put the measured profile into this rig file; comments and order stay, an older profile is kept to compare
    #[arg(long, value_name = "RIG")]
    pub save: Option<PathBuf>,
    /// Tell what changed since the profile in this rig file, and whether it is more than chance
    #[arg(long, value_name = "RIG")]
    pub compare: Option<PathBuf>,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// `keep-buffer`
#[derive(Args)]
pub struct KeepBufferOptions {
    /// Buffer to put back
    #[arg(long)]
    pub frames: u32,
    /// The server's library
    #[arg(long)]
    pub library: PathBuf,
}

/// Servers that can be soaked through.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum SoakServer {
    /// JACK, or PipeWire in its place
    Jack,
}

fn number(text: &str, from: f64, to: f64) -> Result<f64, String> {
    match text.parse::<f64>() {
        Ok(x) if (from..=to).contains(&x) => Ok(x),
        _ => Err(format!("expected a number from {from} to {to}")),
    }
}

fn seconds(text: &str) -> Result<f64, String> {
    number(text, 1.0, 86_400.0)
}

/// A length of time that a show may have.
fn show_length(text: &str) -> Result<Seconds, String> {
    let wrong = "expected a length of time: write 2h, 90min or 45s";
    let seconds = humantime::parse_duration(text).map_err(|_| wrong)?.as_secs_f64();
    if (1.0..=30.0 * 86_400.0).contains(&seconds) {
        Ok(Seconds::new(seconds))
    } else {
        Err("a show lasts from a second to thirty days".into())
    }
}

fn allowed(text: &str) -> Result<f64, String> {
    number(text, 0.001, 1e6)
}

fn error_rate(text: &str) -> Result<f64, String> {
    number(text, 0.0001, 0.4)
}

/// `soak-inside`: runs a session's processors in a process of their own; started by soak itself
#[derive(Args)]
pub struct SoakInsideOptions {
    pub task: PathBuf,
    #[arg(long)]
    pub below: bool,
}
