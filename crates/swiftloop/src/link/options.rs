//! Options of `link`: reflect, measure, plan.

use crate::shared::options::Shown;
use clap::{Args, Subcommand};
use std::path::PathBuf;
use swiftloop_measure::link::packet::Coding;
use swiftloop_units::Hz;

/// `link`
#[derive(Subcommand)]
pub enum LinkCommand {
    /// Answer the other side's test packets (RFC 8762), no more than arrive
    Reflect(LinkReflectOptions),
    /// How late, how uneven, how lossy is the way to a reflector, and which receive buffer does it need?
    Measure(Box<LinkMeasureOptions>),
    /// Can we play together? From measurements, or from a distance alone; no session needed
    Plan(Box<LinkPlanOptions>),
}

/// The secret of both sides.
#[derive(Args)]
pub struct Secret {
    /// Only signed packets (HMAC-SHA-256): both sides have this file, its bytes are the key
    #[arg(long, value_name = "FILE")]
    pub key_file: Option<PathBuf>,
}

/// `link reflect`
#[derive(Args)]
pub struct LinkReflectOptions {
    /// Where to listen
    #[arg(long, value_name = "ADDRESS:PORT", default_value = "[::]:862")]
    pub listen: String,
    /// For so long (until Ctrl-C when left out)
    #[arg(long, value_name = "N", value_parser = seconds)]
    pub seconds: Option<f64>,
    /// Count nothing: loss there and loss back cannot be told apart then
    #[arg(long)]
    pub stateless: bool,
    /// No more answers a second, whoever asks
    #[arg(long, value_name = "N", default_value_t = 5000, value_parser = clap::value_parser!(u32).range(1..=100_000))]
    pub at_most: u32,
    #[command(flatten)]
    pub secret: Secret,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// What goes over the line.
#[derive(Args)]
pub struct LineSound {
    /// LineSound in a packet: a time (2.5ms) or frames (128)
    #[arg(long, value_name = "LENGTH", default_value = "128", value_parser = length)]
    pub packet: Length,
    /// Channels in a packet
    #[arg(long, default_value_t = 2, value_parser = clap::value_parser!(u32).range(1..=64))]
    pub channels: u32,
    /// How samples are written: 16, 24, float, or squeezed: 96kbit/s
    #[arg(long, default_value = "16", value_parser = coding)]
    pub depth: Coding,
    /// Sample rate in hertz
    #[arg(long, default_value = "48000")]
    pub rate: Hz,
}

/// `link measure`
#[derive(Args)]
pub struct LinkMeasureOptions {
    /// The reflector: a name or an address, with :PORT where it is not 862
    pub host: String,
    /// For so long
    #[arg(long, value_name = "N", default_value = "60", value_parser = seconds)]
    pub seconds: f64,
    /// Packets a second, where it is not the pace of the sound
    #[arg(long, value_name = "R", value_parser = per_second)]
    pub packets_per_second: Option<f64>,
    #[command(flatten)]
    pub sound: LineSound,
    /// Late or lost packets an hour that you allow (as the table has it for playing together)
    #[arg(long, value_name = "PER-HOUR", value_parser = per_hour)]
    pub allow: Option<f64>,
    /// Is this receive buffer long enough? Ends as soon as that is answered
    #[arg(long, value_name = "MS", value_parser = buffer)]
    pub buffer: Option<f64>,
    /// Send so much other traffic beside, five seconds of every ten
    #[arg(long, value_name = "KBIT-PER-S", value_parser = load)]
    pub with_load: Option<f64>,
    /// Ask routers to let it go first (46: expedited forwarding)
    #[arg(long, value_name = "0-63", default_value_t = 0, value_parser = clap::value_parser!(u8).range(0..=63))]
    pub dscp: u8,
    #[command(flatten)]
    pub secret: Secret,
    /// Keep what was found in this file: a rig's far side names it, link plan reads it
    #[arg(long, value_name = "FILE")]
    pub save: Option<PathBuf>,
    /// Keep every packet in this file
    #[arg(long, value_name = "FILE")]
    pub packets: Option<PathBuf>,
    /// Draw delay over time, and late packets against the buffer
    #[arg(long, value_name = "FILE")]
    pub svg: Option<PathBuf>,
    /// Replace existing files
    #[arg(long)]
    pub force: bool,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// `link plan`
#[derive(Args)]
pub struct LinkPlanOptions {
    /// What `link measure --save` kept, one file for each far side
    #[arg(value_name = "MEASURED")]
    pub measured: Vec<PathBuf>,
    /// Nothing was measured: so many kilometres of line between both
    #[arg(long, value_name = "KM", value_parser = km, required_unless_present = "measured", conflicts_with = "measured")]
    pub distance: Option<f64>,
    /// Kind of line at both ends: glass, cable, copper, mobile, satellite
    #[arg(long, default_value = "cable")]
    pub line: String,
    /// Wireless between computer and router
    #[arg(long)]
    pub wireless: bool,
    #[command(flatten)]
    pub sound: LineSound,
    /// What is played, for the limit
    #[arg(long, default_value = "ensemble")]
    pub playing: String,
    /// How fast, in beats a minute
    #[arg(long, value_name = "BPM", value_parser = bpm)]
    pub tempo: Option<f64>,
    /// Driver at both ends
    #[arg(long, default_value = "asio")]
    pub driver: String,
    /// Connection of the interfaces at both ends
    #[arg(long, default_value = "usb2")]
    pub connection: String,
    /// Late or lost packets an hour that you allow (as the table has it for playing together)
    #[arg(long, value_name = "PER-HOUR", value_parser = per_hour)]
    pub allow: Option<f64>,
    /// A show of so many minutes: the buffer stays as it is from beginning to end
    #[arg(long, value_name = "MINUTES", value_parser = minutes)]
    pub show: Option<f64>,
    /// Draw late packets against the buffer
    #[arg(long, value_name = "FILE")]
    pub svg: Option<PathBuf>,
    /// Replace an existing file
    #[arg(long)]
    pub force: bool,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}

/// How much sound a packet holds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Length {
    /// Milliseconds.
    Ms(f64),
    /// Frames.
    Frames(u32),
}

impl Length {
    /// As frames at a rate.
    pub fn frames(self, rate: Hz) -> u32 {
        match self {
            Self::Ms(ms) => ((ms * f64::from(rate.get()) / 1000.0).round() as u32).max(1),
            Self::Frames(frames) => frames,
        }
    }
}

fn coding(text: &str) -> Result<Coding, String> {
    match text.trim() {
        "16" => Ok(Coding::Bits(16)),
        "24" => Ok(Coding::Bits(24)),
        "32" | "float" => Ok(Coding::Bits(32)),
        other => {
            let rate = other.strip_suffix("kbit/s").or_else(|| other.strip_suffix("kbit"));
            let rate =
                rate.and_then(|r| r.trim().parse::<f64>().ok()).filter(|r| (8.0..=20_000.0).contains(r));
            rate.map(Coding::KilobitsPerSecond)
                .ok_or_else(|| "expected 16, 24, float, or a bit rate such as 96kbit/s".into())
        }
    }
}

/// A figure between two bounds.
fn between(text: &str, from: f64, to: f64, example: &str) -> Result<f64, String> {
    let figure = text.trim().parse::<f64>().ok().filter(|x| (from..=to).contains(x));
    figure.ok_or_else(|| format!("expected a figure from {from} to {to}, such as {example}"))
}

fn seconds(text: &str) -> Result<f64, String> {
    between(text, 0.1, 86_400.0, "60")
}

fn per_second(text: &str) -> Result<f64, String> {
    between(text, 1.0, swiftloop_host::link::MOST_PER_SECOND, "400")
}

fn per_hour(text: &str) -> Result<f64, String> {
    between(text, 0.01, 1e6, "12")
}

fn buffer(text: &str) -> Result<f64, String> {
    between(text, 0.0, 500.0, "4")
}

fn load(text: &str) -> Result<f64, String> {
    between(text, 10.0, 20_000.0, "4000")
}

fn km(text: &str) -> Result<f64, String> {
    between(text, 0.0, 30_000.0, "410")
}

fn bpm(text: &str) -> Result<f64, String> {
    between(text, 20.0, 400.0, "120")
}

fn minutes(text: &str) -> Result<f64, String> {
    between(text, 0.1, 1440.0, "90")
}

fn length(text: &str) -> Result<Length, String> {
    let wrong = || {
        "expected a time from 0.5ms to 100ms, such as 2.5ms, or frames from 8 to 4800, such as 128"
            .to_string()
    };
    if let Some(ms) = text.strip_suffix("ms") {
        let ms = ms.trim().parse::<f64>().ok().filter(|ms| (0.5..=100.0).contains(ms));
        return ms.map(Length::Ms).ok_or_else(wrong);
    }
    text.trim().parse().ok().filter(|f| (8..=4800).contains(f)).map(Length::Frames).ok_or_else(wrong)
}
