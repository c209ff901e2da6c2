//! What is not as planned on a computer: a demand and an inventory come in, differences go out, each with its cost in the
//! figures of the phase; also what could not be looked at. What is not told is never right, and never wrong.

use crate::rig::PowerPlan;
use crate::survey::{Finding, Idle, Version};
use crate::tables::ServerKind;
use swiftloop_units::{Hz, Ms, PerHour};

/// Something that is not as planned.
#[derive(Debug, Clone, PartialEq)]
pub enum Wrong {
    /// The interface is not there.
    NoDevice { there: Vec<String> },
    /// The server that the driver needs does not run.
    NoServer { server: ServerKind },
    /// A place has another rate.
    Rate {
        place: String,
        is: Hz,
        /// It is a server, and so can follow.
        server: bool,
    },
    /// A server may not change to the rate.
    RateNotAllowed {
        /// Rates that it may have.
        allowed: Vec<Hz>,
    },
    /// Somebody works in other blocks than planned.
    Buffer {
        who: String,
        /// Its blocks, in frames.
        is: u32,
    },
    /// A server's bounds leave the buffer out.
    BufferBounds {
        /// Smallest and largest block.
        bounds: (u32, u32),
    },
    /// The power plan is another one.
    Power {
        is: PowerPlan,
        /// How the clock is governed, where that says it.
        governor: Option<String>,
    },
    /// Idle states that take more than a block can spare.
    Idle {
        states: Vec<Idle>,
        /// So long does it take to leave the deepest, in µs.
        exit_us: u32,
    },
    /// A thread that moves sound has no real-time priority.
    Thread { server: String, thread: String },
    /// The user's group of programs has no share of real-time work.
    GroupRealtime,
    /// The card's interrupt may be served by cores that work for the session.
    InterruptCores {
        card: String,
        line: String,
        /// Cores that may serve it.
        is: String,
        /// Cores that are left for it.
        should: String,
    },
    /// Other programs take more than planned.
    Programs {
        /// Who, and their share of a core.
        busy: Vec<(String, f64)>,
        /// Their share of the whole machine.
        load: f64,
    },
    /// The disk has too little room.
    Disk {
        /// Free, in 10⁹ bytes.
        free_gb: f64,
        /// Recording can go on for so many minutes; none where nothing is recorded.
        minutes: Option<f64>,
    },
    /// The computer has too little memory for the session, whatever is free.
    TooLittleMemory {
        /// In all, in 10⁹ bytes.
        total_gb: f64,
    },
    /// Other channels are open than are used.
    Channels {
        card: String,
        /// Inputs rather than outputs.
        inputs: bool,
        /// So many are open.
        is: u32,
        /// So many should be.
        should: u32,
    },
    /// The clock comes from somewhere else.
    Clock { card: String, is: String },
    /// The network is reached through the air, where a cable is planned.
    Wireless { by: String },
    /// Something is installed in another version than when all was well.
    Version {
        of: String,
        /// Its version; none where it is gone.
        is: Option<String>,
        was: String,
    },
    /// What hurts audio whatever is planned.
    Hurts(Finding),
}

impl Wrong {
    /// Stable word for scripts.
    #[must_use]
    pub fn id(&self) -> &'static str {
        match self {
            Self::NoDevice { .. } => "device",
            Self::NoServer { .. } => "server",
            Self::Rate { .. } => "rate",
            Self::RateNotAllowed { .. } => "rate-not-allowed",
            Self::Buffer { .. } => "buffer",
            Self::BufferBounds { .. } => "buffer-bounds",
            Self::Power { .. } => "power",
            Self::Idle { .. } => "idle",
            Self::Thread { .. } => "thread-priority",
            Self::GroupRealtime => "group-realtime",
            Self::InterruptCores { .. } => "interrupt-cores",
            Self::Programs { .. } => "programs",
            Self::Disk { .. } => "disk",
            Self::TooLittleMemory { .. } => "too-little-memory",
            Self::Channels { .. } => "channels",
            Self::Clock { .. } => "clock-source",
            Self::Wireless { .. } => "wireless",
            Self::Version { .. } => "version",
            Self::Hurts(finding) => finding.id(),
        }
    }
}

/// What a difference costs in this phase, in figures; nothing where there is none.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct DifferenceCost {
    /// How late the slowest performer would hear it, as planned and as it is.
    pub late: Option<(Ms, Ms)>,
    /// Dropouts an hour, as planned and as it is.
    pub dropouts: Option<(PerHour, PerHour)>,
    /// Share of one block that is lost.
    pub of_block: Option<f64>,
}

/// Something that is not as planned, with what it costs.
#[derive(Debug, Clone, PartialEq)]
pub struct Difference {
    pub wrong: Wrong,
    pub cost: DifferenceCost,
}

/// Something that could not be looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Unread {
    /// The buffer that is set.
    Buffer,
    Rates,
    Power,
    /// What this user may do.
    Rights,
    /// What other programs take.
    Programs,
    /// Free space on the disk.
    Disk,
    /// Where the clock comes from.
    Clock,
    /// Channels that are open.
    Channels,
}

/// The versions of a computer when all was well.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Known {
    pub date: String,
    pub versions: Vec<Version>,
}

#[derive(Debug, Clone, PartialEq, Default)]
pub struct Comparison {
    /// What is not as planned, in the order in which an engineer would look.
    pub differences: Vec<Difference>,
    /// What could not be looked at.
    pub unread: Vec<Unread>,
    /// So many things were looked at.
    pub looked_at: usize,
}

impl Comparison {
    /// Nothing was found that is not as planned.
    #[must_use]
    pub fn is_ready(&self) -> bool {
        self.differences.is_empty()
    }
}

/// What a rule finds.
pub(super) enum RuleResult {
    /// It is as planned.
    Right,
    Wrong(Vec<Difference>),
    /// It could not be looked at.
    Unread(Unread),
    /// It does not matter here.
    Beside,
}

impl RuleResult {
    /// Right where there is no difference.
    pub fn of(all: Vec<Difference>) -> Self {
        if all.is_empty() { Self::Right } else { Self::Wrong(all) }
    }

    /// One difference, without a figure, or none.
    pub fn one(wrong: Option<Wrong>) -> Self {
        Self::of(
            wrong.into_iter().map(|wrong| Difference { wrong, cost: DifferenceCost::default() }).collect(),
        )
    }
}
