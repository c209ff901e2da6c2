//! Who stole the time, as text, as JSON and as drawings.

mod compare;
pub mod compare_text;
pub mod json;
pub mod lanes;
pub mod options;
#[cfg(target_os = "linux")]
mod out;
pub mod ranking;
mod read;
pub mod read_text;
#[cfg(target_os = "linux")]
mod record;
#[cfg(target_os = "linux")]
pub mod record_text;
#[cfg(target_os = "linux")]
mod recording;
pub mod run;
#[cfg(test)]
mod tests;

use std::path::Path;
use swiftloop_files::trace::TraceReading;
use swiftloop_measure::trace::{LateBlock, MatchedCrackles};

/// A trace that was read.
pub struct TraceRead<'a> {
    pub file: &'a Path,
    pub reading: &'a TraceReading,
    /// A thread was named.
    pub thread: Option<&'a str>,
    /// What a recording made meanwhile says, when there is one: nothing when the two do not fit together.
    pub heard: Option<Option<&'a MatchedCrackles>>,
    /// The block that is told.
    pub chosen: Option<usize>,
}

impl TraceRead<'_> {
    pub fn late(&self) -> &[LateBlock] {
        &self.reading.told.late
    }

    /// No block could be judged at all.
    pub fn is_blind(&self) -> bool {
        !self.reading.told.is_judged()
    }

    /// The block that is told: the chosen one, or the worst.
    pub fn told(&self) -> Option<(usize, &LateBlock)> {
        let late = self.late();
        match self.chosen {
            Some(at) => late.get(at).map(|b| (at, b)),
            None => late.iter().enumerate().max_by_key(|(at, b)| (b.excess(), std::cmp::Reverse(*at))),
        }
    }
}
