//! Tracks and what sits on them.

use crate::tables::Tables;
use crate::units::{Block, Factor, Frames, Gigabytes, Hz, Nanos, Range, Share};
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
    /// The same at other rates than that of the finished work, where it is known. (Look-ahead keeps its time, filters keep
    /// their frames: at a rate that is not listed it lies between the two.)
    #[serde(default)]
    pub latency_at: Vec<LatencyAt>,
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

/// Frames that are known at one rate, at another one.
fn at_other_rate(frames: Frames, rate: Hz, known: Hz) -> Range<Frames> {
    let same_time = frames * (f64::from(rate.get()) / f64::from(known.get()));
    let (low, high) = (frames.min(same_time), frames.max(same_time));
    Range::new(low, same_time, high).unwrap_or(Range::exact(same_time))
}

/// The latency at another rate.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LatencyAt {
    /// The rate.
    pub rate_hz: Hz,
    /// Frames at that rate.
    pub frames: Frames,
}

impl Processor {
    /// Its latency at `rate`, when the session's figures are those at `known`. What keeps its time takes more frames at a
    /// higher rate, what keeps its frames takes less time; to expect is that the rate gains nothing.
    #[must_use]
    pub fn latency(&self, rate: Hz, known: Hz) -> Range<Frames> {
        match self.latency_at.iter().find(|l| l.rate_hz == rate) {
            Some(at) => Range::exact(at.frames),
            None => at_other_rate(self.latency_frames, rate, known),
        }
    }

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
    /// Per call, whatever the block; one number, or [low, typical, high].
    pub per_call_ns: Range<Nanos>,
    /// Per frame of the block; one number, or [low, typical, high].
    pub per_frame_ns: Range<Nanos>,
    /// They were measured on this very processor, not read somewhere.
    #[serde(default)]
    pub measured: bool,
}

/// What a processor costs with its doubt, classes looked up: per pair of channels, on the reference core.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ProcessorCost {
    /// Per call, whatever the block.
    pub per_call: Range<Nanos>,
    /// Per frame of the block.
    pub per_frame: Range<Nanos>,
    /// How we know.
    pub known: CostKnown,
}

/// How the cost of a processor is known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum CostKnown {
    /// By its class, which stands in this row of the table: all of a class err alike in part.
    Class(usize),
    /// By figures that somebody wrote.
    Figures,
    /// It was measured.
    Measured,
}

impl ProcessorCost {
    /// So many times as dear where it is only assumed, and within a factor of `doubt` where that is less.
    pub(super) fn scaled(&self, call: Factor, frame: Factor, doubt: Factor) -> Self {
        let of = |range: Range<Nanos>, times: Factor| {
            let typical = range.typical() * times.raw();
            let low = (range.low() * times.raw()).max(typical / doubt.raw());
            let high = (range.high() * times.raw()).min(typical * doubt.raw());
            // A doubt of one stands for figures that are looked at without any.
            if doubt.raw() > 1.0 { Range::spanning(low, typical, high) } else { range.times(times.raw()) }
        };
        match self.known {
            CostKnown::Class(_) => {
                Self { per_call: of(self.per_call, call), per_frame: of(self.per_frame, frame), ..*self }
            }
            CostKnown::Figures | CostKnown::Measured => *self,
        }
    }

    /// Of figures or a class; the class, when it is not in the table.
    pub(super) fn of<'c>(cost: &'c Cost, tables: &Tables) -> Result<Self, &'c str> {
        let assume = &tables.assume;
        let (per_call, per_frame, known, doubt) = match cost {
            Cost::Figures(f) if f.measured => {
                (f.per_call_ns, f.per_frame_ns, CostKnown::Measured, assume.measured_cost_doubt)
            }
            Cost::Figures(f) => (f.per_call_ns, f.per_frame_ns, CostKnown::Figures, assume.figure_cost_doubt),
            Cost::Class(class) => {
                let row = tables.cost.iter().position(|c| c.id == *class).ok_or(class.as_str())?;
                let (call, frame) = (tables.cost[row].per_call_ns, tables.cost[row].per_frame_ns);
                (Range::exact(call), Range::exact(frame), CostKnown::Class(row), assume.class_cost_doubt)
            }
        };
        // Whoever wrote a range knows better than the table how sure the figures are.
        let plain = per_call.spread().raw() == 0.0 && per_frame.spread().raw() == 0.0;
        let doubt = if plain { doubt.raw() } else { 1.0 };
        let widened = |r: Range<Nanos>| Range::spanning(r.low() / doubt, r.typical(), r.high() * doubt);
        Ok(Self { per_call: widened(per_call), per_frame: widened(per_frame), known })
    }
}

impl Default for Cost {
    fn default() -> Self {
        Self::Class("medium".into())
    }
}
