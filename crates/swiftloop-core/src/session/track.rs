//! Tracks and what sits on them.

use crate::tables::Tables;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use swiftloop_units::{Block, Factor, Frames, Gigabytes, Hz, Nanos, Range, Share};

/// A track.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Track {
    /// Short word to refer to it; with `count`, `*` in it stands for the number of each.
    pub id: String,
    /// A name for people; `*` in it as in the id.
    pub name: Option<String>,
    /// So many alike tracks: each with such processors, such memory, and so on.
    pub count: Option<u32>,
    /// Where its sound comes from.
    #[serde(default)]
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
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Source {
    /// Audio from disk.
    #[default]
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
    /// Short word to refer to it, unique in the session; that of its track and its place there when left out.
    #[serde(default)]
    pub id: String,
    /// A name for people.
    pub name: Option<String>,
    /// Which plug-in it is: its standard and its own id, such as `clap:boathouse.room` or `lv2:http://…`. What it costs and how
    /// late it is come from the catalogue then, where it was weighed and nobody wrote figures here.
    pub is: Option<String>,
    /// A hash of its settings, as weighing tells it; those it begins with when left out.
    pub settings: Option<String>,
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
    /// Delays that were weighed, with what they depend on.
    #[serde(skip)]
    pub weighed_delays: Vec<WeighedDelay>,
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

/// A delay that was weighed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WeighedDelay {
    pub rate_hz: Hz,
    /// Over all blocks at that rate.
    pub frames: Range<Frames>,
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
        if let Some(weighed) = self.weighed_delays.iter().find(|d| d.rate_hz == rate) {
            return weighed.frames;
        }
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
    /// Channels that one of it serves; as many of it run as the channels need. (The figures are those of a pair, and each call serves
    /// all pairs, when left out.)
    pub channels: Option<u32>,
    /// What silence costs beside sound: 1 as much, 0 nothing (1 when left out).
    pub quiet: Option<Share>,
    /// With a block of its own: what each such block takes on top of the other figures, which are those of every call then.
    pub burst_ns: Option<Nanos>,
    /// They were measured alone, call after call: in a chain at the real period it is dearer.
    #[serde(default)]
    pub alone: bool,
}

/// What a processor costs with its doubt, classes looked up: per pair of channels, on the reference core.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ProcessorCost {
    /// Per call, whatever the block.
    pub per_call: Range<Nanos>,
    /// Per frame of the block.
    pub per_frame: Range<Nanos>,
    /// Channels that one of it serves; a pair, and each call serves all pairs, where nobody says.
    pub channels: Option<u32>,
    /// Share that silence costs.
    pub quiet: f64,
    /// What each block of its own takes on top of every call.
    pub burst: Option<Nanos>,
    pub known: CostKnown,
}

/// How the cost of a processor is known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum CostKnown {
    /// By its class, which stands in this row of the table: all of a class err alike in part.
    Class(usize),
    /// By figures that somebody wrote.
    Figures,
    Measured,
    /// It was measured alone: in a chain at the real period it is dearer, by what all of these have in common.
    Alone,
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
            CostKnown::Figures | CostKnown::Measured | CostKnown::Alone => *self,
        }
    }

    /// Of figures or a class; the class, when it is not in the table.
    pub(super) fn of<'c>(cost: &'c Cost, tables: &Tables) -> Result<Self, &'c str> {
        let assume = &tables.assume;
        let (per_call, per_frame, known, doubt) = match cost {
            Cost::Figures(f) if f.measured => {
                let known = if f.alone { CostKnown::Alone } else { CostKnown::Measured };
                (f.per_call_ns, f.per_frame_ns, known, assume.measured_cost_doubt)
            }
            Cost::Figures(f) => (f.per_call_ns, f.per_frame_ns, CostKnown::Figures, assume.figure_cost_doubt),
            Cost::Class(class) => {
                let row = tables.cost.iter().position(|c| c.id == *class).ok_or(class.as_str())?;
                let (call, frame) = (tables.cost[row].per_call_ns, tables.cost[row].per_frame_ns);
                (call, frame, CostKnown::Class(row), Factor::new(1.0))
            }
        };
        // Whoever wrote a range knows better than the table how sure the figures are.
        let plain = per_call.spread().raw() == 0.0 && per_frame.spread().raw() == 0.0;
        let doubt = if plain { doubt.raw() } else { 1.0 };
        let widened = |r: Range<Nanos>| Range::spanning(r.low() / doubt, r.typical(), r.high() * doubt);
        let (channels, quiet, burst) = match cost {
            Cost::Figures(f) => (f.channels, f.quiet.map_or(1.0, Share::raw), f.burst_ns),
            Cost::Class(_) => (None, 1.0, None),
        };
        Ok(Self { per_call: widened(per_call), per_frame: widened(per_frame), channels, quiet, burst, known })
    }
}

impl Default for Cost {
    fn default() -> Self {
        Self::Class("medium".into())
    }
}
