//! What is known of the world before anything is measured: driver models, connections, listeners, processors'
//! cost classes and classes of machine. The figures come in from data files, each with its source; here are
//! their shapes and the look-ups. Everything taken from a table has the origin "assumed".

mod buffer_scheme;
mod driver_model;
mod ensemble;
mod power_plan;
mod remedy_kind;
mod two_limits;

pub use buffer_scheme::BufferScheme;
pub use driver_model::{DriverModel, ServerKind};
pub use ensemble::{Attack, EnsembleRow, LineKind, Tempo};
pub use power_plan::PowerPlan;
pub use remedy_kind::{RemedyAction, RemedyKind, RemedyPlace};
pub use two_limits::TwoLimits;

use serde::Deserialize;
use swiftloop_units::{Factor, Frames, Micros, Ms, Nanos, Range, Share};

/// All tables together; built once by whoever read the data files. A row that the program cannot do without is there,
/// or the tables are not: each kind of remedy, each power plan of each class of machine.
#[derive(Debug, Clone, Deserialize)]
#[serde(try_from = "TableRows")]
pub struct Tables {
    /// Driver models, best for live playing first.
    pub driver: Vec<DriverModel>,
    /// Ways to connect an interface.
    pub connection: Vec<Connection>,
    /// Limits by what is played.
    pub listener: Vec<Listener>,
    /// Cost classes of processors.
    pub cost: Vec<CostClass>,
    /// Classes of machine, each under every power plan.
    pub machine: Vec<MachineClass>,
    /// Phases and what they want when the session does not say.
    pub phase: Vec<PhaseKind>,
    /// Kinds of lines between two places.
    pub line: Vec<LineKind>,
    /// How much delay ensembles bear, by how sharp attacks are; the sharpest first.
    pub together: Vec<EnsembleRow>,
    /// And by how fast is played, the slowest first.
    pub tempo: Vec<Tempo>,
    /// Kinds of remedies, in the order of [`RemedyKind::ALL`].
    remedy: Vec<RemedyRow>,
    /// Everything else that has to be assumed, one figure a line.
    pub assume: Assumptions,
}

/// The rows as they stand in the data files.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct TableRows {
    driver: Vec<DriverModel>,
    connection: Vec<Connection>,
    listener: Vec<Listener>,
    cost: Vec<CostClass>,
    machine: Vec<MachineRow>,
    phase: Vec<PhaseKind>,
    line: Vec<LineKind>,
    together: Vec<EnsembleRow>,
    tempo: Vec<Tempo>,
    remedy: Vec<RemedyRow>,
    assume: Assumptions,
}

impl TryFrom<TableRows> for Tables {
    type Error = String;

    fn try_from(rows: TableRows) -> Result<Self, String> {
        let remedy_row = |kind: RemedyKind| {
            let row = rows.remedy.iter().find(|r| r.kind == kind).cloned();
            row.ok_or_else(|| format!("the table of remedies has no row for {}", kind.as_str()))
        };
        let mut classes: Vec<&str> = rows.machine.iter().map(|m| m.class.as_str()).collect();
        classes.dedup();
        let machine = |class: &&str| {
            let under = |power: PowerPlan| {
                let row = rows.machine.iter().find(|m| m.class == **class && m.power == power).cloned();
                row.ok_or_else(|| {
                    format!("the class {class} has no row for the power plan {}", power.as_str())
                })
            };
            Ok(MachineClass {
                class: (*class).into(),
                performance: under(PowerPlan::Performance)?,
                balanced: under(PowerPlan::Balanced)?,
                saving: under(PowerPlan::Saving)?,
            })
        };
        if let Some((name, _)) = [
            ("driver", rows.driver.is_empty()),
            ("connection", rows.connection.is_empty()),
            ("listener", rows.listener.is_empty()),
            ("cost", rows.cost.is_empty()),
            ("machine", rows.machine.is_empty()),
            ("phase", rows.phase.is_empty()),
            ("line", rows.line.is_empty()),
            ("together", rows.together.is_empty()),
            ("tempo", rows.tempo.is_empty()),
        ]
        .iter()
        .find(|(_, empty)| *empty)
        {
            return Err(format!("the table of {name}s is empty"));
        }
        Ok(Self {
            remedy: RemedyKind::ALL.iter().map(|k| remedy_row(*k)).collect::<Result<_, String>>()?,
            machine: classes.iter().map(machine).collect::<Result<_, String>>()?,
            driver: rows.driver,
            connection: rows.connection,
            listener: rows.listener,
            cost: rows.cost,
            phase: rows.phase,
            line: rows.line,
            together: rows.together,
            tempo: rows.tempo,
            assume: rows.assume,
        })
    }
}

