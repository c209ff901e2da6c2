//! What is known of the world before anything is measured: driver models, connections, listeners, processors'
//! cost classes and classes of machine. The figures come in from data files, each with its source; here are
//! their shapes and the look-ups. Everything taken from a table has the origin "assumed".

use crate::units::{Block, Blocks, Factor, Frames, Micros, Ms, Nanos, Range, Share};
use serde::Deserialize;

/// All tables together; built once by whoever read the data files.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Tables {
    /// Driver models, best for live playing first.
    pub driver: Vec<DriverModel>,
    /// Ways to connect an interface.
    pub connection: Vec<Connection>,
    /// Limits by what is played.
    pub listener: Vec<Listener>,
    /// Cost classes of processors.
    pub cost: Vec<CostClass>,
    /// Classes of machine and power plan.
    pub machine: Vec<MachineClass>,
    /// Phases and what they want when the session does not say.
    pub phase: Vec<PhaseKind>,
    /// Kinds of remedies with their prices.
    pub remedy: Vec<RemedyKind>,
    /// Everything else that has to be assumed, one figure a line.
    pub assume: Assumptions,
}

/// One driver model as the operating system or open standard defines it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DriverModel {
    /// Word used in rig files and on the command line.
    pub id: String,
    /// Name for people.
    pub name: String,
    /// Operating systems that have it.
    pub systems: Vec<String>,
    /// Blocks held between the converter and the program on the way in.
    pub blocks_in: Range<Blocks>,
    /// Blocks held on the way out.
    pub blocks_out: Range<Blocks>,
    /// Delay that does not depend on the buffer, in.
    pub fixed_in_ms: Range<Ms>,
    /// Delay that does not depend on the buffer, out.
    pub fixed_out_ms: Range<Ms>,
    /// The smallest block it runs at.
    pub smallest_block: Block,
    /// The shortest period it runs at, whatever the frame count (0 when there is none).
    pub smallest_ms: Ms,
    /// Other programs keep their sound.
    pub shared: bool,
    /// It converts the rate by itself when rates disagree.
    pub resamples: bool,
    /// Good enough to play through.
    pub live: bool,
    /// Where the figures come from, or why they are what they are.
    pub source: String,
}

/// A way to connect an interface: what the transport adds.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Connection {
    /// Word used in rig files.
    pub id: String,
    /// Added on the way in.
    pub in_ms: Range<Ms>,
    /// Added on the way out.
    pub out_ms: Range<Ms>,
    /// Where the figures come from.
    pub source: String,
}

/// How much delay somebody who plays this bears, by how they listen.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Listener {
    /// Word used in session files and on the command line.
    pub id: String,
    /// Limit on closed headphones.
    pub headphones_ms: Ms,
    /// Limit on in-ears.
    pub in_ears_ms: Ms,
    /// Limit with speakers.
    pub speakers_ms: Ms,
    /// Why.
    pub reason: String,
}

/// What one call of a processor costs on the reference core.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CostClass {
    /// `light`, `medium`, `heavy`, `extreme`.
    pub id: String,
    /// Per call, whatever the block.
    pub per_call_ns: Nanos,
    /// Per frame of the block.
    pub per_frame_ns: Nanos,
    /// What kind of processor this stands for.
    pub source: String,
}

/// Wake-up delays and speed of a class of machine under one power plan.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MachineClass {
    /// `desktop`, `laptop`, …
    pub class: String,
    /// `performance`, `balanced` or `saving`.
    pub power: String,
    /// Half of all wake-ups are faster than this.
    pub median_us: Range<Micros>,
    /// Where the tail begins.
    pub threshold_us: Micros,
    /// Share of wake-ups beyond the threshold.
    pub tail_share: Range<Share>,
    /// Shape of the generalised Pareto tail.
    pub shape: Range<Factor>,
    /// Scale of the tail.
    pub scale_us: Range<Micros>,
    /// Speed that this power plan leaves of the machine's full speed.
    pub speed: Share,
    /// Standard deviation of the logarithm of execution time.
    pub variation: Range<Factor>,
    /// Where the figures come from.
    pub source: String,
}

