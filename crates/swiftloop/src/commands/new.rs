//! `new`: two commented files to start from. On a terminal it asks the dozen questions that matter; with any
//! option, or piped, it asks nothing.

use super::{connection, driver_model, ids, listener, print, write_all};
use crate::cli::{Listening, NewOptions};
use crate::failure::Failure;
use crate::views::{Files, new as view};
use inquire::{Confirm, CustomType, InquireError, Select};
use std::io::IsTerminal;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::tables::Tables;
use swiftloop_core::units::Hz;
use swiftloop_files::{Answers, Overwrite, read_rig, tables};

pub fn run(options: &NewOptions) -> Result<ExitCode, Failure> {
    let tables = tables();
    let computer = swiftloop_host::look(&options.dir);
    let mut answers = Answers { driver: usual_driver().into(), ..Answers::default() };
    answers.cores = computer.cores.unwrap_or(answers.cores);
    answers.threads = computer.threads.unwrap_or(answers.cores).max(answers.cores);
    answers.memory_gb = computer.memory_gb.unwrap_or(answers.memory_gb);
    answers.disk_free_gb = computer.disk_free_gb.unwrap_or(answers.disk_free_gb);
    apply(options, &mut answers)?;

    let given = options.yes
        || options.driver.is_some()
        || options.connection.is_some()
        || options.rate.is_some()
        || options.playing.is_some()
        || options.listening.is_some()
        || options.tracks.is_some();
    if !given && std::io::stdin().is_terminal() && std::io::stdout().is_terminal() {
        match ask(&mut answers, tables) {
            Ok(()) => {}
            Err(InquireError::OperationCanceled | InquireError::OperationInterrupted) => {
                return Err(Failure::usage(
                    "stopped; nothing was written",
                    "start again, or add --yes for the usual answers",
                ));
            }
            Err(e) => {
                return Err(Failure::usage(
                    format!("cannot ask here: {e}"),
                    "add --yes, or say it with options",
                ));
            }
        }
    }
    let rig_file = options.dir.join("rig.toml");
    let kept = !options.force && rig_file.symlink_metadata().is_ok();
    if kept {
        fit_to(&rig_file, options, &mut answers)?;
    } else if !answers.rates_hz.contains(&answers.rate_hz) {
        answers.rates_hz.push(answers.rate_hz);
        answers.rates_hz.sort_unstable();
    }
    let session = ("session.toml", answers.session());
    let files = if kept { vec![session] } else { vec![("rig.toml", answers.rig()), session] };
    write_all(&options.dir, &files, Overwrite::forced(options.force))?;
    let at = |name: &str| options.dir.join(name).display().to_string();
    print(&view::written(&Files { rig: at("rig.toml"), session: at("session.toml") }, kept))
}

/// What a rig that is there already says goes before what is usual; it is never written over unasked.
fn fit_to(rig_file: &Path, options: &NewOptions, answers: &mut Answers) -> Result<(), Failure> {
    for (given, option) in
        [(options.driver.is_some(), "--driver"), (options.connection.is_some(), "--connection")]
    {
        if given {
            return Err(Failure::usage(
                format!("{} is there already, and {option} would change it", rig_file.display()),
                format!("leave out {option} to write a session beside it, or add --force to replace both"),
            ));
        }
    }
    let rig = read_rig(rig_file, tables())?;
    let offered = || rig.interfaces.iter().flat_map(|i| &i.drivers).flat_map(|d| &d.rates_hz);
    let usual = Hz::new(answers.rate_hz);
    if options.rate.is_none() && !offered().any(|r| *r == usual) {
        answers.rate_hz = offered().next().map_or(answers.rate_hz, |r| r.get());
    }
    Ok(())
}

/// The driver model to begin with on this operating system.
fn usual_driver() -> &'static str {
    match std::env::consts::OS {
        "macos" => "core-audio",
        "windows" => "asio",
        _ => "pipewire",
    }
}

fn apply(options: &NewOptions, answers: &mut Answers) -> Result<(), Failure> {
    if let Some(driver) = &options.driver {
        answers.driver.clone_from(&driver_model(driver)?.id);
    }
    if let Some(word) = &options.connection {
        answers.connection.clone_from(&connection(word)?.id);
    }
    if let Some(word) = &options.playing {
        answers.playing.clone_from(&listener(word)?.id);
    }
    if let Some(listening) = options.listening {
        answers.listening = listening.as_str().into();
        if listening == Listening::Direct {
            answers.direct = "plain".into();
        }
    }
    if let Some(rate) = options.rate {
        answers.rate_hz = rate.get();
    }
    if let Some(tracks) = options.tracks {
        if tracks > 2000 {
            return Err(Failure::usage(
                format!("{tracks} tracks are more than anybody keeps in a file by hand"),
                "try --tracks 2000 or fewer",
            ));
        }
        answers.tracks = tracks;
    }
    Ok(())
}

fn ask(answers: &mut Answers, tables: &'static Tables) -> Result<(), InquireError> {
    let choose = |question: &str, words: Vec<&str>, usual: &str| -> Result<String, InquireError> {
        let start = words.iter().position(|w| *w == usual).unwrap_or(0);
        Ok(Select::new(question, words).with_starting_cursor(start).prompt()?.to_string())
    };
    let number = |question: &str, usual: u32| CustomType::<u32>::new(question).with_default(usual).prompt();
    answers.class = choose("What kind of computer?", vec!["desktop", "laptop"], &answers.class)?;
    answers.cores = number("How many cores?", answers.cores)?.clamp(1, 1024);
    answers.threads = answers.threads.clamp(answers.cores, answers.cores * 8);
    answers.connection =
        choose("How is the interface connected?", ids(&tables.connection, |c| &c.id), &answers.connection)?;
    let system = std::env::consts::OS;
    let here: Vec<&str> = tables
        .driver
        .iter()
        .filter(|d| d.systems.iter().any(|s| s == system))
        .map(|d| d.id.as_str())
        .collect();
    let offered = if here.is_empty() { ids(&tables.driver, |d| &d.id) } else { here };
    answers.driver = choose("Which driver?", offered, &answers.driver)?;
    let rates: Vec<u32> = vec![44_100, 48_000, 88_200, 96_000];
    answers.rate_hz =
        Select::new("Rate of the finished work, in hertz?", rates).with_starting_cursor(1).prompt()?;
    answers.playing = choose("What is played?", ids(&tables.listener, |l| &l.id), &answers.playing)?;
    answers.listening = choose(
        "How does the performer listen?",
        vec!["headphones", "in-ears", "speakers", "direct"],
        &answers.listening,
    )?;
    answers.direct = choose(
        "What can the interface do for direct monitoring?",
        vec!["none", "plain", "effects"],
        if answers.listening == "direct" { "plain" } else { "none" },
    )?;
    answers.tracks = number("How many recorded tracks play along?", answers.tracks)?.min(2000);
    answers.main_lookahead =
        number("Look-ahead on the main output, in frames (0 for none)?", 0)?.min(1_000_000);
    answers.renders_ahead = Confirm::new("Does the software render recorded tracks ahead, in larger blocks?")
        .with_default(false)
        .prompt()?;
    Ok(())
}
