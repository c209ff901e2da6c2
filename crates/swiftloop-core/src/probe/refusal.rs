//! Why a recording is not read: better no answer than a guess.

use crate::units::Hz;

/// What stands in the way of a reading.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum Refusal {
    /// No channel holds the probe.
    #[error("no probe was found in this recording")]
    Nothing,
    /// Too short to hold a probe.
    #[error("the recording lasts {have_s:.1} s, a probe at least {need_s:.1} s")]
    TooShort {
        /// Length of the recording in seconds.
        have_s: f64,
        /// Least length in seconds.
        need_s: f64,
    },
    /// A channel runs into its ceiling.
    #[error("channel {} is clipped in {places} places: its delay could be read, its gain and noise could not", channel + 1)]
    Clipped {
        /// Channel, from 0.
        channel: usize,
        /// Flat tops counted.
        places: usize,
    },
    /// The probe was made for another rate.
    #[error(
        "this probe was made for {made} Hz, the recording says {says}: somewhere between them a rate is wrong"
    )]
    WrongRate {
        /// Rate of the probe.
        made: Hz,
        /// Rate of the recording.
        says: Hz,
    },
    /// Two outputs arrive on one input.
    #[error(
        "outputs {} and {} both arrive on channel {} (the second {below_db:.0} dB below the first)",
        first + 1,
        second + 1,
        channel + 1
    )]
    Mixed {
        /// Recorded channel, from 0.
        channel: usize,
        /// Louder output, from 0.
        first: usize,
        /// Other output, from 0.
        second: usize,
        /// How far it lies below the first.
        below_db: f64,
    },
    /// Too few bursts survived.
    #[error("only {found} of the bursts on channel {} are whole: three are the least", channel + 1)]
    TooFew {
        /// Channel, from 0.
        channel: usize,
        /// Whole bursts.
        found: usize,
    },
}

impl Refusal {
    /// What to do about it.
    #[must_use]
    pub fn help(&self) -> &'static str {
        match self {
            Self::Nothing => {
                "check that the probe's output is patched into this input and that the recording began together with \
                 the probe; if the probe has more than 8 channels, name it with --probe"
            }
            Self::TooShort { .. } => "start recording first, then play the whole probe",
            Self::Clipped { .. } => {
                "turn the input down by some 10 dB, or make a quieter probe (--level), and record again"
            }
            Self::WrongRate { .. } => {
                "set panel, session and system to one rate, make the probe at that rate, record again"
            }
            Self::Mixed { .. } => "mute one of the outputs, or take the cable of one away, and record again",
            Self::TooFew { .. } => {
                "record the whole probe again; if bursts are lost every time, take a larger buffer first"
            }
        }
    }
}
