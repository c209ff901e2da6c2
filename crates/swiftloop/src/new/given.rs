//! What is known before anybody is asked: this computer, the options, a rig that is there already.

use crate::new::options::NewOptions;
use crate::shared::failure::Failure;
use crate::shared::lookup::{connection, driver_model, ids, listener, unknown};
use crate::shared::options::Listening;
use std::path::Path;
use swiftloop_core::session::Listens;
use swiftloop_files::{Answers, read_rig, tables};
use swiftloop_units::Hz;

/// What this computer says, and the usual for the rest.
pub fn usual(dir: &Path) -> Answers {
    let computer = swiftloop_host::look(dir);
    let mut answers = Answers { driver: usual_driver().into(), ..Answers::default() };
    answers.cores = computer.cores.unwrap_or(answers.cores);
    answers.threads = computer.threads.unwrap_or(answers.cores).max(answers.cores);
    answers.memory_gb = computer.memory_gb.unwrap_or(answers.memory_gb);
    answers.disk_free_gb = computer.disk_free_gb.unwrap_or(answers.disk_free_gb);
    answers
}

/// Whoever gives an answer, or wants the usual ones, is asked nothing.
pub fn anything(options: &NewOptions) -> bool {
    options.yes
        || options.driver.is_some()
        || options.connection.is_some()
        || options.rate.is_some()
        || options.playing.is_some()
        || options.listening.is_some()
        || options.tracks.is_some()
        || options.instruments.is_some()
        || options.memory_each.is_some()
        || !options.phases.is_empty()
        || options.meter.is_some()
}

/// What a rig that is there already says goes before what is usual; it is never written over unasked.
pub fn fit_to(rig_file: &Path, options: &NewOptions, answers: &mut Answers) -> Result<(), Failure> {
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

/// What the options say.
pub fn apply(options: &NewOptions, answers: &mut Answers) -> Result<(), Failure> {
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
        answers.listening = Listens::from(listening).as_str().into();
        if listening == Listening::Direct {
            answers.direct = "plain".into();
        }
    }
    if let Some(rate) = options.rate {
        answers.rate_hz = rate.get();
    }
    answers.tracks = few("--tracks", options.tracks, answers.tracks)?;
    answers.instruments = few("--instruments", options.instruments, answers.instruments)?;
    if let Some(memory) = options.memory_each {
        if !(0.0..=1000.0).contains(&memory) {
            return Err(Failure::usage(
                format!("an instrument does not hold {memory} GB"),
                "write what each holds, in gigabytes: --memory-each 1.8",
            ));
        }
        answers.memory_each_gb = memory;
    }
    if !options.phases.is_empty() {
        answers.phases = phases(&options.phases)?;
    }
    Ok(())
}

/// So many tracks of one kind.
fn few(option: &str, asked: Option<u32>, usual: u32) -> Result<u32, Failure> {
    const MOST: u32 = 2000;
    match asked {
        Some(n) if n > MOST => Err(Failure::usage(
            format!("{n} tracks are more than any session has"),
            format!("try {option} {MOST} or fewer"),
        )),
        asked => Ok(asked.unwrap_or(usual)),
    }
}

/// Kinds of phases, each once.
fn phases(words: &[String]) -> Result<Vec<String>, Failure> {
    let mut all: Vec<String> = Vec::new();
    for word in words {
        let kind = tables()
            .phase_kind(word.trim())
            .ok_or_else(|| unknown("kind of phase", word, &ids(&tables().phase, |p| &p.id)))?;
        if all.contains(&kind.id) {
            return Err(Failure::usage(
                format!("{word} is there twice"),
                "name each kind once; what differs in a second one is written into the session by hand",
            ));
        }
        all.push(kind.id.clone());
    }
    Ok(all)
}

/// What a meter shows.
#[derive(Debug, Clone, PartialEq)]
pub struct ShownMeter {
    pub percent: f64,
    pub buffer: String,
}

/// `40@512`: so many percent, at that buffer.
pub fn meter(word: &str) -> Result<ShownMeter, Failure> {
    let wrong = || {
        Failure::usage(
            format!("`{word}` does not say what a meter shows at which buffer"),
            "write percent and buffer: --meter 40@512",
        )
    };
    let (percent, buffer) = word.split_once('@').ok_or_else(wrong)?;
    let percent: f64 = percent.trim().trim_end_matches('%').parse().map_err(|_| wrong())?;
    if !(percent > 0.0 && percent <= 100.0) || buffer.trim().is_empty() {
        return Err(wrong());
    }
    Ok(ShownMeter { percent, buffer: buffer.trim().into() })
}
