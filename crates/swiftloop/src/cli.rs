//! The command line, defined once; help, manual page and completions all come from here.

use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;
use swiftloop_core::units::{Block, Hz};

/// Which driver, sample rate and buffer for each interface and each phase of a session; how long every
/// performer waits for their own sound, how often it will break, and the smallest change that works.
#[derive(Parser)]
#[command(
    name = "swiftloop",
    version,
    max_term_width = 100,
    after_help = "Exit status: 0 yes or done · 1 the answer is no (over a limit, breaking) · 2 usage or bad input · \
                  3 this machine cannot do it\n\nStart with:  swiftloop demo"
)]
pub struct Cli {
    /// What to do.
    #[command(subcommand)]
    pub command: Command,
    /// Colours in the output.
    #[command(flatten)]
    pub color: colorchoice_clap::Color,
}

/// The commands.
#[derive(Subcommand)]
pub enum Command {
    /// Give me files to start from (asks on a terminal; with options it asks nothing)
    New(New),
    /// What has this machine got, and what on it hurts audio?
    Survey(Survey),
    /// Which setting for each interface and phase, with which remedies, and why?
    Plan(Plan),
    /// What would this setting give? With no files at all: a first answer from the driver table
    Try(Box<Try>),
    /// How long is the loop really? Make a test signal, read its recording, fit several
    #[command(subcommand)]
    Probe(Probe),
    /// Is this recording free of crackles, and where did they come from?
    Listen(Listen),
    /// Does this machine hold this block? Which is the smallest it holds?
    Soak(Box<Soak>),
    /// Show me everything on the sample session
    Demo(Demo),
    /// Puts a server's buffer back when a soak is killed; started by soak itself
    #[command(hide = true)]
    KeepBuffer(KeepBuffer),
    /// JSON Schema of a file format, for editors
    Schema {
        /// Which file.
        file: SchemaOf,
    },
    /// Completions for a shell
    Completions {
        /// Which shell.
        shell: clap_complete::Shell,
    },
    /// The manual page, in roff
    Man,
}

/// Files with a schema.
#[derive(Clone, Copy, ValueEnum)]
pub enum SchemaOf {
    /// rig.toml
    Rig,
    /// session.toml
    Session,
}

/// `new`
#[derive(Args)]
pub struct New {
    /// Folder to write rig.toml and session.toml into
    #[arg(default_value = ".")]
    pub dir: PathBuf,
    /// Replace existing files
    #[arg(long)]
    pub force: bool,
    /// Ask nothing, take what the options say and the usual for the rest
    #[arg(long, short)]
    pub yes: bool,
    /// Driver model of the interface (asio, core-audio, alsa, jack, pipewire, wasapi-exclusive, …)
    #[arg(long)]
    pub driver: Option<String>,
    /// How the interface is connected (pcie, thunderbolt, usb1, usb2, usb3, network, built-in)
    #[arg(long)]
    pub connection: Option<String>,
    /// Rate of the finished work, in hertz
    #[arg(long)]
    pub rate: Option<Hz>,
    /// What is played (voice, drums, plucked, wind, bowed, keys, pads)
    #[arg(long)]
    pub playing: Option<String>,
    /// How the performer listens
    #[arg(long)]
    pub listening: Option<Listening>,
    /// Number of tracks beside the performer's own
    #[arg(long)]
    pub tracks: Option<u32>,
}

/// How somebody listens.
#[derive(Clone, Copy, ValueEnum, PartialEq, Eq)]
pub enum Listening {
    /// Closed headphones, through the software
    Headphones,
    /// In-ears, through the software
    InEars,
    /// Speakers at a distance
    Speakers,
    /// The interface's own mixer
    Direct,
}

impl Listening {
    /// The word in session files.
    pub fn word(self) -> &'static str {
        match self {
            Self::Headphones => "headphones",
            Self::InEars => "in-ears",
            Self::Speakers => "speakers",
            Self::Direct => "direct",
        }
    }
}

/// `plan`
#[derive(Args)]
pub struct Plan {
    /// The rig file
    pub rig: PathBuf,
    /// The session file
    pub session: PathBuf,
    /// Only these phases
    #[arg(long)]
    pub phase: Vec<String>,
    /// Only these interfaces
    #[arg(long)]
    pub interface: Vec<String>,
    /// Only the table and the sheet of changes
    #[arg(long, short)]
    pub brief: bool,
    /// One JSON object instead of text
    #[arg(long)]
    pub json: bool,
    /// Also draw the trade of delay against dropouts of every choice into this file
    #[arg(long, value_name = "FILE")]
    pub svg: Option<PathBuf>,
    /// Replace an existing --svg file
    #[arg(long)]
    pub force: bool,
}

