//! What one computer must be set to, phase by phase: plain data that is written by the plan, mailed, and read by another
//! computer's check.

use super::Stakes;
use crate::rig::PowerPlan;
use crate::tables::ServerKind;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize, Serializer};
use swiftloop_units::{Block, Gigabytes, Hz, Ms, PerHour, Range, Share};

/// The first key of a file of settings.
pub const SETTINGS_FORMAT: &str = "swiftloop.settings/1";

/// Settings of one kind of computer for a whole session.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Settings {
    /// Always `swiftloop.settings/1`.
    pub format: String,
    /// Name of the rig.
    #[serde(default)]
    pub rig: String,
    /// Name of the session.
    #[serde(default)]
    pub session: String,
    /// For which kind of computer they were planned.
    pub computer: ComputerKind,
    /// What each phase on each interface needs, in the order of the work.
    #[serde(rename = "phase", default)]
    pub phases: Vec<Demand>,
}

/// A kind of computer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ComputerKind {
    /// `desktop` or `laptop`.
    pub class: String,
    /// Physical cores.
    pub cores: u32,
    /// Hardware threads.
    pub threads: u32,
    /// Memory.
    pub memory_gb: Gigabytes,
}

/// What one phase on one interface needs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Demand {
    /// Which phase.
    pub phase: String,
    /// Which interface.
    pub interface: String,
    /// The interface's name for people.
    pub interface_name: String,
    /// How it is connected.
    pub connection: String,
    /// Driver model.
    pub driver: String,
    /// The audio server that the driver goes through, as the table of drivers says: not part of what is handed out.
    #[serde(skip)]
    pub server: Option<ServerKind>,
    /// The rate of every place that has one.
    pub rate_hz: Hz,
    /// Buffer in frames; the best guess for a named speed.
    pub buffer_frames: Block,
    /// The buffer in the panel's own words.
    pub buffer: String,
    /// What recorded tracks are rendered ahead in, where they are.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub roll_frames: Option<Block>,
    /// Cores that work for the session.
    pub workers: u32,
    /// Power plan.
    pub power: PowerPlan,
    /// The interface may hang behind a hub: it was planned so.
    #[serde(default)]
    pub hub: bool,
    /// Where the clock comes from: `internal`, `word-clock` or `external`; nothing where nobody said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub clock: Option<String>,
    /// Inputs that are open; none where the rig does not say.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub open_inputs: Option<u32>,
    /// Outputs that are open.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub open_outputs: Option<u32>,
    /// The network has to be reached by cable: one plays together with a far side.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub cable: bool,
    /// Other programs that may run.
    #[serde(default)]
    pub runs: Vec<String>,
    /// Other programs that must not run.
    #[serde(default)]
    pub quit: Vec<String>,
    /// Share of the whole machine that other programs may take.
    pub other_load: Share,
    /// Memory that session and programs need.
    pub memory_gb: Gigabytes,
    /// Disk space that a minute of recording takes, in 10⁶ bytes.
    pub recording_mb_per_minute: f64,
    /// What to undo of the phases before, in order.
    #[serde(default)]
    pub restore: Vec<String>,
    /// What to do with the hands, in the software and elsewhere, in order.
    #[serde(default)]
    pub by_hand: Vec<String>,
    /// What is expected, with these settings: dropouts an hour, low, typical and high.
    #[serde(serialize_with = "as_list")]
    pub dropouts_per_hour: Range<PerHour>,
    /// How many are allowed.
    pub allowed_per_hour: PerHour,
    /// In which share of rigs like this limits and target are met.
    pub sound_share: Share,
    /// Who hears themselves when.
    #[serde(rename = "hears", default)]
    pub hears: Vec<Hears>,
    /// What it costs where something is set otherwise.
    #[serde(default)]
    pub stakes: Stakes,
}

/// How late somebody hears themselves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Hears {
    /// Who.
    pub who: String,
    /// How late: low, typical, high.
    #[serde(serialize_with = "as_list")]
    pub late_ms: Range<Ms>,
    /// `immediate`, `playable`, `late` or `open`; `cursor` where nobody performs.
    pub verdict: String,
    /// Where it begins to be noticed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub noticed_from_ms: Option<Ms>,
    /// Where playing in time fails.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fails_from_ms: Option<Ms>,
}

impl Settings {
    /// What a phase needs; on an interface, where one is named.
    pub fn of<'a>(&'a self, phase: &'a str, interface: Option<&'a str>) -> impl Iterator<Item = &'a Demand> {
        let is = move |d: &&Demand| d.phase == phase && interface.is_none_or(|i| d.interface == i);
        self.phases.iter().filter(is)
    }
}

impl Demand {
    /// The longest of all loops, typically.
    #[must_use]
    pub fn slowest(&self) -> Ms {
        self.hears.iter().map(|h| h.late_ms.typical()).fold(Ms::new(0.0), Ms::max)
    }

    /// One block, in µs.
    #[must_use]
    pub fn period_us(&self) -> f64 {
        self.buffer_frames.period(self.rate_hz).raw()
    }
}

/// A range as a list of three, as it is written by hand.
pub(super) fn as_list<T, S>(range: &Range<T>, serializer: S) -> Result<S::Ok, S::Error>
where
    T: swiftloop_units::Quantity + Serialize,
    S: Serializer,
{
    [range.low(), range.typical(), range.high()].serialize(serializer)
}
