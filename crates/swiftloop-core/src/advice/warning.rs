//! What can be wrong, with its figures.

use crate::rig::PowerPlan;
use swiftloop_units::ids::{InterfaceId, PerformerId, ProcessorId, ProgramId, TrackId};
use swiftloop_units::{Block, Frames, Gigabytes, Hz, Ms, Ppm, Range, Seconds};

/// Something that is wrong.
#[derive(Debug, Clone, PartialEq)]
pub enum Warning {
    /// A place has another rate than the session.
    RateDisagrees {
        place: String,
        place_rate: Hz,
        /// The session's.
        session_rate: Hz,
        /// What comes of it.
        effect: RateMismatch,
    },
    /// The driver does not offer the session's depth.
    DepthNotOffered {
        /// The session's, in bits.
        wanted: u32,
        /// The driver's.
        offered: Vec<u32>,
    },
    /// Input and output run on two crystals.
    TwoClocks {
        interface: InterfaceId,
        apart: Range<Ppm>,
        /// Time between two slips.
        every: Seconds,
    },
    /// A program that needs the interface gets no sound from it.
    LockedOut {
        program: ProgramId,
        interface: InterfaceId,
        /// The driver model that takes it.
        model: String,
    },
    /// The driver model is hopeless for live playing.
    NotForPlaying { model: String },
    /// The buffer is smaller than drivers of this model are known to run; it was measured here, so it does.
    BelowKnown {
        block: Block,
        /// The smallest that is known.
        least: Block,
        model: String,
    },
    /// The machine saves power.
    PowerPlan(PowerPlan),
    /// The interface shares a hub.
    Hub(InterfaceId),
    /// A performer hears themselves through the interface and through the software.
    HeardTwice { performer: PerformerId, track: TrackId },
    /// Processors on the main output hold everybody back.
    MainDelays {
        /// In frames.
        delay: Frames,
        time: Ms,
    },
    /// Muted tracks that still compute.
    MutedComputes(Vec<TrackId>),
    /// Processors that are switched off but loaded.
    OffButLoaded(Vec<ProcessorId>),
    /// More inputs are open than are used.
    OpenChannels {
        interface: InterfaceId,
        open: u32,
        /// Inputs that the phase uses.
        used: u32,
    },
    /// The panel's speed has no figures.
    UnlabelledSpeed {
        interface: InterfaceId,
        /// The name of the speed.
        speed: String,
        /// What it is taken for.
        guess: Block,
    },
    /// What is to be recorded does not fit the disk.
    DiskSpace {
        /// How long the phase lasts, in minutes.
        minutes: f64,
        needed: Gigabytes,
        free: Gigabytes,
    },
    /// Memory is nearly full.
    Memory {
        /// What session and programs need.
        needed: Gigabytes,
        there: Gigabytes,
    },
    /// The network is not part of the loops.
    NetworkNotCounted,
}

/// What a wrong rate brings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RateMismatch {
    /// The system converts it.
    Converts,
    /// One of two programs gets no sound, or the wrong pitch.
    OneIsSilent,
    /// Silence, the wrong pitch, or crackles.
    Breaks,
}

impl Warning {
    /// The word for scripts.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            Self::RateDisagrees { .. } => "rate-disagrees",
            Self::DepthNotOffered { .. } => "depth-not-offered",
            Self::TwoClocks { .. } => "two-clocks",
            Self::LockedOut { .. } => "locked-out",
            Self::NotForPlaying { .. } => "not-for-playing",
            Self::BelowKnown { .. } => "below-known",
            Self::PowerPlan(_) => "power-plan",
            Self::Hub(_) => "hub",
            Self::HeardTwice { .. } => "heard-twice",
            Self::MainDelays { .. } => "main-delays",
            Self::MutedComputes(_) => "muted-computes",
            Self::OffButLoaded(_) => "off-but-loaded",
            Self::OpenChannels { .. } => "open-channels",
            Self::UnlabelledSpeed { .. } => "unlabelled-speed",
            Self::DiskSpace { .. } => "disk-space",
            Self::Memory { .. } => "memory",
            Self::NetworkNotCounted => "network-not-counted",
        }
    }

    /// How grave: 0 spoils the work whatever else is done, 1 costs delay or dropouts at every take, 2 is worth a look.
    #[must_use]
    pub fn grade(&self) -> u8 {
        match self {
            Self::RateDisagrees { .. }
            | Self::TwoClocks { .. }
            | Self::DiskSpace { .. }
            | Self::HeardTwice { .. } => 0,
            Self::DepthNotOffered { .. }
            | Self::NotForPlaying { .. }
            | Self::PowerPlan(_)
            | Self::MainDelays { .. }
            | Self::Memory { .. }
            | Self::LockedOut { .. } => 1,
            Self::Hub(_)
            | Self::BelowKnown { .. }
            | Self::MutedComputes(_)
            | Self::OffButLoaded(_)
            | Self::OpenChannels { .. }
            | Self::UnlabelledSpeed { .. }
            | Self::NetworkNotCounted => 2,
        }
    }
}
