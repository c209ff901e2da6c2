//! `trace`: who steals the time.

#[cfg(target_os = "linux")]
use super::record;
use super::{compare, read};
use crate::shared::failure::Failure;
#[cfg(target_os = "linux")]
use crate::shared::watchdog::stand_by;
#[cfg(target_os = "linux")]
use crate::trace::options::ClearTraceOptions;
use crate::trace::options::TraceCommand;
use std::process::ExitCode;

pub fn run(trace: &TraceCommand) -> Result<ExitCode, Failure> {
    match trace {
        #[cfg(target_os = "linux")]
        TraceCommand::Record(options) => record::run(options),
        TraceCommand::Read(options) => read::run(options),
        TraceCommand::Compare(options) => compare::run(options),
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
