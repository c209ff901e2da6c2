//! `probe read`: how late the probe came back.

use super::recorded::{read_recording, whole};
use crate::cli::ProbeReadOptions;
use crate::failure::Failure;
use crate::output::answer;
use crate::views::probe as view;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::listen::AudioSource;
use swiftloop_core::probe::{Recipe, Residual};
use swiftloop_core::units::Frames;

pub fn run(options: &ProbeReadOptions) -> Result<ExitCode, Failure> {
    if options.onset {
        return super::onset::run(options);
    }
    let known = options.probe.as_deref().map(recipe_of).transpose()?;
    let (recording, reading) = read_recording(&options.recording, known)?;
    let residual = options
        .reported_frames
        .and_then(|n| Some(Residual::new(reading.channels.first()?.latency.typical(), Frames::new(n))));
    answer(
        &options.shown,
        |detail| view::read(&options.recording, &recording, &reading, residual, detail),
        || view::json(&reading, residual),
    )?;
    Ok(ExitCode::SUCCESS)
}

/// The recipe of a probe file.
fn recipe_of(path: &Path) -> Result<Recipe, Failure> {
    let (file, channels) = whole(path)?;
    Recipe::of(&channels, file.rate(), file.step()).ok_or_else(|| {
        Failure::usage(
            format!("{} is not a probe as probe make writes it", path.display()),
            "give the file that was played, unchanged, or leave --probe out",
        )
    })
}
