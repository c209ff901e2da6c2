//! Swift Loop's commands, from arguments to exit code. In come the arguments, as the shell hands them over; out go an
//! answer on stdout, what is wrong on stderr, the files that were asked for, and the exit code. The program is this and
//! nothing else, so that whoever wants to try it on ten million inputs can do so without starting it ten million times.
#![forbid(unsafe_code)]
// They panic where nothing can be written; `output` does not.
#![cfg_attr(not(test), deny(clippy::print_stderr, clippy::print_stdout))]

mod apply;
mod check;
mod cli;
mod collect;
mod demo;
mod import;
mod link;
mod listen;
mod manual;
mod new;
mod note;
mod plan;
mod probe;
mod shared;
mod sheet;
mod soak;
mod survey;
mod trace;
mod trial;
mod watch;
mod weigh;
mod why;

use clap::Parser;
use std::ffi::OsString;
use std::process::ExitCode;

/// Does what the arguments ask for; the first is the program's own name. Ends the process where only help or the
/// version is asked for.
pub fn run(arguments: impl IntoIterator<Item = OsString>) -> ExitCode {
    let cli = match cli::Cli::try_parse_from(arguments) {
        Ok(cli) => cli,
        Err(error) => match cli::usage::failure(&error) {
            Some(failure) => return failure.report(),
            None => error.exit(),
        },
    };
    cli.color.write_global();
    match cli::dispatch::run(cli.command) {
        Ok(code) => code,
        Err(failure) => failure.report(),
    }
}