/// A way to connect an interface: what the transport adds.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Connection {
    /// Word used in rig files.
    pub id: String,
    /// Other words for it.
    #[serde(default)]
    pub also: Vec<String>,
    /// Added on the way in.
    pub in_ms: Range<Ms>,
    /// Added on the way out.
    pub out_ms: Range<Ms>,
    /// Where the figures come from.
    pub source: String,
}

/// How much delay somebody who plays this bears, by how they listen: where it is noticed, and where playing in time fails.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Listener {
    /// Word used in session files and on the command line.
    pub id: String,
    /// Other words for what is played like this.
    #[serde(default)]
    pub also: Vec<String>,
    /// Limit on closed headphones.
    pub headphones_ms: TwoLimits,
    pub in_ears_ms: TwoLimits,
    pub speakers_ms: TwoLimits,
    /// How sharp attacks are: a row of the limits of ensembles.
    pub attack: Attack,
    pub reason: String,
}

/// What one call of a processor costs on the reference core.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CostClass {
    /// `light`, `medium`, `heavy`, `extreme`.
    pub id: String,
    /// Per call, whatever the block.
    pub per_call_ns: Range<Nanos>,
    /// Per frame of the block.
    pub per_frame_ns: Range<Nanos>,
    /// What kind of processor this stands for.
    pub source: String,
}

/// A class of machine under each power plan.
#[derive(Debug, Clone)]
pub struct MachineClass {
    /// `desktop`, `laptop`, …
    pub class: String,
    performance: MachineRow,
    balanced: MachineRow,
    saving: MachineRow,
}

impl MachineClass {
    /// The row of a power plan.
    #[must_use]
    pub fn under(&self, power: PowerPlan) -> &MachineRow {
        match power {
            PowerPlan::Performance => &self.performance,
            PowerPlan::Balanced => &self.balanced,
            PowerPlan::Saving => &self.saving,
        }
    }
}

/// Wake-up delays and speed of a class of machine under one power plan.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MachineRow {
    /// `desktop`, `laptop`, …
    pub class: String,
    pub power: PowerPlan,
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
    /// Processors slower than this are bypassed on a live path.
    pub bypass_over_ms: Ms,
    /// Wants the least delay (true) or the most headroom (false) when all else is equal.
    pub least_delay: bool,
    /// Processors on the main output belong to this phase.
    pub finishing: bool,
    /// There is no second try: what counts is that nothing breaks from beginning to end, which is so many minutes when
    /// the session does not say.
    pub one_take_minutes: Option<f64>,
    /// Packets an hour that may come late or never, where one plays together over a network.
    pub late_packets_per_hour: f64,
    pub reason: String,
}

