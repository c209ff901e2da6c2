//! The command line, defined once; help, manual page and completions all come from here.

use crate::apply::options::ApplyOptions;
use crate::check::options::CheckOptions;
use crate::collect::options::CollectOptions;
use crate::demo::options::DemoOptions;
use crate::import::options::ImportOptions;
use crate::link::options::LinkCommand;
use crate::listen::options::ListenOptions;
use crate::manual::options::SchemaOf;
use crate::new::options::NewOptions;
use crate::note::options::NoteOptions;
use crate::plan::options::PlanOptions;
use crate::probe::options::ProbeCommand;
use crate::sheet::options::SheetOptions;
use crate::soak::options::KeepBufferOptions;
use crate::soak::options::SoakOptions;
use crate::survey::options::SurveyOptions;
use crate::trace::options::TraceCommand;
use crate::trial::options::TryOptions;
use crate::watch::options::WatchOptions;
use crate::why::options::WhyOptions;
#[cfg(target_os = "linux")]
use crate::{
    apply::options::{HoldAwakeOptions, PutBackOptions},
    soak::options::SoakInsideOptions,
    trace::options::ClearTraceOptions,
    weigh::options::{WeighInsideOptions, WeighOptions},
};
use clap::{Parser, Subcommand};
use std::path::PathBuf;

pub mod dispatch;
pub mod usage;

/// Which driver, sample rate and buffer for each interface and each phase of a session; how late every
/// performer hears their own sound, how often it will break, and the smallest change that works.
#[derive(Parser)]
#[command(
    name = "swiftloop",
    version,
    long_version = crate::shared::build_info::LONG_VERSION,
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
    Probe(ProbeCommand),
    /// Is this recording free of crackles, and where did they come from?
    Listen(ListenOptions),
    /// Does this machine hold this block? Which is the smallest it holds?
    Soak(Box<SoakOptions>),
    /// What does this processor really cost, and how late is it?
    #[cfg(target_os = "linux")]
    Weigh(WeighOptions),
    /// Who steals the time? Look into the kernel, read what it says, compare before and after
    #[command(subcommand)]
    Trace(TraceCommand),
    /// My recording crackles: whose fault, and what now?
    Why(WhyOptions),
    /// Can we play together over this network? Answer the other side, measure the way, plan with it
    #[command(subcommand)]
    Link(LinkCommand),
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
