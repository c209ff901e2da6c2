//! `soak`: get to know the machine, predict, soak, compare; once or up a ladder of blocks.

mod climb;
mod guard;
mod means;
mod work;

use super::{print, print_json};
use crate::cli::Soak;
use crate::failure::Failure;
use crate::views::soak::{Soaked, json, show};
use climb::Climb;
pub use guard::keep;
use means::Means;
use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use swiftloop_core::rig::{Power, Rig, WakeProfile};
use swiftloop_core::soak::{Circumstances, Decision, Question, compare, learn, smallest};
use swiftloop_files::{read_rig, read_rig_text, save_profile, tables};
use swiftloop_host::soak::{Awake, clocks, kernel, speed, stay_awake, today};
use work::Plan;

/// How long the speed of a core is measured, in milliseconds.
const SPEED_MS: u64 = 300;

pub fn run(options: &Soak) -> Result<ExitCode, Failure> {
    // Everything that can be wrong with the files is found before the machine is put to work.
    let old = options.compare.as_deref().map(old_profile).transpose()?;
    let target = options.save.as_deref().map(|file| read_rig_text(file, tables())).transpose()?;
    let mut plan = Plan::of(options)?;
    let mut means = Means::of(options, &mut plan)?;
    let stop = stopped_by_signals()?;
    let awake = hold_awake(options)?;
    let mut climb = Climb::new(options, &plan, &mut means, &stop, speed(SPEED_MS));
    let climbed = climb.up();
    drop(awake);
    let Climb { heard, judged, speed: core, permission, clock_step_s, gone, .. } = climb;
    let server = means.finish();
    let rungs = climbed?;
    let permission = permission.unwrap_or_default();
    let clocks = clocks();
    let about = Circumstances {
        date: today(),
        kernel: kernel(),
        power: (clocks.as_deref() == Some("performance")).then_some(Power::Performance),
        clocks,
        realtime: permission.realtime,
        held_awake: options.awake,
        core_speed: Some(core.factor()),
    };
    let profile = learn(&heard.with(judged), &about);
    let saved = match (&options.save, target, &profile) {
        (Some(path), Some(text), Some(profile)) => {
            save_profile(path, &text, profile)?;
            Some(path.as_path())
        }
        _ => None,
    };
    let soaked = Soaked {
        title: &plan.title,
        permission: &permission,
        speed: core.factor(),
        rate: plan.rate,
        reserve: plan.reserve,
        question: question(options, &plan),
        smallest: options.ladder.then(|| smallest(&rungs)).flatten(),
        ladder: options.ladder,
        changes: old.as_ref().zip(profile.as_ref()).map(|(old, new)| (old.date.clone(), compare(old, new))),
        profile: profile.as_ref(),
        saved,
        stopped: stop.load(Relaxed),
        clock_step_s,
        crowd: (plan.workers(), std::thread::available_parallelism().map_or(1, |n| n.get())),
        server: server.as_ref(),
        gone,
        rungs: &rungs,
    };
    if options.json {
        print_json(&json(&soaked))?;
    } else {
        print(&show(&soaked))?;
    }
    if gone {
        return Ok(ExitCode::from(3));
    }
    let yes = match options.ladder {
        true => soaked.smallest.is_some(),
        false => rungs.last().is_some_and(|r| r.decision == Decision::Holds),
    };
    Ok(super::yes_or_no(yes))
}

/// What is asked of every block.
fn question(options: &Soak, plan: &Plan) -> Question {
    // A hair less than the whole time: a thread needs a moment to start.
    Question::within(options.seconds * 0.97, plan.bearable, options.error)
}

/// The profile of a rig file, to compare with.
fn old_profile(file: &std::path::Path) -> Result<WakeProfile, Failure> {
    let rig: Rig = read_rig(file, tables())?;
    rig.machine.wake.ok_or_else(|| {
        Failure::usage(
            format!("{} holds no measured profile", file.display()),
            "make one with: swiftloop soak --save RIG",
        )
    })
}

fn hold_awake(options: &Soak) -> Result<Option<Awake>, Failure> {
    if !options.awake {
        return Ok(None);
    }
    stay_awake().map(Some).map_err(|why| {
        Failure::machine(
            format!("the processor cannot be held out of deep idle ({why})"),
            "run as a user who may write there, or without --awake",
        )
    })
}

/// Ctrl-C and the like end the soak, not the program: it still reports. A second one ends the program.
fn stopped_by_signals() -> Result<Arc<AtomicBool>, Failure> {
    let stop = Arc::new(AtomicBool::new(false));
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        signal_hook::flag::register_conditional_default(signal, Arc::clone(&stop))?;
        signal_hook::flag::register(signal, Arc::clone(&stop))?;
    }
    Ok(stop)
}
