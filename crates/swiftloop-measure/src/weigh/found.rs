//! What weighing a processor found, at each rate: what is told, kept in the catalogue and read again.

use super::{ProcessorCostFound, Yardsticks};
use serde::{Deserialize, Serialize};
use swiftloop_units::{Nanos, Range};

/// A figure in nanoseconds with its doubt.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct NanosRange {
    pub low: f64,
    pub typical: f64,
    pub high: f64,
}

impl From<Range<Nanos>> for NanosRange {
    fn from(r: Range<Nanos>) -> Self {
        Self { low: r.low().raw(), typical: r.typical().raw(), high: r.high().raw() }
    }
}

/// Work in blocks of its own.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Bursts {
    /// Frames of its own block.
    pub frames: u32,
    /// What one takes beyond other calls.
    pub ns: f64,
}

/// What a call and a frame cost.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Line {
    pub per_call_ns: NanosRange,
    pub per_frame_ns: NanosRange,
}

impl From<ProcessorCostFound> for Line {
    fn from(w: ProcessorCostFound) -> Self {
        Self { per_call_ns: w.per_call.into(), per_frame_ns: w.per_frame.into() }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct VoiceCost {
    /// Each frame without any, in nanoseconds.
    pub base_per_frame_ns: f64,
    /// Each frame of each voice, in nanoseconds.
    pub per_voice_per_frame_ns: f64,
    /// Voices after which more notes cost no more: its own limit, where it was reached.
    pub limit: Option<u32>,
    /// Notes that were held while the other figures were measured.
    pub held: u32,
}

/// What was measured at one rate.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AtRate {
    pub rate_hz: u32,
    pub per_call_ns: Option<NanosRange>,
    pub per_frame_ns: Option<NanosRange>,
    /// Each frame of silence.
    pub quiet_per_frame_ns: Option<NanosRange>,
    /// Each call of silence.
    pub quiet_per_call_ns: Option<NanosRange>,
    /// With caches swept before each call.
    pub swept: Option<Line>,
    /// The same as the machine is, whatever disturbs it: among many others, in a session.
    pub crowded: Option<Line>,
    /// So many times as dear where small numbers are not flushed to zero, on sound that faded away.
    pub unflushed: Option<f64>,
    /// What each note costs, for what is played.
    pub voices: Option<VoiceCost>,
    /// Share of calls that nothing disturbed.
    pub undisturbed: Option<f64>,
    pub burst: Option<Bursts>,
    /// How late it is.
    pub delay: ProcessorDelay,
    /// The least that the yardsticks took meanwhile: how fast the machine was at its best.
    pub yardsticks: Yardsticks,
}

impl Line {
    /// A call of so many frames, in nanoseconds.
    #[must_use]
    pub fn takes(&self, frames: u32) -> NanosRange {
        let of = |pick: fn(NanosRange) -> f64| {
            pick(self.per_call_ns) + f64::from(frames) * pick(self.per_frame_ns)
        };
        NanosRange { low: of(|s| s.low), typical: of(|s| s.typical), high: of(|s| s.high) }
    }
}

impl AtRate {
    /// What it costs hot, call after call.
    #[must_use]
    pub fn hot(&self) -> Option<Line> {
        Some(Line { per_call_ns: self.per_call_ns?, per_frame_ns: self.per_frame_ns? })
    }

    /// What a block takes in a session in the mean, bursts among it, in nanoseconds.
    #[must_use]
    pub fn takes(&self, frames: u32) -> Option<NanosRange> {
        let line = self.in_session()?.takes(frames);
        let bursts = self.burst.map_or(0.0, |b| b.ns * f64::from(frames) / f64::from(b.frames));
        Some(NanosRange { low: line.low + bursts, typical: line.typical + bursts, high: line.high + bursts })
    }

    /// What it costs in a session: as the machine is, with other memory in the caches; the hot figures where that was not measured.
    #[must_use]
    pub fn in_session(&self) -> Option<Line> {
        self.crowded.or_else(|| self.hot())
    }
}

/// The delay of a processor in frames.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct ProcessorDelay {
    pub reported_frames: Option<f64>,
    pub measured_frames: Option<f64>,
    /// It could be read from what came out.
    pub readable: bool,
    /// Where it depends on the block: each with its delay.
    #[serde(default)]
    pub by_block: Vec<DelayAt>,
}

/// A delay at one block.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct DelayAt {
    /// The block in frames.
    pub block: u32,
    /// The delay in frames.
    pub frames: f64,
}
