//! The questions of `new`, asked on a terminal: only those that what is played leaves open.

use crate::shared::failure::Failure;
use crate::shared::lookup::ids;
use inquire::{Confirm, CustomType, InquireError, Select};
use swiftloop_core::tables::Tables;
use swiftloop_files::{Answers, tables};

/// Asks all of them; what is in `answers` already is the usual answer.
pub fn ask(answers: &mut Answers) -> Result<(), Failure> {
    questions(answers, tables()).map_err(|why| match why {
        InquireError::OperationCanceled | InquireError::OperationInterrupted => {
            Failure::usage("stopped; nothing was written", "start again, or add --yes for the usual answers")
        }
        e @ InquireError::NotTTY
        | e @ InquireError::InvalidConfiguration(_)
        | e @ InquireError::IO(_)
        | e @ InquireError::Custom(_) => {
            Failure::usage(format!("cannot ask here: {e}"), "add --yes, or say it with options")
        }
    })
}

fn questions(answers: &mut Answers, tables: &'static Tables) -> Result<(), InquireError> {
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
    answers.playing = choose(
        "What is played? (drum pads are keys; pads are swells)",
        ids(&tables.listener, |l| &l.id),
        &answers.playing,
    )?;
    // What the software itself sounds cannot be heard before it.
    let keys = answers.plays_keys();
    let ways = ["headphones", "in-ears", "speakers", "direct"];
    answers.listening = choose(
        "How does the performer listen?",
        ways[..ways.len() - usize::from(keys)].to_vec(),
        &answers.listening,
    )?;
    if !keys {
        answers.direct = choose(
            "What can the interface do for direct monitoring?",
            vec!["none", "plain", "effects"],
            if answers.listening == "direct" { "plain" } else { "none" },
        )?;
    }
    answers.tracks = number("How many recorded tracks play along?", answers.tracks)?.min(2000);
    answers.instruments = number("How many software instruments play along?", answers.instruments)?.min(2000);
    if answers.instruments > 0 {
        answers.memory_each_gb = CustomType::<f64>::new("How many GB of samples does each hold?")
            .with_default(1.0)
            .prompt()?
            .clamp(0.0, 1000.0);
    }
    answers.main_lookahead =
        number("Look-ahead on the main output, in frames (0 for none)?", 0)?.min(1_000_000);
    answers.renders_ahead = Confirm::new("Does the software render recorded tracks ahead, in larger blocks?")
        .with_default(false)
        .prompt()?;
    Ok(())
}
