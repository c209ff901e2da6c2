//! Swift Loop: which driver, rate and buffer for each interface and phase, how late every performer hears themselves,
//! how often the sound will break, and the smallest change that works.
#![forbid(unsafe_code)]

mod cli;
mod commands;
mod failure;
mod in_effect;
mod kept;
mod named;
mod opened;
mod output;
mod page;
mod printing;
mod probing;
mod sentinel;
mod soaking;
#[cfg(target_os = "linux")]
mod tracing;
mod usage;
mod views;
#[cfg(target_os = "linux")]
mod weighing;
mod words;

use clap::Parser;
use std::process::ExitCode;

fn main() -> ExitCode {
    let cli = match cli::Cli::try_parse() {
        Ok(cli) => cli,
        Err(error) => match usage::failure(&error) {
            Some(failure) => return failure.report(),
            None => error.exit(),
        },
    };
    cli.color.write_global();
    match commands::run(cli.command) {
        Ok(code) => code,
        Err(failure) => failure.report(),
    }
}
