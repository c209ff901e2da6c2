//! `probe make` and `probe read`: the test signal, and what came back of it.

use super::{AllCores, answer, print};
use crate::cli::{DepthOf, ProbeMakeOptions, ProbeReadOptions};
use crate::failure::Failure;
use crate::views::probe as view;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::listen::AudioSource;
use swiftloop_core::probe::{self, Reading, Recipe, Residual};
use swiftloop_core::units::{Decibels, Frames, Quantity};
use swiftloop_files::{Depth, Overwrite, Recording, save, wav_bytes};

/// Longest recording that is read: a probe lasts seconds, and all of it is held in memory.
const LONGEST_S: f64 = 1800.0;

pub fn make(options: &ProbeMakeOptions) -> Result<ExitCode, Failure> {
    let depth = match options.depth {
        DepthOf::Int16 => Depth::Int16,
        DepthOf::Int24 => Depth::Int24,
        DepthOf::Float32 => Depth::Float32,
    };
    let recipe = Recipe::new(options.rate, options.channels, options.bursts, options.level)
        .map_err(|why| Failure::explained(&why))?;
    let seconds = recipe.length() as f64 / f64::from(options.rate.get());
    let channels = if options.tone {
        let frames = (options.seconds * options.rate.get()) as usize;
        let tone = probe::tone(options.rate, frames, Decibels::of(f64::from(options.level)));
        vec![tone; options.channels]
    } else if seconds > LONGEST_S / 2.0 {
        let long = format!("that probe would last {:.0} minutes", seconds / 60.0);
        return Err(Failure::usage(long, "take fewer --bursts or --channels"));
    } else {
        recipe.render()
    };
    let bytes = wav_bytes(&channels, options.rate, depth)
        .map_err(|why| Failure::usage(why, "take fewer --channels, --bursts or --seconds"))?;
    // Every trail that needs a probe says how to make it: to make it again is no mistake.
    save(&options.out, &bytes, if options.force { Overwrite::Allow } else { Overwrite::RefuseOther })?;
    print(&view::made(&options.out, &recipe, depth, options.tone.then_some(options.seconds)))
}

pub fn read(options: &ProbeReadOptions) -> Result<ExitCode, Failure> {
    if options.onset {
        return onset(options);
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

/// Opens and reads a recording of the probe.
pub fn read_recording(path: &Path, known: Option<Recipe>) -> Result<(Recording, Reading), Failure> {
    let (recording, channels) = whole(path)?;
    let reading = probe::read(&channels, recording.rate(), known, &AllCores)
        .map_err(|why| Failure::refused(path.display(), &why))?;
    Ok((recording, reading))
}

fn whole(path: &Path) -> Result<(Recording, Vec<Vec<f32>>), Failure> {
    let recording = Recording::open(path)?;
    if recording.seconds() > LONGEST_S {
        let long = format!("{} lasts {:.0} minutes", path.display(), recording.seconds() / 60.0);
        return Err(Failure::usage(long, "cut out the part with the probe: half an hour at most"));
    }
    let channels = recording.whole()?;
    Ok((recording, channels))
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

fn onset(options: &ProbeReadOptions) -> Result<ExitCode, Failure> {
    let (recording, channels) = whole(&options.recording)?;
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
