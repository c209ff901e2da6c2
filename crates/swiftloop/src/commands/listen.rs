//! `listen`: is this recording free of crackles, and where did they come from?

use super::{AllCores, print, print_json, yes_or_no};
use crate::cli::Listen;
use crate::failure::Failure;
use crate::views::{self, listen::Heard};
use std::process::ExitCode;
use swiftloop_core::listen::against::{AgainstRefusal, Failed};
use swiftloop_core::listen::{self, Programme};
use swiftloop_files::{FileError, Overwrite, Recording, save};

pub fn run(options: &Listen) -> Result<ExitCode, Failure> {
    let recording = Recording::open(&options.recording)?;
    let bar = views::listen::progress();
    let findings = listen::listen(&recording, &AllCores, |share| bar.set_position((share * 1000.0) as u64))?;
    let comparison = match &options.against {
        Some(path) => Some(against(&recording, path, options)?),
        None => None,
    };
    bar.finish_and_clear();
    let heard = Heard { recording: &recording, findings: &findings, comparison: comparison.as_ref() };
    if let Some(file) = &options.svg {
        let overwrite = if options.force { Overwrite::Allow } else { Overwrite::Refuse };
        save(file, views::timeline::draw(&heard)?.as_bytes(), overwrite)?;
    }
    if options.json {
        print_json(&views::listen::json(&heard))?;
    } else {
        print(&views::listen::show(&options.recording, &heard))?;
    }
    Ok(yes_or_no(heard.events().is_empty()))
}

fn against(
    recording: &Recording,
    path: &std::path::Path,
    options: &Listen,
) -> Result<listen::Comparison, Failure> {
    let original = Recording::open(path)?;
    if original.rate() != recording.rate() {
        return Err(Failure::usage(
            format!(
                "{}: {} Hz, {}: {} Hz",
                options.recording.display(),
                recording.rate(),
                path.display(),
                original.rate()
            ),
            "compare at one rate: convert neither, record again at the original's",
        ));
    }
    listen::compare(recording, &original).map_err(|failed: Failed<FileError, FileError>| match failed {
        Failed::Recording(e) | Failed::Original(e) => e.into(),
        Failed::Refused(why) => {
            let help = match why {
                AgainstRefusal::Lost { .. } => {
                    "listen without --against, or read the drift with swiftloop probe"
                }
                _ => "check that this is what was played; listen without --against if it is lost",
            };
            Failure::usage(format!("{}: {why}", options.recording.display()), help)
        }
    })
}
