//! Options of `new`.

use crate::shared::options::Listening;
use clap::Args;
use std::path::PathBuf;
use swiftloop_units::Hz;

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
