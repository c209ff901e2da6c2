//! One file per command. A command reads files, calls the core, shows a view.

mod demo;
mod listen;
mod new;
mod plan;
mod probe;
mod probe_fit;
mod recordings;
mod soak;
mod survey;
mod trial;
mod trial_fileless;

use crate::cli::{Cli, Command, Probe, SchemaOf};
use crate::failure::Failure;
use clap::CommandFactory;
use rayon::prelude::*;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::choice::Workers;
use swiftloop_files::{FileError, Overwrite, save};

/// Runs a command.
pub fn run(command: Command) -> Result<ExitCode, Failure> {
    match command {
        Command::New(options) => new::run(&options),
        Command::Plan(options) => plan::run(&options),
        Command::Try(options) if options.rig.is_none() => trial_fileless::run(&options),
        Command::Try(options) => trial::run(&options),
        Command::Probe(Probe::Make(options)) => probe::make(&options),
        Command::Probe(Probe::Read(options)) => probe::read(&options),
        Command::Probe(Probe::Fit(options)) => probe_fit::run(&options),
        Command::Listen(options) => listen::run(&options),
        Command::Survey(options) => survey::run(&options),
        Command::Soak(options) => soak::run(&options),
        Command::KeepBuffer(options) => soak::keep(&options),
        Command::Demo(options) => demo::run(&options),
        Command::Schema { file } => {
            let schema = match file {
                SchemaOf::Rig => swiftloop_files::rig_schema(),
                SchemaOf::Session => swiftloop_files::session_schema(),
            };
            print(&format!("{schema:#}\n"))
        }
        Command::Completions { shell } => {
            let mut text = Vec::new();
            clap_complete::generate(shell, &mut Cli::command(), "swiftloop", &mut text);
            raw(&text)
        }
        Command::Man => {
            let mut text = Vec::new();
            clap_mangen::Man::new(Cli::command()).render(&mut text)?;
            raw(&text)
        }
    }
}

/// Prints a result to stdout, colours as the terminal and the options allow.
fn print(text: &str) -> Result<ExitCode, Failure> {
    let mut out = anstream::stdout().lock();
    out.write_all(text.as_bytes())?;
    out.flush()?;
    Ok(ExitCode::SUCCESS)
}

/// Prints bytes that are not for people.
fn raw(bytes: &[u8]) -> Result<ExitCode, Failure> {
    let mut out = std::io::stdout().lock();
    out.write_all(bytes)?;
    out.flush()?;
    Ok(ExitCode::SUCCESS)
}

/// Prints a JSON object.
fn print_json(value: &serde_json::Value) -> Result<ExitCode, Failure> {
    let mut text = serde_json::to_vec_pretty(value).map_err(std::io::Error::other)?;
    text.push(b'\n');
    raw(&text)
}

/// Writes several new files into `dir`, made if missing: all of them or, when one exists already, none.
fn write_all(dir: &Path, files: &[(&str, String)], overwrite: Overwrite) -> Result<(), Failure> {
    let made = |e: std::io::Error| FileError::Unwritable { path: dir.into(), why: e.to_string() };
    let taken = files.iter().map(|(name, _)| dir.join(name)).find(|p| p.symlink_metadata().is_ok());
    if let (Overwrite::Refuse, Some(path)) = (overwrite, taken) {
        return Err(FileError::Exists { path }.into());
    }
    std::fs::create_dir_all(dir).map_err(made)?;
    for (name, content) in files {
        save(&dir.join(name), content.as_bytes(), overwrite)?;
    }
    Ok(())
}

/// 0 for yes, 1 for no.
fn yes_or_no(yes: bool) -> ExitCode {
    if yes { ExitCode::SUCCESS } else { ExitCode::from(1) }
}

/// A usage failure for an id that does not exist, with the nearest that does.
fn unknown(kind: &str, id: &str, known: &[&str]) -> Failure {
    let help = match swiftloop_core::rig::nearest(id, known) {
        Some(near) => format!("did you mean `{near}`? There are: {}", known.join(", ")),
        None => format!("there are: {}", known.join(", ")),
    };
    Failure::usage(format!("there is no {kind} called `{id}`"), help)
}

/// The one that was asked for, or the only one there is.
fn pick(kind: &str, asked: Option<&str>, known: &[&str]) -> Result<usize, Failure> {
    match asked {
        Some(id) => known.iter().position(|k| *k == id).ok_or_else(|| unknown(kind, id, known)),
        None if known.len() == 1 => Ok(0),
        None => Err(Failure::usage(
            format!("which {kind}?"),
            format!("add --{kind} with one of: {}", known.join(", ")),
        )),
    }
}

/// All cores of this computer.
struct AllCores;

impl Workers for AllCores {
    fn map<T: Send, R: Send>(&self, items: Vec<T>, each: impl Fn(T) -> R + Sync + Send) -> Vec<R> {
        items.into_par_iter().map(each).collect()
    }
}
