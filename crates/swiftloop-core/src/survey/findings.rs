//! Findings: what hurts audio on a computer and how much, each with the figures that show it.

use super::{BusyProgram, Idle, SeenRate};
use crate::rig::PowerPlan;
use serde::Serialize;
use swiftloop_units::Hz;

/// What a finding costs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Grade {
    /// Audio cannot work as it should until it is mended.
    Severe,
    /// Dropouts or delay, at every session.
    Costly,
    /// Now and then, or a little.
    Mild,
}

impl Grade {
    /// The word used in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Severe => "severe",
            Self::Costly => "costly",
            Self::Mild => "mild",
        }
    }
}

/// Something that hurts audio.
#[derive(Debug, Clone, PartialEq)]
pub struct GradedFinding {
    pub grade: Grade,
    pub finding: Finding,
}

#[derive(Debug, Clone, PartialEq)]
pub enum Finding {
    /// Nothing here makes or takes sound.
    NoSound,
    /// Places that have a rate do not agree.
    RatesDisagree(Vec<SeenRate>),
    /// Several cards are open at once.
    TwoClocks(Vec<String>),
    /// A server is held at a block or rate.
    Forced {
        server: String,
        /// The block, in frames.
        buffer_frames: Option<u32>,
        rate: Option<Hz>,
    },
    /// Programs may not have real-time priority.
    NoRealtime {
        /// The highest that they may have.
        priority: u64,
    },
    /// A server runs without real-time priority.
    ServerWithoutRealtime(String),
    /// Too little memory may be locked.
    NoLockedMemory {
        /// So much, in bytes.
        bytes: u64,
    },
    /// The clock is governed by something else than performance.
    Governor(String),
    /// The system's power plan saves power.
    PowerPlan(PowerPlan),
    /// A core is slow at first, or becomes slower, beside the reference core.
    UnsteadySpeed {
        first: f64,
        /// After a second of work.
        last: f64,
    },
    /// The clock is held below what the processor can.
    LimitedClock {
        /// What is allowed, in MHz.
        allowed_mhz: f64,
        most_mhz: f64,
    },
    /// It runs on battery.
    OnBattery,
    /// It gets too hot.
    Heat {
        /// The hottest place, in °C, if that is hot.
        hottest_c: Option<f64>,
        /// Times that heat has slowed it down, if it has.
        slowed: Option<u64>,
    },
    /// Idle states that take long to leave.
    DeepIdle(Vec<Idle>),
    /// The kernel lets go of the processor late.
    Preemption {
        word: String,
        /// It can be told otherwise when it starts.
        can_change: bool,
        /// The kernel's version.
        version: Option<String>,
    },
    /// Real-time threads may have only a share of each second.
    RealtimeShare(f64),
    /// A card hangs behind hubs.
    UsbHub {
        card: String,
        hubs: u32,
        /// Others behind the same one.
        shared_with: Vec<String>,
        /// Its place on the bus.
        place: String,
    },
    /// A card shares its controller.
    UsbController {
        card: String,
        shared_with: Vec<String>,
        /// Its place on the bus.
        place: String,
    },
    /// A card is on a slow bus.
    UsbSlow {
        card: String,
        /// How slow, in Mbit/s.
        mbit_s: f64,
        /// Its place on the bus.
        place: String,
    },
    /// The system may put a card to sleep.
    UsbAutosuspend {
        card: String,
        /// Its place on the bus.
        place: String,
    },
    /// A card shares its interrupt.
    SharedInterrupt {
        card: String,
        line: String,
        shared_with: Vec<String>,
    },
    /// Memory is short, or waited for.
    Memory {
        /// Free, in gigabytes.
        available_gb: f64,
        total_gb: f64,
        swapped_gb: f64,
        /// Share of the last ten seconds in which something waited for memory, in percent.
        waits_percent: Option<f64>,
    },
    Busy(Vec<BusyProgram>),
}

impl Finding {
    /// Stable word for scripts.
    #[must_use]
    pub fn id(&self) -> &'static str {
        match self {
            Self::NoSound => "no-sound",
            Self::RatesDisagree(_) => "rates-disagree",
            Self::TwoClocks(_) => "two-clocks",
            Self::Forced { .. } => "forced",
            Self::NoRealtime { .. } => "no-realtime",
            Self::ServerWithoutRealtime(_) => "server-without-realtime",
            Self::NoLockedMemory { .. } => "no-locked-memory",
            Self::Governor(_) => "governor",
            Self::PowerPlan(_) => "power-plan",
            Self::UnsteadySpeed { .. } => "unsteady-speed",
            Self::LimitedClock { .. } => "limited-clock",
            Self::OnBattery => "on-battery",
            Self::Heat { .. } => "heat",
            Self::DeepIdle(_) => "deep-idle",
            Self::Preemption { .. } => "preemption",
            Self::RealtimeShare(_) => "realtime-share",
            Self::UsbHub { .. } => "usb-hub",
            Self::UsbController { .. } => "usb-controller",
            Self::UsbSlow { .. } => "usb-slow",
            Self::UsbAutosuspend { .. } => "usb-autosuspend",
            Self::SharedInterrupt { .. } => "shared-interrupt",
            Self::Memory { .. } => "memory",
            Self::Busy(_) => "busy",
        }
    }
}
