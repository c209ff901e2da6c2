//! Quantities as types that do not mix, ranges of them (low, typical, high) and where a figure came from.
//! A number enters the program only through one of these types, so that it is finite, has the
//! right sign, and carries its unit, its doubt and its origin to the last line of output.
//!
//! ```
//! use swiftloop_units::{Block, Hz, Ms, Range};
//!
//! let rate = Hz::new(48_000);
//! // One block of 64 frames, and what a performer may hear of it: one block in, two to three out.
//! let block = Ms::from(Block::new(64).period(rate));
//! let blocks = Range::new(block * 3.0, block * 3.0, block * 4.0).expect("in their order");
//! assert_eq!(blocks.typical().raw(), 4.0);
//! assert_eq!(blocks.high().frames_at(rate).raw(), 256.0);
//! ```

pub mod fourier;
pub mod ids;
pub mod stats;
pub mod workers;

mod quantity;
mod range;

pub use quantity::{
    Block, Blocks, Decibels, Factor, Frames, Gigabytes, Hz, KilobitsPerSecond, Kilometres,
    MegabytesPerSecond, Metres, Micros, Ms, Nanos, PerHour, Ppm, Quantity, Seconds, Share,
};
pub use range::{Figure, Origin, Range};

/// Speed of sound in air at 20 °C, in metres per second (ISO 9613-1 gives 343.2).
pub const SPEED_OF_SOUND_M_S: f64 = 343.0;

/// Conversions between two units of time, by a factor.
macro_rules! same_time {
    ($($from:ident => $to:ident, $factor:expr;)*) => {
        $(impl From<$from> for $to {
            fn from(time: $from) -> Self {
                Self::new(time.raw() * $factor)
            }
        })*
    };
}

same_time!(
    Ms => Micros, 1e3;
    Seconds => Micros, 1e6;
    Seconds => Ms, 1e3;
    Nanos => Micros, 1e-3;
    Micros => Ms, 1e-3;
    Micros => Seconds, 1e-6;
    Ms => Seconds, 1e-3;
);

impl PerHour {
    /// So many events in so long a time; without time there is no rate but zero or infinity.
    #[must_use]
    pub fn counted(events: f64, time: Seconds) -> Self {
        Self::new(if events > 0.0 { events * 3600.0 / time.raw() } else { 0.0 })
    }
}

impl Seconds {
    /// As a number of hours, for what is counted per hour.
    #[must_use]
    pub fn hours(self) -> f64 {
        self.raw() / 3600.0
    }
}

impl Frames {
    /// How long these frames last at `rate`.
    #[must_use]
    pub fn at(self, rate: Hz) -> Ms {
        Ms::new(self.raw() * 1000.0 / f64::from(rate.get()))
    }
}

impl Ms {
    /// How many frames (with a fraction) pass in this time at `rate`.
    #[must_use]
    pub fn frames_at(self, rate: Hz) -> Frames {
        Frames::new(self.raw() * f64::from(rate.get()) / 1000.0)
    }
}

impl Block {
    /// How long one block lasts at `rate`.
    #[must_use]
    pub fn period(self, rate: Hz) -> Micros {
        Micros::new(f64::from(self.get()) * 1e6 / f64::from(rate.get()))
    }

    /// The block as a plain number of frames.
    #[must_use]
    pub fn frames(self) -> Frames {
        Frames::new(f64::from(self.get()))
    }
}

impl Decibels {
    /// The ratio of amplitudes that these decibels stand for.
    #[must_use]
    pub fn amplitude(self) -> f64 {
        10f64.powf(self.raw() / 20.0)
    }

    /// The decibels of a ratio of amplitudes; far below anything audible for zero.
    #[must_use]
    pub fn of_amplitude(ratio: f64) -> Self {
        Self::new(20.0 * ratio.max(1e-20).log10())
    }
}

impl Range<Frames> {
    /// The same stretch in milliseconds at `rate`.
    #[must_use]
    pub fn at(self, rate: Hz) -> Range<Ms> {
        self.map(|f| f.at(rate))
    }
}