/// What a kind of remedy costs the people, the work and the machine, in words for people.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RemedyRow {
    #[serde(rename = "id")]
    pub kind: RemedyKind,
    /// How much it disturbs the work; whole numbers, 1 = hardly anybody notices.
    pub effort: u32,
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
    pub mic_distance_m: Range<swiftloop_units::Metres>,
    pub speaker_distance_m: Range<swiftloop_units::Metres>,
    pub crystal_ppm: Range<Factor>,
    pub hidden_in_ms: Ms,
    pub hidden_out_ms: Ms,
    pub figure_cost_doubt: Factor,
    pub measured_cost_doubt: Factor,
    pub class_speed_doubt: Factor,
    pub declared_speed_doubt: Factor,
    pub measured_speed_doubt: Factor,
    pub crowding: Range<Factor>,
    /// How much dearer what was measured alone is in a chain at the real period.
    pub paced_cost: Range<Factor>,
    pub listener_doubt: Factor,
    pub comfortable_start_ms: Ms,
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
    pub swap_doubt: Factor,
    pub phrase_s: f64,
    /// How far light goes in glass in a millisecond.
    pub glass_km_per_ms: f64,
    /// How much longer the way of a line is than the straight one.
    pub detour: Range<Factor>,
    /// What wireless between computer and router adds, one way.
    pub wireless_ms: Range<Ms>,
    /// The receive buffer that its variation asks for.
    pub wireless_buffer_ms: Range<Ms>,
    /// The receive buffer that other traffic on the line asks for beyond that.
    pub traffic_buffer_ms: Range<Ms>,
    /// How a measured round trip over the network may split: the share of the way there.
    pub way_share: Range<Share>,
    /// How long a meeting point takes to mix, its own receive buffer not counted.
    pub mixing_ms: Range<Ms>,
}

impl Tables {
    /// The driver model called `id`.
    #[must_use]
    pub fn driver_model(&self, id: &str) -> Option<&DriverModel> {
        let id = plain(id);
        self.driver.iter().find(|d| d.id == id)
    }

    /// The connection called `id`.
    #[must_use]
    pub fn connection(&self, id: &str) -> Option<&Connection> {
        let id = plain(id);
        self.connection.iter().find(|c| c.id == id || c.also.contains(&id))
    }

    /// The class of machine to assume when nobody says which: the first of the table.
    #[must_use]
    pub fn usual_class(&self) -> &MachineClass {
        &self.machine[0]
    }

    /// The listener called `id`.
    #[must_use]
    pub fn listener(&self, id: &str) -> Option<&Listener> {
        let id = plain(id);
        self.listener.iter().find(|l| l.id == id || l.also.contains(&id))
    }

    /// The cost class called `id`.
    #[must_use]
    pub fn cost_class(&self, id: &str) -> Option<&CostClass> {
        self.cost.iter().find(|c| c.id == id)
    }

    /// The class of machine called `class`.
    #[must_use]
    pub fn machine_class(&self, class: &str) -> Option<&MachineClass> {
        self.machine.iter().find(|m| m.class == class)
    }

    /// The row of a kind of remedy.
    #[must_use]
    pub fn remedy(&self, kind: RemedyKind) -> &RemedyRow {
        &self.remedy[kind as usize]
    }

    /// The kind of line called `id`.
    #[must_use]
    pub fn line_kind(&self, id: &str) -> Option<&LineKind> {
        let id = plain(id);
        self.line.iter().find(|l| l.id == id || l.also.contains(&id))
    }

    /// What an ensemble bears with such attacks; the first row where there is none.
    #[must_use]
    pub fn together(&self, attack: Attack) -> &EnsembleRow {
        self.together.iter().find(|t| t.attack == attack).unwrap_or(&self.together[0])
    }

    /// What a tempo does to that; the last row where it is faster than all.
    #[must_use]
    pub fn tempo(&self, bpm: f64) -> &Tempo {
        self.tempo.iter().find(|t| bpm <= t.up_to_bpm).unwrap_or(&self.tempo[self.tempo.len() - 1])
    }

    /// The phase kind called `id`.
    #[must_use]
    pub fn phase_kind(&self, id: &str) -> Option<&PhaseKind> {
        self.phase.iter().find(|p| p.id == id)
    }
}

/// A word without what is no difference, capitals, spaces and underscores: `Core Audio` is core-audio.
#[must_use]
pub fn plain(word: &str) -> String {
    word.trim().to_lowercase().replace([' ', '_'], "-")
}
