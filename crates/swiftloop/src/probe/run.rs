//! `probe run`: the probe is played and recorded through the server itself, buffer after buffer, and read; nothing is recorded by
//! hand, nothing lined up, and the server's buffer is put back whatever happens.

use super::fit::save;
use crate::probe::fit_text as view;
use crate::probe::options::ProbeRunOptions;
use crate::probe::server::Run;
use crate::shared::answer::quoted;
use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use std::process::ExitCode;
use swiftloop_measure::probe::collect;

pub fn run(options: &ProbeRunOptions) -> Result<ExitCode, Failure> {
    let run = Run::new(options)?;
    let mut found = collect(&run.takes()?);
    if options.inside {
        // No driver is in this loop, so none has to hold what drivers hold.
        found.unusable = None;
    }
    let saved = save(&options.target, &found, run.rate)?;
    let show = |_| {
        if options.inside {
            view::inside(&found, run.rate)
        } else {
            view::show(&found, run.rate, saved.as_ref(), &again(options))
        }
    };
    answer(&options.shown, show, || view::json(&found, run.rate))?;
    Ok(yes_or_no(found.unusable.is_none()))
}

/// The command itself, to be followed by where to save.
fn again(options: &ProbeRunOptions) -> String {
    let mut words = String::from("swiftloop probe run");
    if !options.buffers.is_empty() {
        let all: Vec<String> = options.buffers.iter().map(ToString::to_string).collect();
        words.push_str(&format!(" --buffers {}", all.join(",")));
    }
    for (option, port) in [("--play", &options.play), ("--record", &options.record)] {
        if let Some(port) = port {
            words.push_str(&format!(" {option} {}", quoted(port)));
        }
    }
    words
}
