//! `weigh`: what processors really cost and how late they are, each run in a process of its own.

use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use crate::shared::processors::{Searched, libraries, of_session};
use crate::weigh::options::{WeighInsideOptions, WeighOptions};
use crate::weigh::{Weighing, text as view};
use std::process::ExitCode;
use swiftloop_files::{read_text, session_alone, tables};
use swiftloop_host::weigh::{ChildTask, run_inside};
use swiftloop_measure::weigh::Yardsticks;

pub fn run(options: &WeighOptions) -> Result<ExitCode, Failure> {
    let mut weighing = Weighing::new(options.into(), &options.catalogue, options.floor.as_deref())?;
    let searched = match &options.session {
        Some(file) => {
            let session = session_alone(&file.display().to_string(), &read_text(file)?, tables())?;
            of_session(weighing.program(), &session, &options.libraries, options.id.as_deref())?
        }
        None => {
            let found = libraries(weighing.program(), &options.libraries, options.id.as_deref())?;
            Searched { found, ..Searched::default() }
        }
    };
    let found = weighing.all(&searched.found)?;
    let told = view::WeighAnswer {
        found: &found,
        missing: &searched.missing,
        kept: weighing.place(),
        session: options.session.as_deref(),
    };
    answer(&options.shown, |detail| view::show(&told, detail), || view::json(&told))?;
    Ok(yes_or_no(told.is_whole()))
}

/// `weigh-inside`: the process that runs a processor.
pub fn inside(options: &WeighInsideOptions) -> ExitCode {
    let floor = match options.floor.as_slice() {
        [latency_ns, throughput_ns] => {
            Some(Yardsticks { latency_ns: *latency_ns, throughput_ns: *throughput_ns })
        }
        _ => None,
    };
    ExitCode::from(run_inside(&ChildTask {
        library: options.library.clone(),
        standard: options.standard.clone(),
        id: options.id.clone(),
        rates_hz: options.rates.clone(),
        blocks: options.blocks.clone(),
        settings: options.settings.clone(),
        floor: floor.filter(|f| f.is_possible()),
        below: options.below,
    }))
}
