//! What `probe read --json` printed, read back: the round trip of its first channel.

use crate::{FileError, plain_words};
use std::path::Path;
use swiftloop_units::{Frames, Hz, Range};

/// Formats that are read: the first did not say what is wrong with a reading.
const FORMATS: [&str; 2] = ["swiftloop.probe-read/1", "swiftloop.probe-read/2"];

/// The round trip in a file that `probe read --json` printed, and the rate it was measured at.
///
/// # Errors
/// [`FileError::Unreadable`]: no such file, no JSON, another format, or figures that are no round trip.
pub fn read_trip(path: &Path) -> Result<(Hz, Range<Frames>), FileError> {
    let wrong = |why: String| FileError::Unreadable {
        path: path.into(),
        why,
        help: "give a WAV recording, or what swiftloop probe read --json printed".into(),
    };
    let text = std::fs::read_to_string(path).map_err(|e| wrong(plain_words(&e)))?;
    let value: serde_json::Value = serde_json::from_str(&text).map_err(|_| wrong("it is no JSON".into()))?;
    if !FORMATS.iter().any(|f| value["format"] == *f) {
        return Err(wrong(format!("its format is not {}", FORMATS[1])));
    }
    if let Some(trouble) = value["trouble"].as_str() {
        return Err(wrong(format!("it is no sound round trip ({})", trouble.replace('-', " "))));
    }
    let channel = &value["channels"][0];
    let figure = |key: &str| {
        let number = channel[key].as_f64().filter(|x| x.is_finite() && x.abs() < 1e7);
        number.map(Frames::new).ok_or_else(|| wrong(format!("channels[0].{key} is missing or no number")))
    };
    let (low, typical, high) = (figure("low_frames")?, figure("latency_frames")?, figure("high_frames")?);
    let range = Range::new(low, typical, high).ok_or_else(|| wrong("its figures are out of order".into()))?;
    let rate = value["sample_rate_hz"].to_string().parse().map_err(wrong)?;
    Ok((rate, range))
}
