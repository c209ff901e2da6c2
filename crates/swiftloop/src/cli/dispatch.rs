//! Which feature answers which command.

use crate::cli::{Cli, Command};
use crate::manual::options::SchemaOf;
use crate::probe::options::ProbeCommand;
use crate::shared::failure::Failure;
use crate::shared::output::{print, raw};
#[cfg(target_os = "linux")]
use crate::{apply, watch, weigh};
use crate::{
    check, collect, demo, import, link, listen, manual, new, note, plan, probe, sheet, soak, survey, trace,
    trial, why,
};
use clap::CommandFactory;
use std::process::ExitCode;

/// Runs a command.
pub fn run(command: Command) -> Result<ExitCode, Failure> {
    match command {
        Command::New(options) => new::run(&options),
        Command::Import(options) => import::run::run(&options),
        Command::Plan(options) => plan::run::run(&options),
        Command::Note(options) => note::run::run(&options),
        Command::Try(options) => match (&options.rig, &options.session) {
            (Some(rig), Some(session)) => trial::run::run(&options, rig, session),
            (None, _) | (_, None) => trial::fileless::run(&options),
        },
        Command::Probe(ProbeCommand::Make(options)) => probe::make::run(&options),
        Command::Probe(ProbeCommand::Read(options)) => probe::read::run(&options),
        Command::Probe(ProbeCommand::Fit(options)) => probe::fit::run(&options),
        Command::Probe(ProbeCommand::Run(options)) => probe::run::run(&options),
        Command::Listen(options) => listen::run::run(&options),
        Command::Survey(options) => survey::run::run(&options),
        Command::Soak(options) => soak::run::run(&options),
        Command::KeepBuffer(options) => soak::machine::keep(&options),
        #[cfg(target_os = "linux")]
        Command::Weigh(options) => weigh::run::run(&options),
        #[cfg(target_os = "linux")]
        Command::WeighInside(options) => Ok(weigh::run::inside(&options)),
        #[cfg(target_os = "linux")]
        Command::SoakInside(options) => Ok(soak::run::inside(&options)),
        Command::Trace(options) => trace::run::run(&options),
        Command::Why(options) => why::run::run(&options),
        #[cfg(target_os = "linux")]
        Command::ClearTrace(options) => trace::run::clear(&options),
        Command::Link(link) => link::run::run(&link),
        Command::Sheet(options) => sheet::run::run(&options),
        Command::Check(options) => check::run::run(&options),
        Command::Collect(options) => collect::run::run(&options),
        #[cfg(target_os = "linux")]
        Command::Apply(options) => apply::run::run(&options),
        #[cfg(target_os = "linux")]
        Command::Watch(options) => watch::run::run(&options),
        #[cfg(not(target_os = "linux"))]
        Command::Apply(_) | Command::Watch(_) => Err(Failure::machine(
            "apply sets things, and watch looks, on Linux only",
            "swiftloop check tells what to set with your hands: first swiftloop collect, then name the copy that it makes",
        )),
        #[cfg(target_os = "linux")]
        Command::PutBack(options) => apply::back::put_back_quietly(&options),
        #[cfg(target_os = "linux")]
        Command::HoldAwake(options) => apply::holder::hold(&options),
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
        Command::Man { into: Some(folder), force } => manual::run::write(Cli::command(), &folder, force),
        Command::Man { into: None, .. } => raw(&manual::run::first(Cli::command())?),
    }
}
