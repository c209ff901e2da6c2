//! What was heard: crackles or none first, what to do, where they come from, then the list; and a timeline.

mod json;
pub mod options;
pub mod run;
mod text;
mod timeline;

pub use json::json;
pub use text::{lead, show};
pub use timeline::svg;

use swiftloop_core::survey::SeenBlock;
use swiftloop_files::Recording;
use swiftloop_measure::listen::{Attribution, AudioSource, Crackle, RecordingComparison, Scan, per_minute};

/// A recording and what is known about it.
pub struct Listened<'a> {
    pub recording: &'a Recording,
    /// What was heard blind.
    pub scan: &'a Scan,
    /// What the comparison says, which then counts.
    pub comparison: Option<&'a RecordingComparison>,
    /// What works in which blocks on this computer now.
    pub here: &'a [SeenBlock],
}

impl Listened<'_> {
    /// The events that count.
    pub fn events(&self) -> &[Crackle] {
        self.comparison.map_or(&self.scan.events, |c| &c.events)
    }

    /// The attribution that counts.
    pub fn attribution(&self) -> &Attribution {
        self.comparison.map_or(&self.scan.attribution, |c| &c.attribution)
    }

    /// Crackles in a minute.
    pub fn per_minute(&self) -> f64 {
        per_minute(self.events(), self.recording.frames(), self.recording.rate())
    }
}