/// `try`
#[derive(Args)]
pub struct Try {
    /// The rig file; leave both files out for a first answer from the driver table
    #[arg(requires = "session")]
    pub rig: Option<PathBuf>,
    /// The session file
    pub session: Option<PathBuf>,
    /// Interface of the rig (its only one when left out)
    #[arg(long)]
    pub interface: Option<String>,
    /// Phase of the session (its only one when left out)
    #[arg(long)]
    pub phase: Option<String>,
    /// Driver (as planned when left out)
    #[arg(long)]
    pub driver: Option<String>,
    /// Sample rate in hertz (as planned when left out)
    #[arg(long)]
    pub rate: Option<Hz>,
    /// Buffer in frames, or the name of a speed (as planned when left out)
    #[arg(long)]
    pub buffer: Option<String>,
    /// Render what is recorded ahead, in blocks of so many frames
    #[arg(long)]
    pub roll: Option<Block>,
    /// Cores that work for the session
    #[arg(long)]
    pub workers: Option<u32>,
    /// Apply a remedy by its id, as plan shows it (may be repeated)
    #[arg(long = "remedy", value_name = "ID")]
    pub remedies: Vec<String>,
    /// Show the legs of this performer
    #[arg(long)]
    pub performer: Option<String>,
    /// Without files: what is played
    #[arg(long, default_value = "voice")]
    pub playing: String,
    /// Without files: how the performer listens
    #[arg(long, value_enum, default_value = "headphones")]
    pub listening: Listening,
    /// Without files: how the interface is connected
    #[arg(long, default_value = "usb2")]
    pub connection: String,
    /// One JSON object instead of text
    #[arg(long)]
    pub json: bool,
    /// Also draw the trade of delay against dropouts into this file
    #[arg(long, value_name = "FILE")]
    pub svg: Option<PathBuf>,
    /// Replace an existing --svg file
    #[arg(long)]
    pub force: bool,
}

/// `probe`
#[derive(Subcommand)]
pub enum Probe {
    /// Make the test signal to play through the loop
    Make(ProbeMake),
    /// Read what came back: the round trip to a fraction of a frame, drift, lost frames
    Read(ProbeRead),
    /// From recordings at several buffers: how many blocks the driver really holds, and what it hides
    Fit(ProbeFit),
}

/// `probe make`
#[derive(Args)]
pub struct ProbeMake {
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
pub struct ProbeRead {
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
    /// One JSON object instead of text
    #[arg(long)]
    pub json: bool,
}

/// `probe fit`
#[derive(Args)]
pub struct ProbeFit {
    /// BUFFER=FILE: a recording of the probe, or the JSON of probe read, at a buffer in frames or a named speed
    #[arg(required = true, value_name = "BUFFER=FILE")]
    pub takes: Vec<String>,
    /// Write the measured round trips into this rig file; comments and order stay
    #[arg(long, value_name = "RIG", requires = "interface", requires = "driver")]
    pub save: Option<PathBuf>,
    /// Interface of the rig that was measured
    #[arg(long)]
    pub interface: Option<String>,
    /// Driver of the rig that was measured
    #[arg(long)]
    pub driver: Option<String>,
    /// One JSON object instead of text
    #[arg(long)]
    pub json: bool,
}

/// `listen`
#[derive(Args)]
pub struct Listen {
    /// The recording (WAV)
    pub recording: PathBuf,
    /// What was played: every frame is compared
    #[arg(long, value_name = "ORIGINAL")]
    pub against: Option<PathBuf>,
    /// Draw the timeline, with a close-up of the worst, into this file
    #[arg(long, value_name = "FILE")]
    pub svg: Option<PathBuf>,
    /// Replace an existing --svg file
    #[arg(long)]
    pub force: bool,
    /// One JSON object instead of text
    #[arg(long)]
    pub json: bool,
}

/// `survey`
#[derive(Args)]
pub struct Survey {
    /// Read a copy of another computer's files under this folder instead (see the README for what to copy)
    #[arg(long, value_name = "DIR")]
    pub root: Option<PathBuf>,
    /// Write what was found into this rig file; in an existing one only what is missing is added
    #[arg(long, value_name = "RIG")]
    pub save: Option<PathBuf>,
    /// One JSON object instead of text
    #[arg(long)]
    pub json: bool,
}

/// `soak`
#[derive(Args)]
pub struct Soak {
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
    /// Climb from the smallest block to the first that holds
    #[arg(long)]
    pub ladder: bool,
    /// Misses per hour that are borne (as the phase bears; 1 without a session)
    #[arg(long, value_name = "PER_HOUR", value_parser = bearable)]
    pub bearable: Option<f64>,
    /// How often each of the two wrong answers may be given
    #[arg(long, default_value_t = 0.05, value_parser = error_rate)]
    pub error: f64,
    /// Hold the processor out of deep idle: shows what saving power costs
    #[arg(long)]
    pub awake: bool,
    /// Be a client of a running audio server instead: real periods, real xruns
    #[arg(long, value_enum, value_name = "SERVER")]
    pub through: Option<Server>,
    /// Put the measured profile into this rig file; comments and order stay, an older profile is kept to compare
    #[arg(long, value_name = "RIG")]
    pub save: Option<PathBuf>,
    /// Tell what changed since the profile in this rig file, and whether it is more than chance
    #[arg(long, value_name = "RIG")]
    pub compare: Option<PathBuf>,
    /// One JSON object instead of text
    #[arg(long)]
    pub json: bool,
}

/// `keep-buffer`
#[derive(Args)]
pub struct KeepBuffer {
    /// Buffer to put back
    #[arg(long)]
    pub frames: u32,
    /// The server's library
    #[arg(long)]
    pub library: PathBuf,
}

/// Servers that can be soaked through.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Server {
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

fn bearable(text: &str) -> Result<f64, String> {
    number(text, 0.001, 1e6)
}

fn error_rate(text: &str) -> Result<f64, String> {
    number(text, 0.0001, 0.4)
}

/// `demo`
#[derive(Args)]
pub struct Demo {
    /// Write the sample files here; without it nothing is left behind
    pub dir: Option<PathBuf>,
    /// Replace existing files
    #[arg(long)]
    pub force: bool,
}
