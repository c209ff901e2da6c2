//! Crackles in a recording. Samples come in; events with place, kind and length go out, and what they point to: a
//! block size, a clock, a single channel, or nothing known. A crackle is a break of a law that
//! sound keeps. Sound does not stand still ([`runs`]), does not repeat itself to the bit ([`repeats`]), and goes on
//! from one frame to the next much as its own past predicts ([`jumps`]).

pub mod against;
pub mod attribution;
pub mod jumps;
pub mod levels;
pub mod predict;
pub mod repeats;
pub mod runs;

mod envelope;
mod grain;
mod scan;
mod sinc;

pub use against::{AgainstRefusal, RecordingComparison, compare};
pub use attribution::{Attribution, CrackleCause};
pub use envelope::{Column, envelope};
pub use grain::Grain;
pub use levels::Levels;
pub use scan::{Scan, listen};

use std::ops::Range;
use swiftloop_units::Hz;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum CrackleKind {
    /// Zeros instead of sound.
    Gap,
    /// The last value repeated.
    Hold,
    /// A stretch played twice.
    Repeat,
    /// Frames lost.
    Skip,
    /// A few wrong frames.
    Click,
    /// A single frame lost or doubled.
    Slip,
}

impl CrackleKind {
    /// All of them, in the order of every output.
    pub const ALL: [Self; 6] = [Self::Gap, Self::Hold, Self::Repeat, Self::Skip, Self::Click, Self::Slip];

    /// The word in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Gap => "gap",
            Self::Hold => "hold",
            Self::Repeat => "repeat",
            Self::Skip => "skip",
            Self::Click => "click",
            Self::Slip => "slip",
        }
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct Crackle {
    /// First frame that is wrong; after lost frames the first that follows.
    pub start: u64,
    /// Wrong frames; 0 when frames are only missing.
    pub length: u64,
    pub kind: CrackleKind,
    /// Channels it is heard on, from 0.
    pub channels: Vec<usize>,
    /// By how much everything later is shifted, where known: below zero frames were lost, above zero put in.
    pub shift: Option<i64>,
    /// From 0 to 1.
    pub confidence: f64,
}

/// Crackles in a minute of so many frames.
#[must_use]
pub fn per_minute(events: &[Crackle], frames: u64, rate: Hz) -> f64 {
    events.len() as f64 * 60.0 * f64::from(rate.get()) / frames.max(1) as f64
}

/// The `most` events to look at first, in order of time: one of each kind, then the longest and surest.
#[must_use]
pub fn worst(events: &[Crackle], most: usize) -> Vec<&Crackle> {
    let weight = |e: &Crackle| {
        let frames = e.length.max(e.shift.map_or(0, i64::unsigned_abs));
        e.confidence * (1.0 + (frames as f64).sqrt())
    };
    let mut all: Vec<&Crackle> = events.iter().collect();
    all.sort_by(|a, b| weight(b).total_cmp(&weight(a)));
    let mut kinds = Vec::new();
    let (mut chosen, others): (Vec<&Crackle>, Vec<&Crackle>) = all.into_iter().partition(|e| {
        let new = !kinds.contains(&e.kind);
        kinds.push(e.kind);
        new
    });
    chosen.extend(others);
    chosen.truncate(most);
    chosen.sort_by_key(|e| e.start);
    chosen
}

/// Channels that are looked at together: what is held in memory does not grow with more.
pub const BANK: usize = 64;

/// All channels of so many, in banks.
pub(crate) fn banks(channels: usize) -> impl Iterator<Item = Range<usize>> {
    (0..channels).step_by(BANK).map(move |first| first..(first + BANK).min(channels))
}

/// A recording, wherever it is: any stretch of it can be had, by several workers at once.
pub trait AudioSource: Sync {
    /// Why a stretch cannot be had.
    type Error: Send;
    fn rate(&self) -> Hz;
    fn channels(&self) -> usize;
    /// Frames.
    fn frames(&self) -> u64;
    /// The smallest step between two values: 2⁻¹⁵ for 16 bits.
    fn step(&self) -> f32;
    /// Puts the frames `from..to` of the channels `of` into `into`, a vector for each channel, instead of what it held.
    /// Memory that is used again costs less than fresh; and who looks at a bank of channels at a time needs no more memory
    /// for a thousand of them.
    ///
    /// # Errors
    /// Whatever keeps the samples from being had.
    fn fetch_into(
        &self,
        from: u64,
        to: u64,
        of: Range<usize>,
        into: &mut Vec<Vec<f32>>,
    ) -> Result<(), Self::Error>;

    /// The frames `from..to`, a vector for each channel.
    ///
    /// # Errors
    /// As for [`Self::fetch_into`].
    fn fetch(&self, from: u64, to: u64) -> Result<Vec<Vec<f32>>, Self::Error> {
        self.fetch_of(from, to, 0..self.channels())
    }

    /// The frames `from..to`, a vector for each channel of `of`.
    ///
    /// # Errors
    /// As for [`Self::fetch_into`].
    fn fetch_of(&self, from: u64, to: u64, of: Range<usize>) -> Result<Vec<Vec<f32>>, Self::Error> {
        let mut channels = Vec::new();
        self.fetch_into(from, to, of, &mut channels)?;
        Ok(channels)
    }
}

#[derive(Debug)]
pub struct InMemory<'a> {
    /// A vector for each channel.
    pub channels: &'a [Vec<f32>],
    pub rate: Hz,
    /// The smallest step between two values.
    pub step: f32,
}

impl AudioSource for InMemory<'_> {
    type Error = std::convert::Infallible;

    fn rate(&self) -> Hz {
        self.rate
    }
    fn channels(&self) -> usize {
        self.channels.len()
    }
    fn frames(&self) -> u64 {
        self.channels.iter().map(Vec::len).min().unwrap_or(0) as u64
    }
    fn step(&self) -> f32 {
        self.step
    }
    fn fetch_into(
        &self,
        from: u64,
        to: u64,
        of: Range<usize>,
        into: &mut Vec<Vec<f32>>,
    ) -> Result<(), Self::Error> {
        into.resize_with(of.len(), Vec::new);
        for (into, channel) in into.iter_mut().zip(&self.channels[of]) {
            into.clear();
            into.extend_from_slice(&channel[from as usize..to as usize]);
        }
        Ok(())
    }
}

/// What one channel of one stretch shows, before channels and stretches are put together. Places count from the
/// beginning of the samples that were looked at.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ChannelMarks {
    pub start: usize,
    /// Wrong frames.
    pub length: usize,
    pub kind: CrackleKind,
    /// See [`Crackle::shift`].
    pub shift: Option<i64>,
    /// From 0 to 1.
    pub confidence: f64,
}
