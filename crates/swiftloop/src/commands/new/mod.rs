//! `new`: two commented files to start from. On a terminal it asks the dozen questions that matter; with any
//! option, or piped, it asks nothing.

mod ask;
mod given;

use crate::cli::NewOptions;
use crate::failure::Failure;
use crate::output::print;
use crate::views::{Files, new as view};
use std::io::IsTerminal;
use std::process::ExitCode;
use swiftloop_files::{Overwrite, save_all};

pub fn run(options: &NewOptions) -> Result<ExitCode, Failure> {
    let mut answers = given::usual(&options.dir);
    given::apply(options, &mut answers)?;
    if !given::anything(options) && std::io::stdin().is_terminal() && std::io::stdout().is_terminal() {
        ask::ask(&mut answers)?;
    }
    let rig_file = options.dir.join("rig.toml");
    let kept = !options.force && rig_file.symlink_metadata().is_ok();
    if kept {
        given::fit_to(&rig_file, options, &mut answers)?;
    } else if !answers.rates_hz.contains(&answers.rate_hz) {
        answers.rates_hz.push(answers.rate_hz);
        answers.rates_hz.sort_unstable();
    }
    let session = ("session.toml", answers.session());
    let files = if kept { vec![session] } else { vec![("rig.toml", answers.rig()), session] };
    save_all(&options.dir, &files, Overwrite::forced(options.force))?;
    let at = |name: &str| options.dir.join(name).display().to_string();
    print(&view::written(&Files { rig: at("rig.toml"), session: at("session.toml") }, kept))
}
