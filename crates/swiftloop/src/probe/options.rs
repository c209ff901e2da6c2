//! Options of `probe`: make, read, fit, run.

use crate::shared::options::Shown;
use clap::{Args, Subcommand, ValueEnum};
use std::path::PathBuf;
use swiftloop_units::{Block, Hz};

/// `probe`
#[derive(Subcommand)]
pub enum ProbeCommand {
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
