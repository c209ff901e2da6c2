//! `soak`: get to know the machine, predict, soak, compare; once or up a ladder of blocks.

mod guard;
mod here;
mod means;
mod work;

use super::{print, print_json};
use crate::cli::Soak;
use crate::failure::Failure;
use crate::views::soak::{Soaked, json, show};
use crate::views::soak_meter::Live;
pub use guard::keep;
use here::Here;
use means::Means;
use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use swiftloop_core::rig::{Power, Rig, WakeProfile};
use swiftloop_core::risk::WakeSet;
use swiftloop_core::soak::{
    Circumstances, Climb, Climbed, Decision, End, Question, compare, learn, smallest,
};
use swiftloop_files::{read_rig, read_rig_text, save_profile, tables};
use swiftloop_host::soak::{Awake, Meter, Permission, kernel, speed, stay_awake, today};
use swiftloop_host::survey::governor;
use work::Plan;

/// How long the speed of a core is measured, in milliseconds.
const SPEED_MS: u64 = 300;
/// The question has to be answered by a hair less than the whole time: threads need a moment to start.
const WHOLE: f64 = 0.97;

pub fn run(options: &Soak) -> Result<ExitCode, Failure> {
    // Everything that can be wrong with the files is found before the machine is put to work.
    let old = options.compare.as_deref().map(old_profile).transpose()?;
    let target = options.save.as_deref().map(|file| read_rig_text(file, tables())).transpose()?;
    let mut plan = Plan::of(options)?;
    let means = Means::of(options, &mut plan)?;
    let stop = stopped_by_signals()?;
    let awake = hold_awake(options)?;
    let speed = speed(SPEED_MS);
    let machine = plan.rig.as_ref().map(|r| &r.machine);
    let unknown = WakeSet::of_class(
        machine.map_or("desktop", |m| m.class.as_str()),
        machine.map_or_else(Default::default, |m| m.power),
        tables(),
    );
    let question = Question::within(options.seconds * WHOLE, plan.bearable, options.error);
    let climb = Climb {
        rate: plan.rate,
        reserve: plan.reserve,
        blocks: plan.blocks.iter().map(|b| (*b, plan.patterns(*b, speed.factor()))).collect(),
        question,
        seconds: options.seconds,
        ladder: options.ladder,
        unknown: &unknown,
    };
    let mut here = Here {
        means,
        rate: plan.rate,
        reserve: plan.reserve,
        workers: plan.workers(),
        speed,
        stop: &stop,
        live: Live::new(),
        meter: Meter::new(plan.workers()),
        permission: Permission::default(),
        clock_step_s: 0.0,
    };
    let climbed = climb.up(&mut here);
    drop(awake);
    let Here { means, permission, clock_step_s, live, .. } = here;
    live.clear();
    let gone = climbed.as_ref().is_ok_and(|c| c.end == End::Gone);
    // Before anything else can fail, the server gets its buffer back.
    let server = means.finish(gone);
    let Climbed { rungs, listened, judged, end } = climbed?;
    let governor = governor();
    let about = Circumstances {
        date: today(),
        kernel: kernel(),
        power: governor.as_deref().and_then(Power::of_governor),
        clocks: governor,
        realtime: permission.realtime,
        held_awake: options.awake,
        core_speed: Some(speed.factor()),
    };
    let profile = learn(&listened.with(judged), &about);
    let saved = options.save.as_deref().zip(target).map(|(path, text)| match &profile {
        Some(profile) => save_profile(path, &text, profile).map(|()| path).map_err(Failure::from),
        None => Err(too_little(&format!("nothing was written into {}", path.display()))),
    });
    let changes = old.as_ref().map(|old| match &profile {
        Some(new) => Ok((old.date.as_str(), compare(old, new))),
        None => Err(too_little("nothing can be compared")),
    });
    let soaked = Soaked {
        title: &plan.title,
        permission: &permission,
        speed: speed.factor(),
        rate: plan.rate,
        reserve: plan.reserve,
        question,
        smallest: options.ladder.then(|| smallest(&rungs)).flatten(),
        ladder: options.ladder,
        changes: changes.as_ref().and_then(|c| c.as_ref().ok()),
        profile: profile.as_ref(),
        saved: saved.as_ref().and_then(|s| s.as_ref().ok().copied()),
        stopped: end == End::Stopped,
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
    let yes = match options.ladder {
        true => soaked.smallest.is_some(),
        false => rungs.last().is_some_and(|r| r.decision == Decision::Holds),
    };
    // What was seen is told before what could not be done with it.
    saved.transpose()?;
    changes.transpose()?;
    Ok(if gone { ExitCode::from(3) } else { super::yes_or_no(yes) })
}

fn too_little(so: &str) -> Failure {
    Failure::usage(format!("too few wake-ups were seen for a profile, so {so}"), "soak longer: --seconds")
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
