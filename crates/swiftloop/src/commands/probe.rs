//! `probe make` and `probe read`: the test signal, and what came back of it.

use super::{AllCores, print, print_json};
use crate::cli::{DepthOf, ProbeMake, ProbeRead};
use crate::failure::Failure;
use crate::views;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::listen::Programme;
use swiftloop_core::probe::{self, Reading, Recipe, Residual};
use swiftloop_core::units::{Decibels, Frames, Quantity};
use swiftloop_files::{Depth, Overwrite, Recording, save, wav_bytes};

/// Longest recording that is read: a probe lasts seconds, and all of it is held in memory.
const LONGEST_S: f64 = 1800.0;

pub fn make(options: &ProbeMake) -> Result<ExitCode, Failure> {
    let depth = match options.depth {
        DepthOf::Int16 => Depth::Int16,
        DepthOf::Int24 => Depth::Int24,
        DepthOf::Float32 => Depth::Float32,
    };
    let refuse = |why: String| Failure::usage(why, "see swiftloop probe make --help");
    let recipe = Recipe::new(options.rate, options.channels, options.bursts, options.level)
        .map_err(|e| refuse(e.to_string()))?;
    let seconds = recipe.length() as f64 / f64::from(options.rate.0);
    let channels = if options.tone {
        let frames = (options.seconds * options.rate.0) as usize;
        let tone = probe::tone(options.rate, frames, Decibels::of(f64::from(options.level)));
        vec![tone; options.channels]
    } else if seconds > LONGEST_S / 2.0 {
        return Err(refuse(format!(
            "that probe would last {seconds:.0} s: fewer bursts or channels will do"
        )));
    } else {
        recipe.render()
    };
    let bytes = wav_bytes(&channels, options.rate, depth).map_err(refuse)?;
    save(&options.out, &bytes, if options.force { Overwrite::Allow } else { Overwrite::Refuse })?;
    print(&views::probe::made(&options.out, &recipe, depth, options.tone.then_some(options.seconds)))
}

pub fn read(options: &ProbeRead) -> Result<ExitCode, Failure> {
    if options.onset {
        return onset(options);
    }
    let known = options.probe.as_deref().map(recipe_of).transpose()?;
    let (recording, reading) = read_recording(&options.recording, known)?;
    let residual = options
        .reported_frames
        .and_then(|n| Some(Residual::new(reading.channels.first()?.latency.typical(), Frames(n))));
    if options.json {
        return print_json(&views::probe::json(&reading, residual));
    }
    print(&views::probe::read(&options.recording, &recording, &reading, residual))
}

/// Opens and reads a recording of the probe.
pub fn read_recording(path: &Path, known: Option<Recipe>) -> Result<(Recording, Reading), Failure> {
    let (recording, channels) = whole(path)?;
    let reading = probe::read(&channels, recording.rate(), known, &AllCores)
        .map_err(|r| Failure::usage(format!("{}: {r}", path.display()), r.help()))?;
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

fn onset(options: &ProbeRead) -> Result<ExitCode, Failure> {
    let (recording, channels) = whole(&options.recording)?;
    let [act, sound, ..] = channels.as_slice() else {
        return Err(Failure::usage(
            format!("{} has one channel", options.recording.display()),
            "record two: the act (a contact microphone on the key) and the sound",
        ));
    };
    let found = probe::onsets(act, sound, recording.rate()).map_err(|e| {
        Failure::usage(
            format!("{}: {e}", options.recording.display()),
            "channel 1 hears the act, channel 2 the sound; play a dozen separate notes with a sharp attack",
        )
    })?;
    if options.json {
        return print_json(&views::probe::onset_json(&found, recording.rate()));
    }
    print(&views::probe::onset(&found, recording.rate()))
}
