//! Swift Loop: which driver, rate and buffer for each interface and phase, how long every performer's loop is,
//! how often the sound will break, and the smallest change that works.

mod cli;
mod commands;
mod failure;
mod views;

use clap::Parser;
use std::process::ExitCode;

fn main() -> ExitCode {
    let cli = cli::Cli::parse();
    cli.color.write_global();
    match commands::run(cli.command) {
        Ok(code) => code,
        Err(failure) => failure.report(),
    }
}
