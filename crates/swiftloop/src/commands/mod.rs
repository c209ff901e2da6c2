//! One file per command. A command reads files, calls the core, shows a view.

#[cfg(target_os = "linux")]
mod apply;
mod check;
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
mod sheet;
mod soak;
mod survey;
mod trace;
mod trial;
#[cfg(target_os = "linux")]
mod watch;
#[cfg(target_os = "linux")]
mod weigh;
mod why;

use crate::cli::{Cli, Command, Probe, SchemaOf};
use crate::failure::Failure;
use crate::output::{print, raw};
use clap::CommandFactory;
use std::process::ExitCode;

/// Runs a command.
pub fn run(command: Command) -> Result<ExitCode, Failure> {
    match command {
        Command::New(options) => new::run(&options),
        Command::Import(options) => import::run(&options),
        Command::Plan(options) => plan::run(&options),
        Command::Note(options) => note::run(&options),
        Command::Try(options) => match (&options.rig, &options.session) {
            (Some(rig), Some(session)) => trial::run(&options, rig, session),
            (None, _) | (_, None) => trial::fileless::run(&options),
        },
        Command::Probe(Probe::Make(options)) => probe::make::run(&options),
        Command::Probe(Probe::Read(options)) => probe::read::run(&options),
        Command::Probe(Probe::Fit(options)) => probe::fit::run(&options),
        Command::Probe(Probe::Run(options)) => probe::run::run(&options),
        Command::Listen(options) => listen::run(&options),
        Command::Survey(options) => survey::run(&options),
        Command::Soak(options) => soak::run(&options),
        Command::KeepBuffer(options) => crate::soaking::keep(&options),
        #[cfg(target_os = "linux")]
        Command::Weigh(options) => weigh::run(&options),
        #[cfg(target_os = "linux")]
        Command::WeighInside(options) => Ok(weigh::inside(&options)),
        #[cfg(target_os = "linux")]
        Command::SoakInside(options) => Ok(soak::inside(&options)),
        Command::Trace(options) => trace::run(&options),
        Command::Why(options) => why::run(&options),
        #[cfg(target_os = "linux")]
        Command::ClearTrace(options) => crate::tracing::clear(&options),
        Command::Link(link) => link::run(&link),
        Command::Sheet(options) => sheet::run(&options),
        Command::Check(options) => check::run(&options),
        Command::Collect(options) => collect::run(&options),
        #[cfg(target_os = "linux")]
        Command::Apply(options) => apply::run(&options),
        #[cfg(target_os = "linux")]
        Command::Watch(options) => watch::run(&options),
        #[cfg(not(target_os = "linux"))]
        Command::Apply(_) | Command::Watch(_) => Err(Failure::machine(
            "apply sets things, and watch looks, on Linux only",
            "swiftloop check tells what to set with your hands: first swiftloop collect, then name the copy that it makes",
        )),
        #[cfg(target_os = "linux")]
        Command::PutBack(options) => crate::in_effect::put_back_quietly(&options),
        #[cfg(target_os = "linux")]
        Command::HoldAwake(options) => crate::in_effect::hold(&options),
        Command::Demo(options) => demo::run(&options),
        Command::Schema { file } => {
            let schema = match file {
                SchemaOf::Rig => swiftloop_files::rig_schema(),
                SchemaOf::Session => swiftloop_files::session_schema(),
                SchemaOf::Notes => swiftloop_files::notes_schema(),
                SchemaOf::Settings => swiftloop_files::settings_schema(),
            };
            print(&format!("{schema:#}\n"))
        }
        Command::Completions { shell } => {
            let mut text = Vec::new();
            clap_complete::generate(shell, &mut Cli::command(), "swiftloop", &mut text);
            raw(&text)
        }
        Command::Man { into: Some(folder), force } => manual::write(&folder, force),
        Command::Man { into: None, .. } => raw(&manual::first()?),
    }
}
