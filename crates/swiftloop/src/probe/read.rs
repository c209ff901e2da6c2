//! `probe read`: how late the probe came back.

use super::recorded::{read_recording, recipe_of};
use crate::probe::options::ProbeReadOptions;
use crate::probe::text as view;
use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use std::process::ExitCode;
use swiftloop_measure::probe::Residual;
use swiftloop_units::Frames;

pub fn run(options: &ProbeReadOptions) -> Result<ExitCode, Failure> {
    if options.onset {
        return super::onset::run(options);
    }
    let known = options.probe.as_deref().map(recipe_of).transpose()?;
    let (recording, reading) = read_recording(&options.recording, known)?;
    let residual = options
        .reported_frames
        .and_then(|n| Some(Residual::new(reading.channels.first()?.latency.typical(), Frames::new(n))));
    // Whoever tells what the recorder takes off knows that it does.
    let trouble = reading.trouble(options.reported_frames.is_some());
    answer(
        &options.shown,
        |detail| view::read(&options.recording, &recording, &reading, (residual, trouble), detail),
        || view::json(&reading, residual, trouble),
    )?;
    Ok(yes_or_no(trouble.is_none()))
}
