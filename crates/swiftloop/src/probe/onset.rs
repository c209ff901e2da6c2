//! `probe read --onset`: from the act to the sound, on two channels.

use super::recorded::whole;
use crate::probe::options::ProbeReadOptions;
use crate::probe::text as view;
use crate::shared::failure::Failure;
use crate::shared::output::answer;
use std::process::ExitCode;
use swiftloop_measure::listen::AudioSource;
use swiftloop_measure::probe;

pub fn run(options: &ProbeReadOptions) -> Result<ExitCode, Failure> {
    let (recording, channels) = whole(&options.recording, 2)?;
    let [act, sound, ..] = channels.as_slice() else {
        return Err(Failure::usage(
            format!("{} has one channel", options.recording.display()),
            "record two: the act (a contact microphone on the key) and the sound",
        ));
    };
    let found = probe::onsets(act, sound, recording.rate())
        .map_err(|why| Failure::refused(options.recording.display(), &why))?;
    let rate = recording.rate();
    answer(&options.shown, |detail| view::onset(&found, rate, detail), || view::onset_json(&found, rate))?;
    Ok(ExitCode::SUCCESS)
}
