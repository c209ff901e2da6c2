//! The rig: machine, interfaces with their drivers, places that have a rate, other programs. A [`Description`]
//! (plain data, as a person writes it) comes in; [`Rig::checked`] proves that it can be true: drivers and
//! connections exist in the tables, rates and buffers are offered, references lead somewhere. What it refers to in the
//! tables comes with it, so that nobody has to look it up, or guess when it is not there.

mod buffers;
mod check;
mod check_far;
mod far;
mod placement;
mod setting;
pub use crate::tables::{PowerPlan, plain};
pub use naming::nearest;
pub(crate) use naming::{missing, twice};
mod driver;
mod lookup;
mod naming;
mod profile;

pub use buffers::{Buffers, CountTimesSize, Offered, Steps};
pub use driver::{Driver, MeasuredTrip, Reported};
pub use far::{Far, FarKnown, Meeting, Meets, Theirs};
pub use placement::{Misplaced, placed};
pub use profile::{PaceBin, WakeBin, WakeProfile};
pub use setting::{FarSetting, LinkSetting, Setting};

use crate::tables::{Connection, DriverModel, MachineClass};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use swiftloop_units::ids::FarId;
use swiftloop_units::{Factor, Frames, Gigabytes, Hz, MegabytesPerSecond, Range, Share};
use typed_index_collections::TiVec;

/// What there is: the whole of a `rig.toml`.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Description {
    /// Always `swiftloop.rig/1`.
    pub format: String,
    /// A name for people.
    #[serde(default)]
    pub name: String,
    /// The computer.
    pub machine: Machine,
    /// Audio interfaces, each reached through one or more drivers.
    #[serde(rename = "interface", default)]
    pub interfaces: Vec<Interface>,
    /// Every place that has a sample rate of its own, with its present value.
    #[serde(rename = "place", default)]
    pub places: Vec<RatePlace>,
    /// Other programs that run beside the session.
    #[serde(rename = "program", default)]
    pub programs: Vec<Program>,
    /// Far sides, with whom one plays together over a network.
    #[serde(rename = "far", default)]
    pub fars: Vec<Far>,
    /// Meeting points in the network, where everybody's sound is mixed.
    #[serde(rename = "meeting", default)]
    pub meetings: Vec<Meeting>,
}

impl Description {
    /// A rig of nothing but one interface of this connection, with one driver of this model and these buffers.
    #[must_use]
    pub fn of_one(connection: &str, model: &str, buffers: Buffers) -> Self {
        let driver = Driver {
            model: model.into(),
            id: None,
            rates_hz: vec![Hz::new(48_000)],
            depths: vec![24],
            buffers,
            blocks_in: None,
            blocks_out: None,
            shared: None,
            reported: vec![],
            measured: vec![],
        };
        let interface = Interface {
            id: "interface".into(),
            name: None,
            connection: connection.into(),
            hub: false,
            converters: vec![],
            safety_in_frames: None,
            safety_out_frames: None,
            transport_in_frames: None,
            transport_out_frames: None,
            channels: Channels::default(),
            clock: Clock::default(),
            devices: Devices::default(),
            direct: Direct::default(),
            direct_frames: None,
            drivers: vec![driver],
        };
        let machine = Machine {
            class: desktop(),
            power: PowerPlan::default(),
            cores: 4,
            threads: None,
            processor: None,
            paced_cost: None,
            core_speed: None,
            memory_gb: Gigabytes::new(8.0),
            disk_mb_per_s: MegabytesPerSecond::new(200.0),
            disk_free_gb: Gigabytes::new(100.0),
            other_load: Share::new(0.0),
            wake: None,
            earlier_wake: vec![],
        };
        Self {
            format: String::new(),
            name: String::new(),
            machine,
            interfaces: vec![interface],
            places: vec![],
            programs: vec![],
            fars: vec![],
            meetings: vec![],
        }
    }
}

/// A rig that can be true, with what it refers to in the tables.
#[derive(Debug, Clone)]
pub struct Rig {
    description: Description,
    class: MachineClass,
    /// For each interface, how it is connected and the models of its drivers.
    known: Vec<(Connection, Vec<DriverModel>)>,
    /// What is known of each far side.
    fars: TiVec<FarId, FarKnown>,
}

impl std::ops::Deref for Rig {
    type Target = Description;
    fn deref(&self) -> &Description {
        &self.description
    }
}

/// The computer.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Machine {
    /// `desktop` or `laptop`: chooses the class profile of wake-up delays.
    #[serde(default = "desktop")]
    pub class: String,
    /// Power plan: `performance`, `balanced` or `saving`.
    #[serde(default)]
    pub power: PowerPlan,
    /// Physical cores.
    pub cores: u32,
    /// Hardware threads (cores when left out).
    pub threads: Option<u32>,
    /// Its processor, by the name that it gives itself: figures that were weighed on such a one need not be carried over.
    pub processor: Option<String>,
    /// How much dearer processors that were weighed alone are in a chain at the real period, where that was measured.
    pub paced_cost: Option<Range<Factor>>,
    /// Speed of one core relative to the reference core (a 2020 desktop core at 4 GHz).
    pub core_speed: Option<Factor>,
    /// Memory.
    pub memory_gb: Gigabytes,
    /// Sustained disk throughput, reading and writing mixed.
    pub disk_mb_per_s: MegabytesPerSecond,
    /// Free space on the disk that records.
    pub disk_free_gb: Gigabytes,
    /// Usual load of other programs not listed below, as a share of the whole machine.
    #[serde(default)]
    pub other_load: Share,
    /// Wake-up delays measured on this machine; without it the class profile is assumed.
    pub wake: Option<WakeProfile>,
    /// Earlier profiles, to compare with; the latest last. They do not count for the plan.
    #[serde(default)]
    pub earlier_wake: Vec<WakeProfile>,
}

