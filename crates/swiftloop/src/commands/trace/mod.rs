//! `trace`: who steals the time.

mod compare;
mod read;
#[cfg(target_os = "linux")]
mod record;

use crate::cli::{Trace, TraceQuestion};
use crate::failure::Failure;
use std::process::ExitCode;
use swiftloop_measure::trace::{Question, Span};

pub fn run(trace: &Trace) -> Result<ExitCode, Failure> {
    match trace {
        #[cfg(target_os = "linux")]
        Trace::Record(options) => record::run(options),
        Trace::Read(options) => read::run(options),
        Trace::Compare(options) => compare::run(options),
    }
}

/// What the options ask.
pub fn question(options: &TraceQuestion) -> Question {
    Question {
        thread: options.thread.clone(),
        period: options.period_us.map(Span::from_us),
        allowed: options.in_time_us.map(Span::from_us),
        lanes: false,
    }
}
