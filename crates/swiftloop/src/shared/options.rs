//! Groups of options that several commands share.

use clap::{Args, ValueEnum};
use std::path::PathBuf;
use swiftloop_core::session::Listens;
use swiftloop_measure::trace::{TraceQuery, TraceSpan};

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

/// What is asked of a trace.
#[derive(Args)]
pub struct TraceQuestion {
    /// The thread that plays, by its name: its blocks are followed without marks of ours
    #[arg(long, value_name = "NAME")]
    pub thread: Option<String>,
    /// From one block to the next, in microseconds (2667 for 128 frames at 48 kHz)
    #[arg(long, value_name = "US", value_parser = us)]
    pub period_us: Option<f64>,
    /// Running no later than this is in time, in microseconds (a tenth of the period)
    #[arg(long, value_name = "US", value_parser = us)]
    pub in_time_us: Option<f64>,
}

fn us(text: &str) -> Result<f64, String> {
    match text.parse::<f64>() {
        Ok(x) if (1.0..=1e7).contains(&x) => Ok(x),
        _ => Err("expected microseconds from 1 to 10000000".into()),
    }
}

/// Seconds of a length that is written as people write it.
pub fn length(text: &str) -> Result<f64, String> {
    let wrong = "expected a length of time: write 10s, 30min or 8h";
    let seconds = humantime::parse_duration(text).map_err(|_| wrong)?.as_secs_f64();
    if (0.1..=30.0 * 86_400.0).contains(&seconds) {
        Ok(seconds)
    } else {
        Err("expected a length from 0.1 s to thirty days".into())
    }
}

impl TraceQuestion {
    /// What the options ask.
    pub fn question(&self) -> TraceQuery {
        TraceQuery {
            thread: self.thread.clone(),
            period: self.period_us.map(TraceSpan::from_us),
            allowed: self.in_time_us.map(TraceSpan::from_us),
            lanes: false,
        }
    }
}

/// What was seen, and where.
#[derive(Args)]
pub struct Seen {
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
}
