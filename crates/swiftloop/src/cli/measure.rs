//! Options of the commands that measure: probe, listen, survey, soak.

use super::{CatalogueFile, Drawing, Shown};
use clap::{Args, Subcommand, ValueEnum};
use std::path::PathBuf;
use swiftloop_units::{Block, Hz, Seconds};

/// `probe`
#[derive(Subcommand)]
pub enum Probe {
    /// Make the test signal to play through the loop
    Make(ProbeMakeOptions),
    /// Read what came back: the round trip to a fraction of a frame, drift, lost frames
    Read(ProbeReadOptions),
    /// From recordings at several buffers: how many blocks the driver really holds, and what it hides
    Fit(ProbeFitOptions),
    /// Play, record, read and fit in one, through a running JACK or PipeWire server
    Run(ProbeRunOptions),
}

/// `probe make`
#[derive(Args)]
pub struct ProbeMakeOptions {
    /// The file to write
    #[arg(long, value_name = "FILE", default_value = "probe.wav")]
    pub out: PathBuf,
    /// Sample rate in hertz: that of the session
    #[arg(long, default_value = "48000")]
    pub rate: Hz,
    /// Bursts on each channel (8 to 64): more of them see smaller drifts
    #[arg(long, default_value_t = 8)]
    pub bursts: usize,
    /// Output channels, each with a pattern of its own (1 to 32)
    #[arg(long, default_value_t = 1)]
    pub channels: usize,
    /// Peak level in whole decibels below full scale (-63 to -1)
    #[arg(long, default_value_t = -12, allow_negative_numbers = true)]
    pub level: i32,
    /// How samples are stored
    #[arg(long, value_enum, default_value = "24")]
    pub depth: DepthOf,
    /// A tone that never repeats instead, to play and then listen against
    #[arg(long)]
    pub tone: bool,
    /// Length of the tone in seconds
    #[arg(long, default_value_t = 60, value_parser = clap::value_parser!(u32).range(1..=3600), requires = "tone")]
    pub seconds: u32,
    /// Replace an existing file
    #[arg(long)]
    pub force: bool,
}

/// Depths that can be written.
#[derive(Clone, Copy, ValueEnum)]
pub enum DepthOf {
    /// 16-bit integers
    #[value(name = "16")]
    Int16,
    /// 24-bit integers
    #[value(name = "24")]
    Int24,
    /// 32-bit floats
    #[value(name = "32f")]
    Float32,
}

/// `probe read`
#[derive(Args)]
pub struct ProbeReadOptions {
    /// The recording (WAV), begun together with the probe
    pub recording: PathBuf,
    /// The probe that was played; only needed when it has more than 8 channels
    #[arg(long, value_name = "FILE")]
    pub probe: Option<PathBuf>,
    /// Frames that the recording software already takes off: tells what is left, and the offset to enter
    #[arg(long, value_name = "FRAMES", allow_negative_numbers = true, conflicts_with = "onset")]
    pub reported_frames: Option<f64>,
    /// No probe: channel 1 hears the act (a finger on a key), channel 2 the sound; tells the delay between
    #[arg(long, conflicts_with = "probe")]
    pub onset: bool,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// `probe fit`
#[derive(Args)]
pub struct ProbeFitOptions {
    /// BUFFER=FILE: a recording of the probe, or the JSON of probe read, at a buffer in frames or a named speed
    #[arg(required = true, value_name = "BUFFER=FILE")]
    pub takes: Vec<String>,
    /// Where to save.
    #[command(flatten)]
    pub target: TripTarget,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// Where measured round trips go.
#[derive(Args)]
pub struct TripTarget {
    /// Write the measured round trips into this rig file; comments and order stay
    #[arg(long, value_name = "RIG", requires = "interface", requires = "driver")]
    pub save: Option<PathBuf>,
    /// Interface of the rig that was measured
    #[arg(long)]
    pub interface: Option<String>,
    /// Driver of the rig that was measured
    #[arg(long)]
    pub driver: Option<String>,
}

/// `probe run`
#[derive(Args)]
pub struct ProbeRunOptions {
    /// What plays and records: an audio server, or the system's own sound
    #[cfg(feature = "sound")]
    #[arg(long, value_enum, default_value = "server")]
    pub through: ProbeThrough,
    /// Buffers in turn, in frames (the server's own when left out); its buffer is put back
    #[arg(long, value_delimiter = ',', value_name = "FRAMES")]
    pub buffers: Vec<Block>,
    /// Port that takes the probe out (the first of the interface when left out)
    #[arg(long, value_name = "PORT")]
    pub play: Option<String>,
    /// Port that brings it back (the first of the interface when left out)
    #[arg(long, value_name = "PORT")]
    pub record: Option<String>,
    /// No interface at all: what the server itself adds
    #[arg(long, conflicts_with_all = ["play", "record", "save"])]
    pub inside: bool,
    /// Peak level in whole decibels below full scale; without it -36, -24, then -12, until it can be read
    #[arg(long, allow_negative_numbers = true, value_parser = clap::value_parser!(i32).range(-63..=-1))]
    pub level: Option<i32>,
    /// Bursts (8 to 64)
    #[arg(long, default_value_t = 8)]
    pub bursts: usize,
    /// Takes at each buffer: more of them tell what changes from start to start
    #[arg(long, default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=50))]
    pub takes: u32,
    /// Where to save.
    #[command(flatten)]
    pub target: TripTarget,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// What plays the probe and records it.
#[cfg(feature = "sound")]
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ProbeThrough {
    /// JACK, or PipeWire in its place
    Server,
    /// The system's own sound: devices by name, a channel after a colon
    System,
}

/// `listen`
#[derive(Args)]
pub struct ListenOptions {
    /// The recording (WAV)
    pub recording: PathBuf,
    /// What was played: every frame is compared
    #[arg(long, value_name = "ORIGINAL")]
    pub against: Option<PathBuf>,
    /// Where to draw.
    #[command(flatten)]
    pub drawing: Drawing,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// `survey`
#[derive(Args)]
pub struct SurveyOptions {
    /// Read a copy of another computer's files under this folder instead (see the README for what to copy)
    #[arg(long, value_name = "DIR")]
    pub root: Option<PathBuf>,
    /// Write what was found into this rig file; in an existing one what is missing is added, and what differs is named
    #[arg(long, value_name = "RIG")]
    pub save: Option<PathBuf>,
    /// Keys of the file that get the machine's figure where they differ, such as machine.cores; or all
    #[arg(long, value_name = "KEY", requires = "save", num_args = 1..)]
    pub replace: Vec<String>,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

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

/// `soak-inside`: runs a session's processors in a process of their own; started by soak itself
#[derive(Args)]
pub struct SoakInsideOptions {
    pub task: PathBuf,
    #[arg(long)]
    pub below: bool,
}
