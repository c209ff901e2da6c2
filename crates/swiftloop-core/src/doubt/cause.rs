//! What can be off by itself. Two figures with the same cause are off together.

use swiftloop_units::ids::{DriverId, FarId, InterfaceId, PerformerId};

/// A cause of doubt: one draw in every possible rig.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Cause {
    /// How far the performer sits from the microphone.
    MicDistance(PerformerId),
    /// How far from the speakers.
    SpeakerDistance(PerformerId),
    /// What the performer bears.
    Listener(PerformerId),
    /// Scanning, cable and attack of the performer's keyboard and instrument.
    Keyboard(PerformerId),
    /// Where notes come to lie within a block.
    NoteTiming,
    /// Converters of an interface, both ways.
    Converters(InterfaceId),
    /// How an interface moves samples, both ways.
    Transport(InterfaceId),
    /// What a driver keeps in reserve, both ways.
    Safety(InterfaceId),
    /// The mixer of an interface.
    Mixer(InterfaceId),
    /// Blocks that a driver holds, both ways; and how large its unlabelled speeds are.
    Blocks(InterfaceId, DriverId),
    /// What a driver model adds, both ways.
    Overhead(InterfaceId, DriverId),
    /// What a driver hides in its reports, both ways.
    Hidden(InterfaceId, DriverId),
    /// What is left open by measured round trips.
    Trip(InterfaceId, DriverId),
    /// How a measured round trip splits.
    Split(InterfaceId, DriverId),
    /// The system's converter of rates.
    Resampler,
    /// Whether what is switched off still delays; whether latencies keep frames or time at another rate.
    Latencies,
    /// What processors of a class cost, as far as all of the class share it.
    Class(usize),
    /// What is left of that for each processor, summed over the class.
    WithinClass(usize),
    /// Figures that somebody wrote, and measured ones.
    Figures,
    /// Figures of what was measured alone.
    Alone,
    /// How much dearer that is in a chain at the real period.
    Paced,
    /// Speed of a core.
    Speed,
    /// How much others slow the work down.
    Crowding,
    /// In which order the software works.
    Order,
    /// How late the audio thread wakes.
    WakeUps,
    /// How long a disk stalls.
    Disk,
    /// How bad swapping is.
    Swapping,
    /// How the way to a far side splits into there and back, or how long it is.
    Way(FarId),
    /// How uneven the line to a far side is, where nothing was measured.
    Line(FarId),
    /// When the next block begins at whoever hears a far side, or is heard there.
    FarBlock(FarId),
    /// The interface of a far side, both ways.
    FarInterface(FarId),
    /// How long a meeting point mixes.
    Mixing,
    /// Nothing rests on this.
    Nothing,
}

impl Cause {
    /// A number of its own, from which its draws are made: the same in every program and on every machine.
    pub(super) fn seed(self) -> u64 {
        let (kind, a, b) = match self {
            Self::MicDistance(p) => (1, p.index(), 0),
            Self::SpeakerDistance(p) => (2, p.index(), 0),
            Self::Listener(p) => (3, p.index(), 0),
            Self::Keyboard(p) => (4, p.index(), 0),
            Self::NoteTiming => (5, 0, 0),
            Self::Converters(i) => (6, i.index(), 0),
            Self::Transport(i) => (7, i.index(), 0),
            Self::Safety(i) => (8, i.index(), 0),
            Self::Mixer(i) => (9, i.index(), 0),
            Self::Blocks(i, d) => (10, i.index(), d.index()),
            Self::Overhead(i, d) => (11, i.index(), d.index()),
            Self::Hidden(i, d) => (12, i.index(), d.index()),
            Self::Trip(i, d) => (13, i.index(), d.index()),
            Self::Split(i, d) => (14, i.index(), d.index()),
            Self::Resampler => (15, 0, 0),
            Self::Latencies => (16, 0, 0),
            Self::Class(row) => (17, row, 0),
            Self::WithinClass(row) => (18, row, 0),
            Self::Figures => (19, 0, 0),
            Self::Speed => (20, 0, 0),
            Self::Crowding => (21, 0, 0),
            Self::Order => (22, 0, 0),
            Self::WakeUps => (23, 0, 0),
            Self::Disk => (24, 0, 0),
            Self::Swapping => (25, 0, 0),
            Self::Nothing => (26, 0, 0),
            Self::Alone => (27, 0, 0),
            Self::Paced => (28, 0, 0),
            Self::Way(f) => (29, f.index(), 0),
            Self::Line(f) => (30, f.index(), 0),
            Self::FarBlock(f) => (31, f.index(), 0),
            Self::FarInterface(f) => (32, f.index(), 0),
            Self::Mixing => (33, 0, 0),
        };
        (kind << 48) ^ ((a as u64) << 24) ^ b as u64
    }
}
