//! Everything that cannot be true of a description, as data: the program has the words. Grouped by what it is true of.

use crate::tables::CostClass;
use swiftloop_units::{Block, Hz, Share};

/// What cannot be true.
#[derive(Debug, Clone, PartialEq)]
pub enum Contradiction {
    /// Two things of one kind with one id.
    Twice {
        thing: Thing,
        id: String,
    },
    /// A reference that leads nowhere, with the ids that there are and the nearest of them.
    Missing {
        thing: Thing,
        id: String,
        known: Vec<String>,
        nearest: Option<String>,
    },
    Machine(MachineContradiction),
    Driver(DriverContradiction),
    Far(FarContradiction),
    Session(SessionContradiction),
    Processor(ProcessorContradiction),
    Phase(PhaseContradiction),
    Note(NoteContradiction),
}

/// What cannot be true of a machine.
#[derive(Debug, Clone, PartialEq)]
pub enum MachineContradiction {
    /// Outside 1 to 1024.
    Cores,
    /// Fewer than cores, or more than eight a core.
    Threads,
    /// Outside 0.01 to 100 times the reference core.
    CoreSpeed,
    /// Outside 0.1 to 100 times the weighed cost.
    PacedCost,
    /// Zero gigabytes or fewer.
    NoMemory,
    /// Bins of wake-up delays that do not rise, or none.
    BinsUnordered,
    /// Bins that do not add up to the wake-ups.
    BinsMiscounted { counted: u64, wakes: u64 },
    /// Paces that do not rise, are not above zero, or are empty.
    PacesUnordered,
    /// Outside 0.01 to 100 times the reference core.
    ProfileSpeed,
    /// Outside 0 to 3.
    PaceDrift,
    /// The scale of the tail of wake-up delays is not above zero.
    TailScale,
    /// The shape of the tail of wake-up delays lies outside -2 to 1.
    TailShape,
}

impl From<MachineContradiction> for Contradiction {
    fn from(of: MachineContradiction) -> Self {
        Self::Machine(of)
    }
}

/// What cannot be true of an interface and its drivers.
#[derive(Debug, Clone, PartialEq)]
pub enum DriverContradiction {
    /// A rig of nothing.
    NoInterface,
    /// More open inputs than inputs.
    OpenInputs,
    /// More open outputs than outputs.
    OpenOutputs,
    /// Two converter lines for one rate.
    ConverterTwice,
    /// An interface without a driver.
    NoDriver,
    /// A driver without a rate.
    NoRate,
    /// A depth other than 16, 24 or 32 bits.
    Depth,
    /// Buffers given in no way, or in several.
    BufferSchemes,
    /// An end of a range of powers of two that is none.
    NoPowerOfTwo { frames: u32 },
    /// A driver without a buffer.
    NoBuffer,
    /// Outside 1 to 64 blocks.
    BlockCount,
    /// A driver that holds no block.
    NoBlocksHeld,
    /// A measured round trip of no named buffer.
    TripWithoutBuffer,
    /// A measured round trip of zero frames or fewer.
    InstantTrip,
    /// A larger buffer with a quicker round trip, in frames.
    QuickerWhenLarger { smaller: Block, after: f64, own: Block, own_after: f64 },
    /// The driver has no such rate.
    RateNotOffered { rate: Hz, offered: Vec<Hz> },
    /// The driver has no such buffer at that rate.
    BufferNotOffered { buffer: String, offered: Vec<String> },
}

impl From<DriverContradiction> for Contradiction {
    fn from(of: DriverContradiction) -> Self {
        Self::Driver(of)
    }
}

/// What cannot be true of a far side.
#[derive(Debug, Clone, PartialEq)]
pub enum FarContradiction {
    /// Neither a measurement nor a distance.
    NoDistance { far: String },
    /// A depth other than 16, 24 or 32 bits.
    Depth,
    /// Outside 1 to 64.
    Channels,
    /// Outside 8 to 4800 frames.
    PacketFrames,
    /// Over 500 ms.
    ReceiveBuffer,
    /// The far side does not say how far its meeting point is.
    NoWayToMeeting { through: String },
}

impl From<FarContradiction> for Contradiction {
    fn from(of: FarContradiction) -> Self {
        Self::Far(of)
    }
}

