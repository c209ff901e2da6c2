//! `trace compare`: what went away and what came, and is it more than chance?

use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use crate::trace::compare_text::{Compared, json, show};
use crate::trace::options::TraceCompareOptions;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_files::trace::{TraceReading, read_trace};
use swiftloop_measure::trace::{TraceQuery, compare};

pub fn run(options: &TraceCompareOptions) -> Result<ExitCode, Failure> {
    let question = options.question.question();
    let (before, after) = (read(&options.before, &question)?, read(&options.after, &question)?);
    let found = compare((&before.told, before.hours()), (&after.told, after.hours()));
    let compared = Compared { files: [&options.before, &options.after], found: &found };
    answer(&options.shown, |_| show(&compared), || json(&compared))?;
    Ok(yes_or_no(found.is_better()))
}

/// One of the two; something of it has to be judged, or watched by us.
fn read(file: &Path, question: &TraceQuery) -> Result<TraceReading, Failure> {
    let reading = read_trace(file, question)?;
    if reading.told.is_judged() || reading.was_watched() || question.thread.is_some() {
        return Ok(reading);
    }
    Err(Failure::usage(
        format!("{}: no block of it can be judged", file.display()),
        "name the thread that plays with --thread and --period-us, as for trace read",
    ))
}
