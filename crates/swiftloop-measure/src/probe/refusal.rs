//! Why a recording is not read: better no answer than a guess.

use swiftloop_units::{Decibels, Hz, Seconds};

/// What stands in the way of a reading.
#[derive(Debug, Clone, PartialEq)]
pub enum Refusal {
    /// No channel holds the probe.
    Nothing,
    /// This is the probe as it was made, not a recording of it.
    ProbeItself {
        /// Channel, from 0.
        channel: usize,
    },
    /// Too short to hold a probe.
    TooShort {
        /// Length of the recording.
        have: Seconds,
        need: Seconds,
    },
    /// A channel runs into its ceiling.
    Clipped {
        /// Channel, from 0.
        channel: usize,
        places: usize,
    },
    /// The probe was made for another rate.
    WrongRate {
        /// Rate of the probe.
        made: Hz,
        /// Rate of the recording.
        says: Hz,
    },
    /// Two outputs arrive on one input.
    Mixed {
        /// Recorded channel, from 0.
        channel: usize,
        /// Louder output, from 0.
        first: usize,
        /// Other output, from 0.
        second: usize,
        /// How far it lies below the first.
        below: Decibels,
    },
    /// Too few bursts survived.
    TooFew {
        /// Channel, from 0.
        channel: usize,
        found: usize,
    },
}
