//! `trace read`: who held the processor when a block was late?

use crate::shared::answer::Detail;
use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use crate::shared::page::clean;
use crate::shared::project::AllCores;
use crate::trace::options::TraceReadOptions;
use crate::trace::{TraceRead, json, lanes, ranking, read_text as view};
use std::path::Path;
use std::process::ExitCode;
use swiftloop_files::trace::{TraceReading, read_trace};
use swiftloop_files::{Overwrite, Recording, save};
use swiftloop_measure::listen;
use swiftloop_measure::listen::AudioSource;
use swiftloop_measure::trace::{MatchedCrackles, TraceQuery};

pub fn run(options: &TraceReadOptions) -> Result<ExitCode, Failure> {
    let question = TraceQuery { lanes: options.lanes.is_some(), ..options.question.question() };
    let mut reading = read_trace(&options.file, &question)?;
    let with = options.recording.as_deref().map(|r| crackling(&mut reading, r, options.began)).transpose()?;
    let count = reading.told.late.len();
    if let Some(block) = options.block.filter(|b| *b as usize > count) {
        return Err(Failure::usage(
            format!("there is no late block {block}"),
            if count == 0 {
                "the trace has none at all".to_string()
            } else {
                format!("it has {count}: ask for one of 1 to {count}")
            },
        ));
    }
    let read = TraceRead {
        file: &options.file,
        reading: &reading,
        thread: options.question.thread.as_deref(),
        heard: with.as_ref().map(Option::as_ref),
        chosen: options.block.map(|b| b as usize - 1),
    };
    if read.is_blind() {
        return Err(Failure::Question(view::show(&read, Detail::of(options.shown.full))));
    }
    let overwrite = Overwrite::forced(options.force);
    if let Some(file) = &options.lanes {
        let Some((_, block)) = read.told() else {
            return Err(Failure::usage("no block was late: there is nothing to draw", "leave out --lanes"));
        };
        if block.lanes.is_empty() {
            return Err(Failure::usage(
                "what the cores did is kept of the first late blocks only, and this is a later one",
                "draw an earlier one, such as --block 1",
            ));
        }
        save(file, clean(&lanes::svg(block, &reading.names)).as_bytes(), overwrite)?;
    }
    if let Some(file) = &options.ranking {
        save(file, clean(&ranking::svg(&reading.told)).as_bytes(), overwrite)?;
    }
    answer(&options.shown, |detail| view::show(&read, detail), || json::json(&read))?;
    Ok(yes_or_no(read.late().is_empty()))
}

/// Leaves only those late blocks at which a recording crackles.
fn crackling(
    reading: &mut TraceReading,
    recording: &Path,
    began: Option<f64>,
) -> Result<Option<MatchedCrackles>, Failure> {
    let recording = Recording::open(recording)?;
    let scan = listen::listen(&recording, &AllCores, |_| ())?;
    let rate = f64::from(recording.rate().get());
    let crackles: Vec<f64> = scan.events.iter().map(|e| e.start as f64 / rate).collect();
    let (told, found) = std::mem::take(&mut reading.told).beside(&crackles, began);
    reading.told = told;
    Ok(found)
}
