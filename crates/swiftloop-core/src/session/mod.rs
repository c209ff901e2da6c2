//! The session: tracks, buses, main output, performers and phases. A [`Description`] (plain data) comes in,
//! [`Session::checked`] proves that it can be true and lays the routing out as a graph without cycles.

mod alike;
mod check;
mod lookup;
mod plain;
mod routes;
mod track;

pub use routes::{Node, NodeKind, Routes};
pub use track::{
    Cost, CostFigures, CostKnown, LatencyAt, Monitor, Processor, ProcessorCost, ProcessorKind, Send, Source,
    State, Track, WeighedDelay,
};

use crate::tables::{Listener, PhaseKind, TwoLimits};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use swiftloop_units::ids::{PerformerId, PhaseId, ProcessorId};
use swiftloop_units::{Block, Factor, Gigabytes, Hz, Metres, Ms, Range};
use typed_index_collections::TiVec;

/// The kind of phase in which one plays together over a network.
pub const REMOTE: &str = "remote";

/// What is wanted: the whole of a `session.toml`.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Description {
    /// Always `swiftloop.session/1`.
    pub format: String,
    /// A name for people.
    #[serde(default)]
    pub name: String,
    /// What is to be handed over.
    #[serde(default)]
    pub deliver: Deliver,
    /// What the session software does.
    #[serde(default)]
    pub engine: Engine,
    /// Tracks.
    #[serde(rename = "track", default)]
    pub tracks: Vec<Track>,
    /// Buses, effect returns and cue mixes.
    #[serde(rename = "bus", default)]
    pub buses: Vec<Bus>,
    /// The main output.
    #[serde(default)]
    pub main: Main,
    /// Who performs.
    #[serde(rename = "performer", default)]
    pub performers: Vec<Performer>,
    /// Stretches of work, in order.
    #[serde(rename = "phase")]
    pub phases: Vec<Phase>,
}

/// What is to be handed over.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Deliver {
    /// Rate of the finished work; the session runs at it unless others are allowed.
    #[serde(default = "usual_rate")]
    pub rate_hz: Hz,
    /// Other rates the session may run at.
    #[serde(default)]
    pub may_run_at_hz: Vec<Hz>,
    /// Bits per sample of the recorded files.
    #[serde(default = "depth_24")]
    pub depth: u32,
}

impl Default for Deliver {
    fn default() -> Self {
        Self { rate_hz: usual_rate(), may_run_at_hz: Vec::new(), depth: depth_24() }
    }
}

fn usual_rate() -> Hz {
    Hz::new(48_000)
}

fn depth_24() -> u32 {
    24
}

/// What the session software does, as far as delay and load depend on it.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Engine {
    /// A block of its own, if it differs from the device's.
    pub block_frames: Option<Block>,
    /// It can render what is already recorded ahead, in larger blocks.
    pub renders_ahead: bool,
    /// Sizes of these larger blocks, the usual one first.
    pub roll_frames: Vec<Block>,
    /// It delays branches so that they line up with the slowest.
    pub delay_compensation: bool,
    /// Bits of its internal figures: 32 or 64.
    pub precision: u32,
    /// The 32-bit setting exists.
    pub can_use_32_bit: bool,
    /// Resolution of the timeline.
    pub ticks_per_quarter: u32,
    /// Notes sound at their time stamp within the block (after a constant block), or at the next block.
    pub note_timing: NoteTiming,
    /// Workers it may use (one a hardware thread when left out).
    pub workers: Option<u32>,
    /// Memory of the session without printed tracks.
    pub memory_gb: Gigabytes,
    /// What is kept of each disk stream in memory.
    pub read_ahead_ms: Option<Ms>,
}

impl Default for Engine {
    fn default() -> Self {
        Self {
            block_frames: None,
            renders_ahead: false,
            roll_frames: vec![Block::new(1024), Block::new(2048)],
            delay_compensation: true,
            precision: 64,
            can_use_32_bit: true,
            ticks_per_quarter: 960,
            note_timing: NoteTiming::Stamped,
            workers: None,
            memory_gb: Gigabytes::new(2.0),
            read_ahead_ms: None,
        }
    }
}

/// How notes are placed within a block.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NoteTiming {
    /// At their time stamp, one constant block later.
    #[default]
    Stamped,
    /// At the start of the next block: anything from nothing to a block late.
    NextBlock,
}

/// A bus: group, effect return or cue mix.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Bus {
    /// Short word to refer to it.
    pub id: String,
    /// A name for people.
    pub name: Option<String>,
    /// Where it goes: a bus, `main`, or `out` for an output of its own (a cue mix).
    #[serde(default = "main_out")]
    pub to: String,
    /// Sends to other buses.
    #[serde(default)]
    pub sends: Vec<Send>,
    /// Processors, in order.
    #[serde(rename = "processor", default)]
    pub processors: Vec<Processor>,
    /// Disabled altogether.
    #[serde(default)]
    pub disabled: bool,
}

impl Bus {
    /// The name for people, or the id.
    #[must_use]
    pub fn title(&self) -> &str {
        self.name.as_deref().unwrap_or(&self.id)
    }
}

fn main_out() -> String {
    "main".into()
}

/// The main output.
#[derive(Debug, Clone, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Main {
    /// Processors, in order.
    #[serde(rename = "processor", default)]
    pub processors: Vec<Processor>,
}