fn usb2() -> String {
    "usb2".into()
}

fn desktop() -> String {
    "desktop".into()
}

/// One audio interface.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Interface {
    /// Short word to refer to it.
    pub id: String,
    /// A name for people.
    pub name: Option<String>,
    /// `pcie`, `thunderbolt`, `usb1`, `usb2`, `usb3`, `network` or `built-in`; `usb2` when left out.
    #[serde(default = "usb2")]
    pub connection: String,
    /// Behind a hub that other devices share.
    #[serde(default)]
    pub hub: bool,
    /// Converter delays per rate.
    #[serde(rename = "converter", default)]
    pub converters: Vec<Converter>,
    /// Frames the driver keeps in reserve on the way in.
    pub safety_in_frames: Option<Range<Frames>>,
    /// Frames the driver keeps in reserve on the way out.
    pub safety_out_frames: Option<Range<Frames>>,
    /// Transport buffer on the way in (USB packets in flight, network receive buffer).
    pub transport_in_frames: Option<Range<Frames>>,
    /// Transport buffer on the way out.
    pub transport_out_frames: Option<Range<Frames>>,
    /// Channels it has and channels that are open.
    #[serde(default)]
    pub channels: Channels,
    /// Where its clock comes from.
    #[serde(default)]
    pub clock: Clock,
    /// Input and output are one device, or two with a clock each.
    #[serde(default)]
    pub devices: Devices,
    /// What the interface can do by itself for a performer who wants to hear the input at once.
    #[serde(default)]
    pub direct: Direct,
    /// Delay of the on-board mixer, converters not counted.
    pub direct_frames: Option<Range<Frames>>,
    /// The ways to reach it.
    #[serde(rename = "driver")]
    pub drivers: Vec<Driver>,
}

impl Interface {
    /// The name for people, or the id.
    #[must_use]
    pub fn title(&self) -> &str {
        self.name.as_deref().unwrap_or(&self.id)
    }
}

/// Delay of the converters at one rate.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Converter {
    /// At this rate.
    pub rate_hz: Hz,
    /// Analogue to digital.
    pub in_frames: Range<Frames>,
    /// Digital to analogue.
    pub out_frames: Range<Frames>,
}

/// Channel counts.
#[derive(Debug, Clone, Copy, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Channels {
    /// Inputs it has.
    #[serde(default)]
    pub inputs: u32,
    /// Outputs it has.
    #[serde(default)]
    pub outputs: u32,
    /// Inputs that are open (all when left out).
    pub open_inputs: Option<u32>,
    /// Outputs that are open (all when left out).
    pub open_outputs: Option<u32>,
}

/// Clock source of an interface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Clock {
    /// Its own crystal.
    #[default]
    Internal,
    /// A word clock feeds it.
    WordClock,
    /// Recovered from a digital input or the network.
    External,
}

/// Whether input and output are one device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Devices {
    /// One device, one clock.
    #[default]
    One,
    /// Two devices, two clocks unless both follow an outside one.
    Separate,
}

/// Direct monitoring.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Direct {
    /// Not there.
    #[default]
    None,
    /// Dry signal only.
    Plain,
    /// With effects on board.
    Effects,
}

/// A place that has a sample rate.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RatePlace {
    /// What people call it.
    pub name: String,
    /// What kind of place.
    pub kind: PlaceKind,
    /// Interface it belongs to.
    pub interface: String,
    /// Present value.
    pub rate_hz: Hz,
}

/// Kind of place that has a rate.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum PlaceKind {
    /// The system's playback device.
    SystemPlayback,
    /// The system's recording device.
    SystemRecording,
    /// The interface's own panel.
    Panel,
    /// Another program that has the device open.
    Program,
}

/// Another program beside the session.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Program {
    /// Short word to refer to it.
    pub id: String,
    /// A name for people.
    pub name: Option<String>,
    /// Share of the whole machine that it uses.
    #[serde(default)]
    pub load: Share,
    /// Memory that it holds.
    #[serde(default)]
    pub memory_gb: Gigabytes,
    /// Interface whose sound it needs.
    pub sound: Option<String>,
    /// Phases in which it runs (all when left out).
    pub phases: Option<Vec<String>>,
    /// It can be quit while the session runs.
    #[serde(default = "yes")]
    pub can_quit: bool,
}

fn yes() -> bool {
    true
}

impl Machine {
    /// Speed of a core relative to the reference, before the power plan takes its share.
    #[must_use]
    pub fn speed(&self) -> Factor {
        self.core_speed.unwrap_or(Factor::new(1.0))
    }

    /// Speed of a core if it was measured, and the power plan under which.
    #[must_use]
    pub fn measured_speed(&self) -> Option<(Factor, PowerPlan)> {
        let wake = self.wake.as_ref()?;
        Some((wake.core_speed?, wake.power.unwrap_or(self.power)))
    }
}

impl Program {
    /// The name for people, or the id.
    #[must_use]
    pub fn title(&self) -> &str {
        self.name.as_deref().unwrap_or(&self.id)
    }

    /// Whether it runs during `phase`.
    #[must_use]
    pub fn runs_in(&self, phase: &str) -> bool {
        self.phases.as_ref().is_none_or(|all| all.iter().any(|p| p == phase))
    }
}
