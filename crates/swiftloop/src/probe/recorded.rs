//! Recordings, and the probe within them.

use crate::shared::failure::Failure;
use crate::shared::project::AllCores;
use std::path::Path;
use swiftloop_files::Recording;
use swiftloop_measure::listen::AudioSource;
use swiftloop_measure::probe::{MOST_BURSTS, NotRead, ProbeReading, Recipe, read_from};

/// Longest recording that is read where all of it is looked at; a longer probe is not made either.
pub const LONGEST_S: f64 = 1800.0;

/// Opens and reads a recording of the probe.
pub fn read_recording(path: &Path, known: Option<Recipe>) -> Result<(Recording, ProbeReading), Failure> {
    let recording = Recording::open(path)?;
    let reading = read_from(&recording, known, &AllCores).map_err(|why| match why {
        NotRead::Refused(why) => Failure::refused(path.display(), &why),
        NotRead::Source(e) => e.into(),
    })?;
    Ok((recording, reading))
}

/// Opens a recording and holds the first `most` of its channels.
pub fn whole(path: &Path, most: usize) -> Result<(Recording, Vec<Vec<f32>>), Failure> {
    let recording = Recording::open(path)?;
    if recording.seconds() > LONGEST_S {
        let long = format!("{} lasts {:.0} minutes", path.display(), recording.seconds() / 60.0);
        return Err(Failure::usage(long, "cut out the part that matters: half an hour at most"));
    }
    let channels = recording.fetch_of(0, recording.frames(), 0..recording.channels().min(most))?;
    Ok((recording, channels))
}

/// The recipe of a probe file.
pub fn recipe_of(path: &Path) -> Result<Recipe, Failure> {
    let no_probe = || {
        Failure::usage(
            format!("{} is not a probe as probe make writes it", path.display()),
            "give the file that was played, unchanged, or leave --probe out",
        )
    };
    let file = Recording::open(path)?;
    // Nothing longer, and nothing with more channels, was made by probe make.
    let longest = Recipe::new(file.rate(), file.channels(), MOST_BURSTS, -1).map_err(|_| no_probe())?;
    if file.frames() > longest.length() as u64 {
        return Err(no_probe());
    }
    Recipe::of(&file.whole()?, file.rate(), file.step()).ok_or_else(no_probe)
}