/// Somebody who performs.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Performer {
    /// Short word to refer to them.
    pub id: String,
    /// A name for people.
    pub name: Option<String>,
    /// What they play, as far as timing goes: `voice`, `drums`, `plucked`, `wind`, `bowed`, `keys`, `pads`,
    /// `ensemble` or `talkback`.
    pub plays: String,
    /// How they listen.
    #[serde(default)]
    pub listens: Listens,
    /// Tracks on which the performer hears what is played; the live ones when left out, for keys and pads the first
    /// instrument.
    #[serde(rename = "hears")]
    pub says_hears: Option<Vec<String>>,
    /// The same with what was left out.
    #[serde(skip)]
    pub hears: Vec<String>,
    /// The mix they hear: `main` or a bus.
    #[serde(default = "main_out")]
    pub cue: String,
    /// They want what only the software gives (its effects in the headphones), so direct monitoring is no remedy.
    #[serde(default)]
    pub needs_software: bool,
    /// Distance from the instrument or mouth to the microphone.
    pub mic_m: Option<Range<Metres>>,
    /// Distance from the speakers to the ears.
    pub speaker_m: Option<Range<Metres>>,
    /// Keyboards: how they are connected.
    #[serde(default)]
    pub keys: KeysLink,
    /// Keyboards: time to scan the keys.
    pub key_scan_ms: Option<Range<Ms>>,
    /// Their own limit, when the table's does not suit: one figure, or where delay is noticed and where playing in time fails.
    pub limit_ms: Option<TwoLimits>,
}

impl Performer {
    /// The name for people, or the id.
    #[must_use]
    pub fn title(&self) -> &str {
        self.name.as_deref().unwrap_or(&self.id)
    }
}

/// How a performer listens.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Default, Deserialize, Serialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Listens {
    /// Closed headphones, through the software.
    #[default]
    Headphones,
    /// In-ears, through the software.
    InEars,
    /// Speakers at a distance, through the software.
    Speakers,
    /// The interface's own mixer, not the software.
    Direct,
}

impl Listens {
    /// The word used in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Headphones => "headphones",
            Self::InEars => "in-ears",
            Self::Speakers => "speakers",
            Self::Direct => "direct",
        }
    }
}

/// How a keyboard is connected.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, JsonSchema)]
pub enum KeysLink {
    /// USB.
    #[default]
    #[serde(rename = "usb")]
    Usb,
    /// The five-pin MIDI cable.
    #[serde(rename = "5-pin")]
    FivePin,
}

/// A stretch of work with one setting.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Phase {
    /// Short word to refer to it; the kind when left out.
    pub id: Option<String>,
    /// `tracking`, `overdub`, `writing`, `editing`, `mixing`, `mastering`, `remote` or `show` (live, without a second try).
    pub kind: String,
    /// Who performs.
    #[serde(default)]
    pub performers: Vec<String>,
    /// Interfaces it may run on (all of the rig when left out).
    pub interfaces: Option<Vec<String>>,
    /// Limits of this phase, by performer: one figure each, or two.
    #[serde(default)]
    pub limits_ms: BTreeMap<String, TwoLimits>,
    /// Dropouts per hour that you allow.
    pub target_per_hour: Option<f64>,
    /// Processors slower than this do not ride a live path.
    #[serde(alias = "leave_off_over_ms")]
    pub bypass_over_ms: Option<Ms>,
    /// Ids of processors or tracks that this phase cannot do without.
    #[serde(default)]
    pub keep: Vec<String>,
    /// Far sides of the rig with whom one plays together (all of them in a `remote` phase, none in others, when left out).
    pub far: Option<Vec<String>>,
    /// How fast is played, in beats a minute: fast music allows less delay between places.
    pub tempo_bpm: Option<f64>,
    /// Delay from ear to ear that is borne: one figure, or where it is noticed and where playing in time fails (as the table says
    /// of what is played when left out).
    pub together_ms: Option<TwoLimits>,
    /// Packets an hour that you allow to come too late or never.
    pub late_packets_per_hour: Option<f64>,
    /// How long it lasts, for disk space; and for a show, in which nothing may break from beginning to end.
    pub minutes: Option<f64>,
}

impl Phase {
    /// The short word that refers to this phase.
    #[must_use]
    pub fn id(&self) -> &str {
        self.id.as_deref().unwrap_or(&self.kind)
    }
}

/// A session that can be true, with its routing laid out.
#[derive(Debug, Clone)]
pub struct Session {
    description: Description,
    routes: Routes,
    /// What the tables say of each performer's playing.
    listeners: TiVec<PerformerId, Listener>,
    /// What the tables say of each phase.
    kinds: TiVec<PhaseId, PhaseKind>,
    /// What each processor costs, classes looked up.
    costs: TiVec<ProcessorId, ProcessorCost>,
    /// Its costs were fitted to a meter, which shows work as the machine at hand does it.
    pub is_metered: bool,
}

impl Session {
    /// The routing as a graph.
    #[must_use]
    pub fn routes(&self) -> &Routes {
        &self.routes
    }

    /// Rates the session may run at, the wanted one first.
    #[must_use]
    pub fn rates(&self) -> Vec<Hz> {
        let mut rates = vec![self.deliver.rate_hz];
        for &rate in &self.deliver.may_run_at_hz {
            if !rates.contains(&rate) {
                rates.push(rate);
            }
        }
        rates
    }

    /// The same with all costs that are only assumed so many times as dear, each call and each frame; within a factor of
    /// `doubt` still, where that is less than before.
    #[must_use]
    pub fn with_costs(&self, call: Factor, frame: Factor, doubt: Factor) -> Self {
        let scaled = |cost: &ProcessorCost| cost.scaled(call, frame, doubt);
        Self { costs: self.costs.iter().map(scaled).collect(), is_metered: true, ..self.clone() }
    }

    /// What a processor costs, per pair of channels, on the reference core.
    #[must_use]
    pub fn cost(&self, id: ProcessorId) -> ProcessorCost {
        self.costs[id]
    }
}

impl std::ops::Deref for Session {
    type Target = Description;
    fn deref(&self) -> &Description {
        &self.description
    }
}
