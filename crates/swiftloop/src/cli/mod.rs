//! The command line, defined once; help, manual page and completions all come from here.

use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;
use swiftloop_core::session::Listens;
use swiftloop_units::{Block, Hz};

mod in_effect;
mod link;
mod measure;
mod trace;

pub use in_effect::{
    ApplyOptions, CheckOptions, CollectOptions, Place, SheetOptions, SystemOf, WatchOptions,
};
#[cfg(target_os = "linux")]
pub use in_effect::{HoldAwakeOptions, Kinds, PutBackOptions};

#[cfg(feature = "sound")]
pub use measure::ProbeThrough;
pub use measure::{
    DepthOf, KeepBufferOptions, ListenOptions, Probe, ProbeFitOptions, ProbeMakeOptions, ProbeReadOptions,
    ProbeRunOptions, SoakOptions, SurveyOptions, TripTarget,
};
#[cfg(target_os = "linux")]
pub use measure::{SoakInsideOptions, WeighInsideOptions, WeighOptions};

pub use link::{
    Link, LinkMeasureOptions, LinkPlanOptions, LinkReflectOptions, Secret as LinkSecret, Sound as LinkSound,
};
#[cfg(target_os = "linux")]
pub use trace::{ClearTraceOptions, TraceRecordOptions, Until};
pub use trace::{Trace, TraceCompareOptions, TraceQuestion, TraceReadOptions, WhyOptions};

/// Which driver, sample rate and buffer for each interface and each phase of a session; how late every
/// performer hears their own sound, how often it will break, and the smallest change that works.
#[derive(Parser)]
#[command(
    name = "swiftloop",
    version,
    long_version = crate::built::LONG_VERSION,
    max_term_width = 100,
    after_help = "Exit status: 0 yes or done · 1 the answer is no (over a limit, breaks) · 2 usage or bad input · \
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
    New(NewOptions),
    /// Read my session from where my software keeps it: an exchange archive, a MIDI file, a folder of recordings
    Import(ImportOptions),
    /// What has this machine got, and what on it hurts audio?
    Survey(SurveyOptions),
    /// Which setting for each interface and phase, with which remedies, and why?
    Plan(PlanOptions),
    /// What would this setting give? With no files at all: a first answer from the driver table
    Try(Box<TryOptions>),
    /// This is what I saw: dropouts, the meter, what performers felt
    Note(NoteOptions),
    /// How long is the loop really? Make a test signal, read its recording, fit several
    #[command(subcommand)]
    Probe(Probe),
    /// Is this recording free of crackles, and where did they come from?
    Listen(ListenOptions),
    /// Does this machine hold this block? Which is the smallest it holds?
    Soak(Box<SoakOptions>),
    /// What does this processor really cost, and how late is it?
    #[cfg(target_os = "linux")]
    Weigh(WeighOptions),
    /// Who steals the time? Look into the kernel, read what it says, compare before and after
    #[command(subcommand)]
    Trace(Trace),
    /// My recording crackles: whose fault, and what now?
    Why(WhyOptions),
    /// Can we play together over this network? Answer the other side, measure the way, plan with it
    #[command(subcommand)]
    Link(Link),
    /// A page for each phase, for the wall: what to set, who hears what, what to tick
    Sheet(SheetOptions),
    /// Is everything set as the plan says? On this computer, or on copies of others
    Check(CheckOptions),
    /// Set it as the plan says, and back (Linux)
    Apply(ApplyOptions),
    /// Keep an eye on the take: dropouts, and what changes meanwhile (Linux)
    Watch(WatchOptions),
    /// A script that copies what another computer tells of itself, to check it here; it sends nothing
    Collect(CollectOptions),
    /// Show me around, on a sample session
    Demo(DemoOptions),
    /// Puts everything back when apply is killed; started by apply itself
    #[cfg(target_os = "linux")]
    #[command(hide = true)]
    PutBack(PutBackOptions),
    /// Holds the computer awake while a session runs; started by apply itself
    #[cfg(target_os = "linux")]
    #[command(hide = true)]
    HoldAwake(HoldAwakeOptions),
    /// Puts a server's buffer back when a soak is killed; started by soak itself
    #[command(hide = true)]
    KeepBuffer(KeepBufferOptions),
    /// Clears a recorder away when it was killed; started by trace record itself
    #[cfg(target_os = "linux")]
    #[command(hide = true)]
    ClearTrace(ClearTraceOptions),
    /// Runs a library in a process of its own; started by weigh itself
    #[cfg(target_os = "linux")]
    #[command(hide = true)]
    WeighInside(WeighInsideOptions),
    /// Runs a session's processors in a process of their own; started by soak itself
    #[cfg(target_os = "linux")]
    #[command(hide = true)]
    SoakInside(SoakInsideOptions),
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
    Man {
        /// Write the pages of all commands into this folder instead
        #[arg(long, value_name = "DIR")]
        into: Option<PathBuf>,
        /// Replace existing files
        #[arg(long, requires = "into")]
        force: bool,
    },
}

