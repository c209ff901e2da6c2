//! The takes of `probe fit`: `BUFFER=FILE`, the file a recording or what `probe read --json` printed.

use super::recorded::read_recording;
use crate::shared::failure::Failure;
use std::path::Path;
use swiftloop_files::read_trip;
use swiftloop_measure::listen::AudioSource;
use swiftloop_measure::probe::{Collected, MeasuredTake, collect};
use swiftloop_units::{Frames, Hz, Range};

/// Round trips from the words of the command line, files in `dir`; all of one rate.
pub fn collected(words: &[String], dir: &Path) -> Result<(Collected, Hz), Failure> {
    let takes: Vec<MeasuredTake> = words.iter().map(|w| take(w, dir)).collect::<Result<_, _>>()?;
    let rate = takes.first().map_or(Hz::new(48_000), |t| t.rate);
    if let Some(other) = takes.iter().find(|t| t.rate != rate) {
        return Err(Failure::usage(
            format!("these takes have different rates: {rate} and {} Hz", other.rate),
            "fit one rate at a time",
        ));
    }
    Ok((collect(&takes), rate))
}

/// `BUFFER=FILE`
fn take(word: &str, dir: &Path) -> Result<MeasuredTake, Failure> {
    let help = "write BUFFER=FILE, such as 128=take128.wav, or brisk=take.wav for a named speed";
    let Some((label, file)) = word.split_once('=').filter(|(l, f)| !l.is_empty() && !f.is_empty()) else {
        return Err(Failure::usage(format!("`{word}` does not say which buffer it was recorded at"), help));
    };
    let label = label.parse().map_err(|why: String| Failure::usage(why, help))?;
    let path = &dir.join(file);
    let (rate, trip) = if path.extension().is_some_and(|e| e.eq_ignore_ascii_case("json")) {
        read_trip(path)?
    } else {
        from_wav(path)?
    };
    Ok(MeasuredTake { label, rate, trip })
}

fn from_wav(path: &Path) -> Result<(Hz, Range<Frames>), Failure> {
    let (recording, reading) = read_recording(path, None)?;
    if let Some(trouble) = reading.trouble(false) {
        return Err(Failure::refused(path.display(), &trouble));
    }
    // A channel was found, else the recording would have been refused.
    let trip = reading.channels.first().map(|c| c.latency);
    let none = || Failure::usage(format!("{}: no channel holds the probe", path.display()), "record again");
    Ok((recording.rate(), trip.ok_or_else(none)?))
}
