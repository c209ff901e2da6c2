//! `trace`: who steals the time.

#[cfg(target_os = "linux")]
use super::record;
use super::{compare, read};
use crate::shared::failure::Failure;
use crate::shared::watchdog::stand_by;
use crate::trace::options::ClearTraceOptions;
use crate::trace::options::Trace;
use std::process::ExitCode;

pub fn run(trace: &Trace) -> Result<ExitCode, Failure> {
    match trace {
        #[cfg(target_os = "linux")]
        Trace::Record(options) => record::run(options),
        Trace::Read(options) => read::run(options),
        Trace::Compare(options) => compare::run(options),
    }
}

#[cfg(target_os = "linux")]
/// `clear-trace`: the sentinel itself.
pub fn clear(options: &ClearTraceOptions) -> Result<ExitCode, Failure> {
    if stand_by()? {
        swiftloop_host::trace::remove(&options.place);
        if let Some(unfinished) = &options.unfinished {
            let _ = std::fs::remove_file(unfinished);
        }
    }
    Ok(ExitCode::SUCCESS)
}