/// Files with a schema.
#[derive(Clone, Copy, ValueEnum)]
pub enum SchemaOf {
    /// rig.toml
    Rig,
    /// session.toml
    Session,
    /// notes.toml
    Notes,
    /// settings.toml, as plan hands it out
    Settings,
}

/// `note`
#[derive(Args)]
pub struct NoteOptions {
    /// The rig file
    pub rig: PathBuf,
    /// The session file; what is noted goes into notes.toml beside it
    pub session: PathBuf,
    /// Phase in which it was (the only one when left out)
    #[arg(long)]
    pub phase: Option<String>,
    /// Interface on which it was (the only one when left out)
    #[arg(long)]
    pub interface: Option<String>,
    /// Driver that was set (as planned when left out)
    #[arg(long)]
    pub driver: Option<String>,
    /// Buffer that was set, in frames or by its name (as planned when left out)
    #[arg(long)]
    pub buffer: Option<String>,
    /// For so many minutes somebody listened
    #[arg(long, requires = "dropouts")]
    pub minutes: Option<f64>,
    /// So many dropouts were heard or counted in that time
    #[arg(long, requires = "minutes")]
    pub dropouts: Option<u32>,
    /// The software's own meter in the mean, in percent
    #[arg(long, value_name = "PERCENT")]
    pub meter: Option<f64>,
    /// The software's own meter at the worst, in percent
    #[arg(long, value_name = "PERCENT")]
    pub meter_peak: Option<f64>,
    /// What a performer felt: ada=late or ada=fine, or ada@loft=late with a far side (may be repeated)
    #[arg(long, value_name = "WHO=late|fine")]
    pub felt: Vec<String>,
    /// When it was, as year-month-day (today when left out)
    #[arg(long)]
    pub date: Option<String>,
    /// What processors cost.
    #[command(flatten)]
    pub catalogue: CatalogueFile,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// `new`
#[derive(Args)]
pub struct NewOptions {
    /// Folder to write rig.toml and session.toml into; what is there already stays
    #[arg(default_value = ".")]
    pub dir: PathBuf,
    /// Replace existing files
    #[arg(long)]
    pub force: bool,
    /// Write a session only, for the rig in DIR or that of --rig
    #[arg(long)]
    pub session: bool,
    /// The rig that the session is for, such as one that `survey --save` wrote
    #[arg(long, value_name = "FILE")]
    pub rig: Option<PathBuf>,
    /// Ask nothing, take what the options say and the usual for the rest
    #[arg(long, short)]
    pub yes: bool,
    /// Driver model of the interface (asio, core-audio, alsa, jack, pipewire, wasapi-exclusive, …)
    #[arg(long)]
    pub driver: Option<String>,
    /// How the interface is connected (pcie, thunderbolt, usb1, usb2, usb3, network, built-in; usb, usb-c)
    #[arg(long)]
    pub connection: Option<String>,
    /// Rate of the finished work, in hertz
    #[arg(long)]
    pub rate: Option<Hz>,
    /// What is played (voice, drums, plucked, wind, bowed, keys, pads; or guitar, piano, drum-pads …)
    #[arg(long)]
    pub playing: Option<String>,
    /// How the performer listens
    #[arg(long)]
    pub listening: Option<Listening>,
    /// Number of recorded tracks beside the performer's own
    #[arg(long)]
    pub tracks: Option<u32>,
    /// Number of software instruments beside the performer's own
    #[arg(long)]
    pub instruments: Option<u32>,
    /// Samples that each instrument holds in memory, in GB
    #[arg(long, value_name = "GB")]
    pub memory_each: Option<f64>,
    /// Kinds of phases in order (tracking, overdub, writing, editing, mixing, mastering, show, remote)
    #[arg(long, value_delimiter = ',')]
    pub phases: Vec<String>,
    /// What the meter of the session's software shows, and at which buffer: 40@512
    #[arg(long, value_name = "PERCENT@BUFFER")]
    pub meter: Option<String>,
}

/// `import`
#[derive(Args)]
pub struct ImportOptions {
    /// A DAWproject archive, a Standard MIDI file, or a folder of WAV recordings
    pub source: PathBuf,
    /// The session file to write; into one that is there goes what changed in the source
    #[arg(long, value_name = "SESSION", default_value = "session.toml")]
    pub into: PathBuf,
    /// The rig to plan with, for the next step that is shown
    #[arg(long, value_name = "RIG")]
    pub rig: Option<PathBuf>,
    /// Replace the session that is there
    #[arg(long)]
    pub force: bool,
    /// How to show it
    #[command(flatten)]
    pub shown: Shown,
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

impl From<Listening> for Listens {
    fn from(listening: Listening) -> Self {
        match listening {
            Listening::Headphones => Self::Headphones,
            Listening::InEars => Self::InEars,
            Listening::Speakers => Self::Speakers,
            Listening::Direct => Self::Direct,
        }
    }
}

/// How an answer is shown.
#[derive(Args)]
pub struct Shown {
    /// Everything, not only what fits one screen
    #[arg(long)]
    pub full: bool,
    /// One JSON object instead of text
    #[arg(long)]
    pub json: bool,
}

/// Where processors that were weighed are kept.
#[derive(Args)]
pub struct CatalogueFile {
    /// What processors cost, as weigh found it (a file of this user when left out)
    #[arg(long, value_name = "FILE")]
    pub catalogue: Option<PathBuf>,
}

/// A drawing beside the answer.
#[derive(Args)]
pub struct Drawing {
    /// Also draw it into this file: the trade of delay against dropouts, or the timeline of a recording
    #[arg(long, value_name = "FILE")]
    pub svg: Option<PathBuf>,
    /// Replace an existing file
    #[arg(long)]
    pub force: bool,
}

/// `plan`
#[derive(Args)]
pub struct PlanOptions {
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
    /// Also write what one computer must be set to into this file, small enough to mail
    #[arg(long, value_name = "FILE")]
    pub hand_out: Option<PathBuf>,
    /// What processors cost.
    #[command(flatten)]
    pub catalogue: CatalogueFile,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
    /// Where to draw.
    #[command(flatten)]
    pub drawing: Drawing,
}

/// `try`
#[derive(Args)]
pub struct TryOptions {
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
    /// Show the legs of this performer (ada@loft: playing together with the far side loft)
    #[arg(long)]
    pub performer: Option<String>,
    /// What processors cost.
    #[command(flatten)]
    pub catalogue: CatalogueFile,
    /// Without files: what is played
    #[arg(long, default_value = "voice")]
    pub playing: String,
    /// Without files: how the performer listens
    #[arg(long, value_enum, default_value = "headphones")]
    pub listening: Listening,
    /// Without files: how the interface is connected
    #[arg(long, default_value = "usb2")]
    pub connection: String,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
    /// Where to draw.
    #[command(flatten)]
    pub drawing: Drawing,
}

/// `demo`
#[derive(Args)]
pub struct DemoOptions {
    /// Write the sample files here; without it nothing is left behind
    pub dir: Option<PathBuf>,
    /// The whole output of every command of the tour
    #[arg(long, conflicts_with = "dir")]
    pub full: bool,
    /// Replace existing files
    #[arg(long)]
    pub force: bool,
}
