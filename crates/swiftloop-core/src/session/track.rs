//! Tracks and what sits on them.

use crate::units::{Block, Frames, Gigabytes, Nanos, Share};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A track.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Track {
    /// Short word to refer to it.
    pub id: String,
    /// A name for people.
    pub name: Option<String>,
    /// Where its sound comes from.
    pub source: Source,
    /// Channels: 1 mono, 2 stereo.
    #[serde(default = "one")]
    pub channels: u32,
    /// Where it goes: a bus or `main`.
    #[serde(default = "main_out")]
    pub to: String,
    /// Sends to buses.
    #[serde(default)]
    pub sends: Vec<Send>,
    /// Processors, in order; for an instrument track the first one is the instrument.
    #[serde(rename = "processor", default)]
    pub processors: Vec<Processor>,
    /// Muted: silent, but it still computes.
    #[serde(default)]
    pub muted: bool,
    /// Disabled: does not compute.
    #[serde(default)]
    pub disabled: bool,
    /// Nothing is on it.
    #[serde(default)]
    pub unused: bool,
    /// Memory it holds (samples of an instrument).
    #[serde(default)]
    pub memory_gb: Gigabytes,
    /// Share of the time during which it sounds.
    #[serde(default = "always")]
    pub sounding: Share,
    /// Whether the software plays the live signal.
    #[serde(default)]
    pub monitor: Monitor,
}

fn one() -> u32 {
    1
}

fn always() -> Share {
    Share::new(1.0)
}

fn main_out() -> String {
    "main".into()
}

impl Track {
    /// The name for people, or the id.
    #[must_use]
    pub fn title(&self) -> &str {
        self.name.as_deref().unwrap_or(&self.id)
    }
}

/// Where a track's sound comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Source {
    /// Audio from disk.
    Disk,
    /// A live input; plays from disk in phases where nobody performs on it.
    Live,
    /// A software instrument.
    Instrument,
}

/// Whether the software plays the live signal of a track.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Monitor {
    /// While the track is armed.
    #[default]
    Armed,
    /// As somebody switches it.
    ByHand,
    /// Never.
    Never,
}

/// A send to a bus.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Send {
    /// The bus.
    pub to: String,
}

/// A processor (plug-in) on a track, a bus or the main output.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Processor {
    /// Short word to refer to it, unique in the session.
    pub id: String,
    /// A name for people.
    pub name: Option<String>,
    /// What it is, as far as the live path minds.
    #[serde(default)]
    pub kind: ProcessorKind,
    /// Delay at the session's rate.
    #[serde(default)]
    pub latency_frames: Frames,
    /// Delay in its low-delay mode, if it has one.
    pub low_delay_frames: Option<Frames>,
    /// What it costs.
    #[serde(default)]
    pub cost: Cost,
    /// Oversampling it runs at (1, 2, 4, 8 or 16).
    #[serde(default = "one")]
    pub oversampling: u32,
    /// Voices sounding at once, for instruments; the cost is that of all of them.
    pub voices: Option<u32>,
    /// A block of its own: it works once in so many frames, all at once.
    pub internal_block: Option<Block>,
    /// State as the session stands.
    #[serde(default)]
    pub state: State,
    /// Less oversampling or draft quality would be heard (saturation, equalisers near the top).
    #[serde(default)]
    pub sensitive: bool,
    /// It has a draft quality.
    #[serde(default)]
    pub has_draft: bool,
    /// It rests while its track is silent.
    #[serde(default)]
    pub rests: bool,
    /// How long it goes on computing after its track has fallen silent.
    #[serde(default)]
    pub tail_s: f64,
    /// Copies that could be one on a send carry the same word.
    pub same_as: Option<String>,
}

impl Processor {
    /// The name for people, or the id.
    #[must_use]
    pub fn title(&self) -> &str {
        self.name.as_deref().unwrap_or(&self.id)
    }
}

/// What a processor is, as far as the live path minds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum ProcessorKind {
    /// Anything that changes the sound.
    #[default]
    Effect,
    /// Makes the sound.
    Instrument,
    /// Only looks at the sound.
    Analyser,
    /// A split chain: parallel branches in one processor.
    Split,
    /// Goes out to hardware and back.
    Insert,
}

/// State of a processor.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum State {
    /// Working.
    #[default]
    Active,
    /// Switched off but loaded: may keep its delay and part of its load.
    Off,
    /// Not loaded.
    Unloaded,
}

/// What a processor costs: a class or figures of its own.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(
    untagged,
    expecting = "expected a class (\"light\", \"medium\", \"heavy\", \"extreme\") or { per_call_ns = …, per_frame_ns = … }"
)]
pub enum Cost {
    /// A class of the table.
    Class(String),
    /// Figures on the reference core, per channel pair, at 1 × oversampling.
    Figures(CostFigures),
}

/// Figures on the reference core.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CostFigures {
    /// Per call, whatever the block.
    pub per_call_ns: Nanos,
    /// Per frame of the block.
    pub per_frame_ns: Nanos,
}

impl Default for Cost {
    fn default() -> Self {
        Self::Class("medium".into())
    }
}
