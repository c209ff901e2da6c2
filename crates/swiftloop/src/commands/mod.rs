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

use crate::cli::{Cli, Command, Drawing, Probe, SchemaOf, Shown};
use crate::failure::Failure;
use crate::page::{clean, escaped, paint};
use crate::views::{Detail, Files};
use clap::CommandFactory;
use rayon::prelude::*;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::Workers;
use swiftloop_core::ids::{InterfaceId, PhaseId};
use swiftloop_core::loops::Context;
use swiftloop_core::rig::Rig;
use swiftloop_core::session::{Phase, Session};
use swiftloop_core::tables::{Connection, DriverModel, Listener};
use swiftloop_files::{FileError, Overwrite, read_rig, read_session, save, tables};

/// Runs a command.
pub fn run(command: Command) -> Result<ExitCode, Failure> {
    match command {
        Command::New(options) => new::run(&options),
        Command::Plan(options) => plan::run(&options),
        Command::Try(options) => match (&options.rig, &options.session) {
            (Some(rig), Some(session)) => trial::run(&options, rig, session),
            (None, _) | (_, None) => trial_fileless::run(&options),
        },
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

/// Prints a page to stdout, colours as the terminal and the options allow.
fn print(text: &str) -> Result<ExitCode, Failure> {
    let mut out = anstream::stdout().lock();
    out.write_all(paint(text).as_bytes())?;
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

/// Prints a JSON object. What could do something to a terminal stands in it as an escape.
fn print_json(value: &serde_json::Value) -> Result<ExitCode, Failure> {
    let text = serde_json::to_string_pretty(value).map_err(std::io::Error::other)?;
    raw(format!("{}\n", escaped(&text)).as_bytes())
}

/// Prints the answer as text or as JSON.
fn answer(
    shown: &Shown,
    text: impl FnOnce(Detail) -> String,
    value: impl FnOnce() -> serde_json::Value,
) -> Result<(), Failure> {
    if shown.json { print_json(&value()) } else { print(&text(Detail::of(shown.full))) }.map(|_| ())
}

/// Saves a drawing, if one is wanted.
fn draw(drawing: &Drawing, svg: impl FnOnce() -> Result<String, FileError>) -> Result<(), Failure> {
    let Some(file) = &drawing.svg else { return Ok(()) };
    Ok(save(file, clean(&svg()?).as_bytes(), Overwrite::forced(drawing.force))?)
}

/// The driver model called `word`.
fn driver_model(word: &str) -> Result<&'static DriverModel, Failure> {
    let all = &tables().driver;
    tables().driver_model(word).ok_or_else(|| unknown("driver model", word, &ids(all, |d| &d.id)))
}

/// The kind of connection called `word`.
fn connection(word: &str) -> Result<&'static Connection, Failure> {
    let all = &tables().connection;
    tables().connection(word).ok_or_else(|| unknown("connection", word, &ids(all, |c| &c.id)))
}

/// The way to play called `word`.
fn listener(word: &str) -> Result<&'static Listener, Failure> {
    let all = &tables().listener;
    tables().listener(word).ok_or_else(|| unknown("way to play", word, &ids(all, |l| &l.id)))
}

fn ids<T>(all: &'static [T], id: impl Fn(&'static T) -> &'static String) -> Vec<&'static str> {
    all.iter().map(|row| id(row).as_str()).collect()
}

/// A rig and a session that belong together.
struct Opened {
    rig: Rig,
    session: Session,
    files: Files,
}

impl Opened {
    fn read(rig_file: &Path, session_file: &Path) -> Result<Self, Failure> {
        let rig = read_rig(rig_file, tables())?;
        let session = read_session(session_file, &rig, tables())?;
        let name = |path: &Path| path.display().to_string();
        Ok(Self { rig, session, files: Files { rig: name(rig_file), session: name(session_file) } })
    }

    fn context(&self) -> Context<'_> {
        Context { tables: tables(), rig: &self.rig, session: &self.session }
    }

    /// Ids of all interfaces.
    fn interfaces(&self) -> Vec<&str> {
        self.rig.interfaces.iter().map(|i| i.id.as_str()).collect()
    }

    /// Ids of all phases.
    fn phases(&self) -> Vec<&str> {
        self.session.phases.iter().map(|p| p.id()).collect()
    }

    /// The interface and phase that were asked for, or the only ones there are. Any phase may be asked for on any
    /// interface; only the one that is taken unasked is among those meant for it.
    fn place(&self, interface: Option<&str>, phase: Option<&str>) -> Result<(InterfaceId, PhaseId), Failure> {
        let interface = InterfaceId::from(pick("interface", interface, &self.interfaces())?);
        let id = &self.rig.interface(interface).id;
        let meant = |p: &Phase| p.interfaces.as_ref().is_none_or(|all| all.contains(id));
        let on_it: Vec<PhaseId> =
            self.session.phase_ids().filter(|(_, p)| meant(p)).map(|(at, _)| at).collect();
        match (phase, on_it.as_slice()) {
            (None, [one]) => Ok((interface, *one)),
            (asked, _) => Ok((interface, PhaseId::from(pick("phase", asked, &self.phases())?))),
        }
    }
}

/// Writes several new files into `dir`, made if missing: all of them or, when one exists already, none.
fn write_all(dir: &Path, files: &[(&str, String)], overwrite: Overwrite) -> Result<(), Failure> {
    let made = |e: std::io::Error| FileError::unwritable(dir, &e);
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
