//! Loops: from a performer's act back to their ear. Rig, session and a setting come in; legs with low,
//! typical, high and origin come out, summed and held against the performer's limit. The one idea: a loop is
//! nothing but a list of legs, so that every frame of delay has a name and somebody to answer for it.

mod chain;
mod electric;
mod fit;
mod kinds;
mod ranking;
mod setting;
mod verdict;

pub use chain::{Chains, compensated, latencies};
pub use electric::{Electric, hidden};
pub use fit::{Fit, fit};
pub use kinds::{loop_of, loops_of, playback_loop};
pub use ranking::{RankedDriver, ranked_drivers};
pub use setting::{Bench, Setting};
pub use verdict::{WidestDoubt, limit_for};

use crate::units::{Ms, Origin, Range};
use serde::Serialize;

/// One stage of a loop.
#[derive(Debug, Clone, PartialEq)]
pub struct Leg {
    /// What it is, in the words of the trade.
    pub name: String,
    /// Whose duty it would be to measure it.
    pub part: Part,
    /// How long.
    pub span: Range<Ms>,
    /// How we know.
    pub origin: Origin,
    /// What to know about it: a factor, a hidden block, a processor's name.
    pub note: String,
}

/// Which part of the world a leg belongs to; decides which measurement removes its doubt.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// Air between source, microphone, speaker and ear.
    Air,
    /// Converters, transport, driver: what a cable from output to input measures.
    Electric,
    /// The way out of a measured round trip: the trip is measured, where it splits is not.
    Split,
    /// Keys and MIDI.
    Keys,
    /// The session's processors.
    Chain,
    /// The session software itself.
    Software,
}

/// What kind of loop.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum LoopKind {
    /// Microphone to ear, through the software.
    Sound,
    /// Key to ear, through the software.
    Keys,
    /// Microphone to ear, inside the interface.
    Direct,
    /// From the software's cursor to the ear; nobody performs.
    Playback,
}

impl LoopKind {
    /// The word used in every output.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Sound => "sound",
            Self::Keys => "keys",
            Self::Direct => "direct",
            Self::Playback => "playback",
        }
    }
}

/// Whether a loop fits its limit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// Even the high figure fits.
    Within,
    /// The typical figure fits, the high one does not.
    Doubtful,
    /// The typical figure does not fit.
    Over,
}

impl Verdict {
    /// The word used in every output.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Within => "within",
            Self::Doubtful => "doubtful",
            Self::Over => "over",
        }
    }
}

/// A whole loop.
#[derive(Debug, Clone)]
pub struct Loop {
    /// Index of the performer in the session; none for playback and for the file-less case.
    pub performer: Option<usize>,
    /// Name for people.
    pub who: String,
    /// What kind.
    pub kind: LoopKind,
    /// Its legs, from act to ear.
    pub legs: Vec<Leg>,
    /// Their sum.
    pub total: Range<Ms>,
    /// What the performer bears, with the reason; none when nobody performs.
    pub limit: Option<(Ms, String)>,
}

impl Loop {
    /// A loop from its legs.
    #[must_use]
    pub fn from_legs(performer: Option<usize>, who: String, kind: LoopKind, legs: Vec<Leg>) -> Self {
        let total = legs.iter().fold(Range::zero(), |sum, leg| sum.plus(leg.span));
        Self { performer, who, kind, legs, total, limit: None }
    }

    /// Held against its limit; a loop without one is within.
    #[must_use]
    pub fn verdict(&self) -> Verdict {
        match &self.limit {
            Some((limit, _)) if self.total.typical() > *limit => Verdict::Over,
            Some((limit, _)) if self.total.high() > *limit => Verdict::Doubtful,
            _ => Verdict::Within,
        }
    }

    /// How far the typical figure lies above the limit (0 when it fits).
    #[must_use]
    pub fn excess(&self) -> Ms {
        self.limit.as_ref().map_or(Ms(0.0), |(limit, _)| Ms((self.total.typical().0 - limit.0).max(0.0)))
    }
}
