//! Options of `trace`: record, read, compare.

#[cfg(target_os = "linux")]
use crate::shared::options::length;
use crate::shared::options::{Shown, TraceQuestion};
use clap::{Args, Subcommand, ValueEnum};
use std::path::PathBuf;

/// `trace`
#[derive(Subcommand)]
pub enum TraceCommand {
    /// Look into the kernel while sound is played: for a time, or until something is noticed (Linux, as root)
    #[cfg(target_os = "linux")]
    Record(TraceRecordOptions),
    /// Who held the processor when a block was late: from the kernel's text, or a table from any system
    Read(TraceReadOptions),
    /// What went away and what came, from one trace to another, and whether it is more than chance
    Compare(TraceCompareOptions),
}

/// `trace record`
#[cfg(target_os = "linux")]
#[derive(Args)]
pub struct TraceRecordOptions {
    /// The file to write
    #[arg(default_value = "trace.txt")]
    pub out: PathBuf,
    /// How long: 10s, 30min, 8h (10s; with --until 8h)
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub length: Option<f64>,
    /// Keep only what was before and after something is noticed: an xrun of the server, the Enter key
    #[arg(long, value_enum, value_delimiter = ',', value_name = "WHAT")]
    pub until: Vec<Until>,
    /// How much before it is kept
    #[arg(long, value_name = "LENGTH", default_value = "3s", value_parser = length, requires = "until")]
    pub before: f64,
    /// How much after it is kept
    #[arg(long, value_name = "LENGTH", default_value = "1s", value_parser = length, requires = "until")]
    pub after: f64,
    /// How often it is kept before the recording ends
    #[arg(long, default_value_t = 5, value_parser = clap::value_parser!(u32).range(1..=1000), requires = "until")]
    pub times: u32,
    /// Threads whose page faults are recorded as well, by name (a * at the end stands for anything)
    #[arg(long, value_name = "NAME")]
    pub thread: Vec<String>,
    /// Ring of each core in KB (as large as what happens here needs)
    #[arg(long, value_name = "KB", value_parser = clap::value_parser!(u64).range(64..=1_048_576))]
    pub ring_kb: Option<u64>,
    /// Replace an existing file
    #[arg(long)]
    pub force: bool,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// What a recording waits for.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Until {
    /// An xrun of JACK, or of PipeWire in its place
    Xrun,
    /// Somebody heard it and pressed Enter
    Key,
}

/// `trace read`
#[derive(Args)]
pub struct TraceReadOptions {
    /// The kernel's text, or a table (docs/trace-table.md)
    pub file: PathBuf,
    /// What is asked.
    #[command(flatten)]
    pub question: TraceQuestion,
    /// A recording made meanwhile: only late blocks where it crackles count
    #[arg(long, value_name = "WAV")]
    pub recording: Option<PathBuf>,
    /// When that recording began, in seconds of the trace's clock (found when left out)
    #[arg(long, value_name = "SECONDS", requires = "recording")]
    pub began: Option<f64>,
    /// Which late block is drawn and told: 1 is the first (the worst when left out)
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
    pub block: Option<u32>,
    /// Draw that block into this file, a lane for each core
    #[arg(long, value_name = "FILE")]
    pub lanes: Option<PathBuf>,
    /// Draw the ranking into this file
    #[arg(long, value_name = "FILE")]
    pub ranking: Option<PathBuf>,
    /// Replace files that are drawn
    #[arg(long)]
    pub force: bool,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// `trace compare`
#[derive(Args)]
pub struct TraceCompareOptions {
    /// The trace before the change
    pub before: PathBuf,
    /// The trace after it
    pub after: PathBuf,
    /// What is asked of both.
    #[command(flatten)]
    pub question: TraceQuestion,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// `clear-trace`: removes a recorder's instance when the recorder was killed; started by trace record itself
#[cfg(target_os = "linux")]
#[derive(Args)]
pub struct ClearTraceOptions {
    #[arg(long)]
    pub place: PathBuf,
    #[arg(long)]
    pub unfinished: Option<PathBuf>,
}
