//! The legs of a loop: what each stage is, how long, how we know, and what there is to know about it, as figures. The
//! words for all of it are those of whoever shows it.

use swiftloop_units::ids::{FarId, MeetingId, ProcessorId};
use swiftloop_units::{Block, Blocks, Frames, Hz, Kilometres, Metres, Ms, Origin, Range, Share};

/// One stage of a loop.
#[derive(Debug, Clone, PartialEq)]
pub struct Leg {
    pub kind: LegKind,
    pub span: Range<Ms>,
    pub origin: Origin,
    /// What to know about it.
    pub note: LegNote,
}

/// What a leg is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum LegKind {
    /// Air between source and microphone.
    AirIn,
    ConverterIn,
    /// From the converter to the computer.
    TransportIn,
    /// Frames the driver keeps in reserve on the way in.
    SafetyIn,
    /// Blocks between the converter and the program.
    CaptureBlocks,
    /// What the driver model adds on the way in, whatever the buffer.
    OverheadIn,
    /// All of the way in, as the driver reports it.
    ReportedIn,
    /// Blocks between the program and the converter.
    PlaybackBlocks,
    /// What the driver model adds on the way out.
    OverheadOut,
    /// All of the way out, as the driver reports it.
    ReportedOut,
    /// Frames the driver keeps in reserve on the way out.
    SafetyOut,
    /// From the computer to the converter.
    TransportOut,
    ConverterOut,
    /// Air between speakers and ears.
    AirOut,
    /// The interface from connector to connector, measured at this very buffer.
    RoundTrip,
    /// Blocks of both ways, as a line through measured round trips shows them.
    MeasuredBlocks,
    /// What does not depend on the buffer, as that line shows it.
    MeasuredFixed,
    /// Blocks of both ways as described, beside a fixed part measured at another buffer.
    DescribedBlocks,
    /// What does not depend on the buffer, from a round trip at another buffer.
    FixedPart,
    /// The way out of a measured round trip: the trip is measured, where it splits is not.
    WayOut,
    /// The way in of a measured round trip, for what goes out over a network.
    WayIn,
    /// Waiting until a packet is full, and sending it.
    Packet,
    /// Over the network, one way.
    Way,
    /// Held for packets that come late.
    ReceiveBuffer,
    /// Collecting and mixing at a meeting point.
    Mixing,
    /// Waiting until the next block of whoever hears it begins.
    BlockOfListener,
    /// In at the far side: converter, transport, blocks.
    FarIn,
    /// Out at the far side: blocks, transport, converter.
    FarOut,
    /// A converter of sample rates.
    Resampler,
    /// Fitting the software's own block into the device's.
    BlockAdaptation,
    /// The session's processors between live input and cue.
    LivePath,
    KeyScan,
    MidiCable,
    MidiUsb,
    /// The place of a note within its block.
    EventTiming,
    /// The instrument's own attack.
    Attack,
    /// The interface's own mixer.
    OnboardMixer,
}

/// What to know about a leg.
#[derive(Debug, Clone, PartialEq)]
pub enum LegNote {
    None,
    Distance(Metres),
    Connection(String),
    /// So many blocks of so many frames.
    Blocks {
        count: Blocks,
        block: Block,
        /// So many more than the driver says (below zero: fewer); none when it agrees or says nothing.
        beyond: Option<Blocks>,
    },
    /// Of this driver model.
    Model(String),
    /// Reports leave out what the driver hides.
    HiddenByReport,
    /// So many frames more than described; none for as described.
    BeyondDescription(Option<Frames>),
    /// All electric parts together.
    AllTogether,
    /// From the round trip at this other buffer.
    MeasuredAt(Block),
    /// As the described share of the measured round trip.
    ShareOfTrip(Share),
    /// A place with another rate.
    PlaceAt {
        place: String,
        rate: Hz,
    },
    /// Two blocks that do not fit into each other.
    TwoBlocks {
        /// The software's.
        software: Block,
        /// The device's.
        device: Block,
    },
    /// So many bytes at 31.25 kbaud.
    Bytes(u32),
    /// Polled each frame or microframe.
    Polled,
    /// Notes carry a time stamp: one block, always.
    Stamped,
    /// Notes sound at the next block: it wavers.
    AtNextBlock,
    /// The processors that delay, in order.
    Processors(Vec<ProcessorId>),
    /// A packet of so many frames, of a stream of so many kilobits a second.
    Packet(Block, f64),
    /// So many kilometres in a straight line.
    Straight(Kilometres),
    /// As the round trip was measured, of which it is about half.
    HalfOfTrip,
    /// For so many late or lost packets an hour, to expect and at the most.
    LateAnHour(f64, f64),
    /// For this kind of line, nothing was measured.
    KindOfLine(String),
    /// At this far side.
    At(FarId),
    /// At this meeting point.
    AtMeeting(MeetingId),
}

/// What would make a leg surer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Remeasure {
    /// It is measured: again, more often, at more buffers.
    Again,
    Distance,
    /// Measure the round trip through a cable.
    RoundTrip,
    /// Look up converters and safety frames: they say how the measured trip splits.
    Split,
    /// Record key and sound on two channels.
    KeyToSound,
    /// Unload the processor and look whether its delay goes away.
    Unload,
    /// Look up the software's own block.
    SoftwareBlock,
    /// Measure the way over the network.
    Link,
    /// Describe or measure the far side's interface.
    FarSide,
}

impl Leg {
    /// What would make this leg surer.
    #[must_use]
    pub fn remeasure(&self) -> Remeasure {
        if self.origin == Origin::Measured {
            return Remeasure::Again;
        }
        match self.kind {
            LegKind::AirIn | LegKind::AirOut => Remeasure::Distance,
            LegKind::ConverterIn
            | LegKind::TransportIn
            | LegKind::SafetyIn
            | LegKind::CaptureBlocks
            | LegKind::OverheadIn
            | LegKind::ReportedIn
            | LegKind::PlaybackBlocks
            | LegKind::OverheadOut
            | LegKind::ReportedOut
            | LegKind::SafetyOut
            | LegKind::TransportOut
            | LegKind::ConverterOut
            | LegKind::RoundTrip
            | LegKind::MeasuredBlocks
            | LegKind::MeasuredFixed
            | LegKind::DescribedBlocks
            | LegKind::FixedPart
            | LegKind::Resampler
            | LegKind::OnboardMixer => Remeasure::RoundTrip,
            LegKind::WayOut | LegKind::WayIn => Remeasure::Split,
            LegKind::Packet | LegKind::Way | LegKind::ReceiveBuffer | LegKind::Mixing => Remeasure::Link,
            LegKind::BlockOfListener | LegKind::FarIn | LegKind::FarOut => Remeasure::FarSide,
            LegKind::KeyScan
            | LegKind::MidiCable
            | LegKind::MidiUsb
            | LegKind::EventTiming
            | LegKind::Attack => Remeasure::KeyToSound,
            LegKind::LivePath => Remeasure::Unload,
            LegKind::BlockAdaptation => Remeasure::SoftwareBlock,
        }
    }
}