/// What cannot be true of tracks, buses, performers and the engine.
#[derive(Debug, Clone, PartialEq)]
pub enum SessionContradiction {
    /// A count of alike tracks outside its bounds.
    Count { count: u32, most: u32 },
    /// More tracks than a session has in all.
    TooManyTracks { most: usize },
    /// A depth of delivery other than 16, 24 or 32 bits.
    Depth,
    /// Outside 1 to 128.
    Channels,
    /// A session without a phase.
    NoPhase,
    /// Tracks and buses share one set of names.
    NameTaken { id: String },
    /// An internal precision other than 32 or 64 bits.
    Precision,
    /// No workers.
    NoWorkers,
    /// Outside 24 to 100,000 ticks a quarter note.
    Ticks,
    /// Renders ahead, in blocks of no size.
    NoRollBlock,
    /// A performer who hears themselves on no track.
    HearsNothing,
    /// Nobody performs on a track that plays from disk.
    DiskTrack { id: String },
    /// The mix that a performer listens to does not carry their track.
    NotInCue { cue: String, track: String },
    /// The routing comes back to a bus.
    Circle { bus: String },
}

impl From<SessionContradiction> for Contradiction {
    fn from(of: SessionContradiction) -> Self {
        Self::Session(of)
    }
}

/// What cannot be true of a processor.
#[derive(Debug, Clone, PartialEq)]
pub enum ProcessorContradiction {
    /// Outside 1 to 128.
    Channels,
    /// A burst without an internal block.
    BurstWithoutBlock,
    /// Other than 1, 2, 4, 8 or 16.
    Oversampling,
    /// Outside 1 to 10,000.
    Voices,
    /// The low-delay mode delays more than the usual one.
    LowDelay,
    /// Below zero, or without end.
    Tail,
    /// A word that is no class of cost, with the classes and what each stands for.
    UnknownCost { word: String, nearest: Option<String>, classes: Vec<CostOffer> },
}

impl From<ProcessorContradiction> for Contradiction {
    fn from(of: ProcessorContradiction) -> Self {
        Self::Processor(of)
    }
}

/// What cannot be true of a phase.
#[derive(Debug, Clone, PartialEq)]
pub enum PhaseContradiction {
    /// An empty list of interfaces.
    NoInterface,
    /// A performer listens through an interface that cannot do that.
    CannotListenDirect { performer: String, phase: String, interface: String },
    /// A target of zero dropouts per hour, or fewer.
    TargetNotAboveZero,
    /// Outside a millionth to a million dropouts per hour.
    Target,
    /// Below zero, or without end.
    Minutes,
    /// Outside 20 to 400 beats per minute.
    Tempo,
    /// Outside a hundredth to a million per hour.
    LatePackets,
}

impl From<PhaseContradiction> for Contradiction {
    fn from(of: PhaseContradiction) -> Self {
        Self::Phase(of)
    }
}

/// What cannot be true of a note.
#[derive(Debug, Clone, PartialEq)]
pub enum NoteContradiction {
    /// Neither dropouts, nor a meter, nor what anybody felt.
    SaysNothing,
    /// Not a date in the form year-month-day.
    NoDate { date: String, today: String },
    /// A date after today.
    ComingDate { date: String, today: String },
    /// The driver has no such rate.
    RateNotOffered { driver: String, rate: Hz, offered: Vec<Hz> },
    /// The driver has no such buffer at that rate.
    BufferNotOffered { driver: String, buffer: String, offered: Vec<String> },
    /// More workers than cores, or none.
    Workers { workers: u32, cores: u32 },
    /// Rendered ahead in blocks no larger than that of the device.
    RollTooSmall,
    /// A time without a count of dropouts.
    MinutesAlone,
    /// A count of dropouts without a time.
    DropoutsAlone,
    /// No time, or over a week.
    Minutes { minutes: f64 },
    /// Over a hundred a second.
    TooManyDropouts { dropouts: u32, minutes: f64 },
    /// A share outside 0 to 200 %.
    Meter { percent: f64, key: &'static str },
    /// The worst block of a meter is below the mean.
    PeakBelowMean,
    /// Two feelings of one performer at one setting; `note` counts from one.
    FeltOtherwise { performer: String, note: usize },
    /// Two meters at one setting that differ threefold; `note` counts from one.
    MetersDisagree { note: usize, there: Share, here: Share },
}

impl From<NoteContradiction> for Contradiction {
    fn from(of: NoteContradiction) -> Self {
        Self::Note(of)
    }
}

/// A kind of thing that has an id.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Thing {
    MeetingPoint,
    FarSide,
    FarSideInPhase,
    LineKind,
    Interface,
    Driver,
    DriverModel,
    Program,
    MachineClass,
    Connection,
    Phase,
    PhaseKind,
    Performer,
    PerformerInPhase,
    WayToPlay,
    Track,
    Bus,
    Processor,
    /// What a phase may keep as it is: a processor, a track or a bus.
    Keepable,
}

/// A class of cost that could have been meant.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CostOffer {
    pub id: String,
    /// What it stands for, as the table says it.
    pub stands_for: String,
}

impl CostOffer {
    pub(crate) fn of(class: &CostClass) -> Self {
        Self {
            id: class.id.clone(),
            stands_for: class.source.split(':').next().unwrap_or_default().to_lowercase(),
        }
    }
}
