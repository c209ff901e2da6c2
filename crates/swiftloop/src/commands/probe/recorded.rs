//! Recordings short enough to be held whole, and the probe within them.

use crate::failure::Failure;
use crate::opened::AllCores;
use std::path::Path;
use swiftloop_core::listen::AudioSource;
use swiftloop_core::probe::{self, Reading, Recipe};
use swiftloop_files::Recording;

/// Longest recording that is read: a probe lasts seconds, and all of it is held in memory.
pub const LONGEST_S: f64 = 1800.0;

/// Opens and reads a recording of the probe.
pub fn read_recording(path: &Path, known: Option<Recipe>) -> Result<(Recording, Reading), Failure> {
    let (recording, channels) = whole(path)?;
    let reading = probe::read(&channels, recording.rate(), known, &AllCores)
        .map_err(|why| Failure::refused(path.display(), &why))?;
    Ok((recording, reading))
}

pub fn whole(path: &Path) -> Result<(Recording, Vec<Vec<f32>>), Failure> {
    let recording = Recording::open(path)?;
    if recording.seconds() > LONGEST_S {
        let long = format!("{} lasts {:.0} minutes", path.display(), recording.seconds() / 60.0);
        return Err(Failure::usage(long, "cut out the part with the probe: half an hour at most"));
    }
    let channels = recording.whole()?;
    Ok((recording, channels))
}
