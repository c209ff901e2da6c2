//! `new`: two commented files to start from. On a terminal it asks the dozen questions that matter; with any
//! option, or piped, it asks nothing.

use super::{print, unknown, write_all};
use crate::cli::New;
use crate::failure::Failure;
use inquire::{Confirm, CustomType, InquireError, Select};
use std::io::IsTerminal;
use std::process::ExitCode;
use swiftloop_core::tables::Tables;
use swiftloop_files::{Answers, Overwrite, tables};

pub fn run(options: &New) -> Result<ExitCode, Failure> {
    let tables = tables();
    let computer = swiftloop_host::look(&options.dir);
    let mut answers = Answers { driver: usual_driver().into(), ..Answers::default() };
    answers.cores = computer.cores.unwrap_or(answers.cores);
    answers.threads = computer.threads.unwrap_or(answers.cores).max(answers.cores);
    answers.memory_gb = computer.memory_gb.unwrap_or(answers.memory_gb);
    answers.disk_free_gb = computer.disk_free_gb.unwrap_or(answers.disk_free_gb);
    apply(options, &mut answers, tables)?;

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
    if !answers.rates_hz.contains(&answers.rate_hz) {
        answers.rates_hz.push(answers.rate_hz);
        answers.rates_hz.sort_unstable();
    }
    let files = [("rig.toml", answers.rig()), ("session.toml", answers.session())];
    let overwrite = if options.force { Overwrite::Allow } else { Overwrite::Refuse };
    write_all(&options.dir, &files, overwrite)?;
    let at = |name: &str| options.dir.join(name).display().to_string();
    print(&format!(
        "Written: {rig}, {session}\n\nBoth are commented: correct what is not so. Then:\n  swiftloop plan {rig} {session}\n",
        rig = at("rig.toml"),
        session = at("session.toml")
    ))
}

/// The driver model to begin with on this operating system.
fn usual_driver() -> &'static str {
    match std::env::consts::OS {
        "macos" => "core-audio",
        "windows" => "asio",
        _ => "pipewire",
    }
}

fn apply(options: &New, answers: &mut Answers, tables: &Tables) -> Result<(), Failure> {
    let check = |kind: &str, word: &String, known: Vec<&str>| {
        if known.contains(&word.as_str()) { Ok(word.clone()) } else { Err(unknown(kind, word, &known)) }
    };
    if let Some(driver) = &options.driver {
        answers.driver = check("driver model", driver, drivers(tables))?;
    }
    if let Some(connection) = &options.connection {
        answers.connection = check("connection", connection, connections(tables))?;
    }
    if let Some(playing) = &options.playing {
        answers.playing = check("way to play", playing, playable(tables))?;
    }
    if let Some(listening) = options.listening {
        answers.listening = listening.word().into();
        if listening == crate::cli::Listening::Direct {
            answers.direct = "plain".into();
        }
    }
    if let Some(rate) = options.rate {
        answers.rate_hz = rate.0;
    }
    if let Some(tracks) = options.tracks {
        if tracks > 2000 {
            return Err(Failure::usage(
                format!("{tracks} tracks are more than a file by hand bears"),
                "at most 2000",
            ));
        }
        answers.tracks = tracks;
    }
    Ok(())
}

fn drivers(tables: &Tables) -> Vec<&str> {
    tables.driver.iter().map(|d| d.id.as_str()).collect()
}

fn connections(tables: &Tables) -> Vec<&str> {
    tables.connection.iter().map(|c| c.id.as_str()).collect()
}

fn playable(tables: &Tables) -> Vec<&str> {
    tables.listener.iter().map(|l| l.id.as_str()).collect()
}

fn ask(answers: &mut Answers, tables: &Tables) -> Result<(), InquireError> {
    let choose = |question: &str, words: Vec<&str>, usual: &str| -> Result<String, InquireError> {
        let start = words.iter().position(|w| *w == usual).unwrap_or(0);
        Ok(Select::new(question, words).with_starting_cursor(start).prompt()?.to_string())
    };
    let number = |question: &str, usual: u32| CustomType::<u32>::new(question).with_default(usual).prompt();
    answers.class = choose("What kind of computer?", vec!["desktop", "laptop"], &answers.class)?;
    answers.cores = number("How many cores?", answers.cores)?.clamp(1, 1024);
    answers.threads = answers.threads.clamp(answers.cores, answers.cores * 8);
    answers.connection = choose("How is the interface connected?", connections(tables), &answers.connection)?;
    let system = std::env::consts::OS;
    let here: Vec<&str> = tables
        .driver
        .iter()
        .filter(|d| d.systems.iter().any(|s| s == system))
        .map(|d| d.id.as_str())
        .collect();
    let offered = if here.is_empty() { drivers(tables) } else { here };
    answers.driver = choose("Which driver?", offered, &answers.driver)?;
    let rates: Vec<u32> = vec![44_100, 48_000, 88_200, 96_000];
    answers.rate_hz =
        Select::new("Rate of the finished work, in hertz?", rates).with_starting_cursor(1).prompt()?;
    answers.playing = choose("What is played?", playable(tables), &answers.playing)?;
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
