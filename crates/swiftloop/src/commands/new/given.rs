//! What is known before anybody is asked: this computer, the options, a rig that is there already.

use crate::cli::{Listening, NewOptions};
use crate::failure::Failure;
use crate::named::{connection, driver_model, listener};
use std::path::Path;
use swiftloop_core::session::Listens;
use swiftloop_core::units::Hz;
use swiftloop_files::{Answers, read_rig, tables};

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