/// What a phase wants when the session does not say.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PhaseKind {
    /// `tracking`, `overdub`, …
    pub id: String,
    /// Dropouts per hour that the work bears.
    pub target_per_hour: f64,
    /// Processors slower than this are left off a live path.
    pub leave_off_over_ms: Ms,
    /// Wants the least delay (true) or the most headroom (false) when all else is equal.
    pub least_delay: bool,
    /// Processors on the main output belong to this phase.
    pub finishing: bool,
    /// Why.
    pub reason: String,
}

/// A kind of remedy: what it costs the people, the work and the machine.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RemedyKind {
    /// First half of a remedy's id.
    pub id: String,
    /// How much it disturbs the work; whole numbers, 1 = hardly anybody notices.
    pub price: u32,
    /// What it does, with `{}` for the target.
    pub does: String,
    /// What it costs elsewhere.
    pub elsewhere: String,
    /// What undoes it, with `{}` for the target.
    pub undo: String,
}

/// Single figures that have to be assumed when nothing better is known.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)] // each has its own line of reason in the data file
pub struct Assumptions {
    pub converter_frames: Range<Frames>,
    pub safety_frames: Range<Frames>,
    pub resampler_ms: Range<Ms>,
    pub direct_mixer_frames: Range<Frames>,
    pub key_scan_ms: Range<Ms>,
    pub five_pin_bytes: u32,
    pub usb_poll_ms: Range<Ms>,
    pub instrument_ms: Range<Ms>,
    pub mic_distance_m: Range<crate::units::Metres>,
    pub speaker_distance_m: Range<crate::units::Metres>,
    pub crystal_ppm: Range<Factor>,
    pub hidden_in_ms: Ms,
    pub hidden_out_ms: Ms,
    pub draft_cost: Factor,
    pub precision_32_cost: Factor,
    pub off_but_loaded_cost: Factor,
    pub timeline_us_per_kilotick: Micros,
    pub node_overhead_ns: Nanos,
    pub plain_track_per_frame_ns: Nanos,
    pub disk_stall_ms: Range<Ms>,
    pub disk_stalls_per_hour: f64,
    pub read_ahead_ms: Ms,
    pub swap_dropouts_per_hour_per_gb: f64,
    pub print_memory_gb: f64,
    pub phrase_s: f64,
}

impl Tables {
    /// The driver model called `id`.
    #[must_use]
    pub fn driver_model(&self, id: &str) -> Option<&DriverModel> {
        self.driver.iter().find(|d| d.id == id)
    }

    /// The connection called `id`.
    #[must_use]
    pub fn connection(&self, id: &str) -> Option<&Connection> {
        self.connection.iter().find(|c| c.id == id)
    }

    /// The listener called `id`.
    #[must_use]
    pub fn listener(&self, id: &str) -> Option<&Listener> {
        self.listener.iter().find(|l| l.id == id)
    }

    /// The cost class called `id`.
    #[must_use]
    pub fn cost_class(&self, id: &str) -> Option<&CostClass> {
        self.cost.iter().find(|c| c.id == id)
    }

    /// The class of machine under a power plan.
    #[must_use]
    pub fn machine_class(&self, class: &str, power: &str) -> Option<&MachineClass> {
        self.machine.iter().find(|m| m.class == class && m.power == power)
    }

    /// The kind of remedy called `id`.
    #[must_use]
    pub fn remedy_kind(&self, id: &str) -> Option<&RemedyKind> {
        self.remedy.iter().find(|r| r.id == id)
    }

    /// The phase kind called `id`.
    #[must_use]
    pub fn phase_kind(&self, id: &str) -> Option<&PhaseKind> {
        self.phase.iter().find(|p| p.id == id)
    }
}
