//! `soak`: get to know the machine, predict, soak, compare; once or up a ladder of blocks.

mod backend;
mod guard;
mod local_machine;
mod work;

use super::{answer, yes_or_no};
use crate::cli::SoakOptions;
use crate::failure::Failure;
use crate::views::soak::{Since, Soaked, json, meter::Live, show};
use backend::Backend;
pub use guard::keep;
use local_machine::LocalMachine;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use swiftloop_core::rig::{PowerPlan, WakeProfile};
use swiftloop_core::soak::{Climb, Climbed, Decision, End, Provenance, Question, compare, learn, smallest};
use swiftloop_core::units::Seconds;
use swiftloop_files::{check_profile_fits, read_rig, save_profile, tables};
use swiftloop_host::soak::{IdleGuard, Meter, Permission, hold_off_idle, kernel, speed, today};
use swiftloop_host::survey::governor;
use work::SoakPlan;

/// How long the speed of a core is measured, in milliseconds.
const SPEED_MS: u64 = 300;
/// The question has to be answered by a hair less than the whole time: threads need a moment to start.
const WHOLE: f64 = 0.97;

pub fn run(options: &SoakOptions) -> Result<ExitCode, Failure> {
    // Everything that can be wrong with the files is found before the machine is put to work.
    let old = options.compare.as_deref().map(old_profile).transpose()?;
    if let Some(file) = &options.save {
        check_profile_fits(file, tables())?;
    }
    let mut plan = SoakPlan::of(options)?;
    let backend = Backend::of(options, &mut plan)?;
    let stop = stopped_by_signals()?;
    let awake = hold_awake(options)?;
    let speed = speed(SPEED_MS);
    let question = Question::within(Seconds::new(options.seconds * WHOLE), plan.allowed, options.error);
    let climb = Climb {
        rate: plan.rate,
        reserve: plan.reserve,
        blocks: plan.blocks.iter().map(|b| (*b, plan.patterns(*b, speed.factor()))).collect(),
        question,
        length: Seconds::new(options.seconds),
        ladder: options.ladder,
        unknown: &plan.unknown,
    };
    let mut here = LocalMachine {
        backend,
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
    let LocalMachine { backend, permission, clock_step_s, live, .. } = here;
    live.clear();
    let gone = climbed.as_ref().is_ok_and(|c| c.end == End::Gone);
    // Before anything else can fail, the server gets its buffer back.
    let server = backend.finish(gone);
    let Climbed { rungs, listened, judged, end } = climbed?;
    let profile = learn(&listened.with(judged), &provenance(options, &permission, speed.factor()));
    let saved = options.save.as_deref().map(|path| match &profile {
        Some(profile) => save_profile(path, tables(), profile).map(|()| path).map_err(Failure::from),
        None => Err(too_little(&format!("nothing was written into {}", path.display()))),
    });
    let since = old.map(|old| match &profile {
        Some(new) => Ok(Since { changes: compare(&old, new), date: old.date }),
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
        since: since.as_ref().and_then(|c| c.as_ref().ok()),
        profile: profile.as_ref(),
        saved: saved.as_ref().and_then(|s| s.as_ref().ok().copied()),
        stopped: end == End::Stopped,
        clock_step_s,
        workers: plan.workers(),
        hardware_threads: std::thread::available_parallelism().map_or(1, |n| n.get()),
        server: server.as_ref(),
        gone,
        rungs: &rungs,
    };
    answer(&options.shown, |detail| show(&soaked, detail), || json(&soaked))?;
    let holds = rungs.last().is_some_and(|r| r.decision == Decision::Holds);
    let yes = if options.ladder { soaked.smallest.is_some() } else { holds };
    // What was seen is told before what could not be done with it.
    saved.transpose()?;
    since.transpose()?;
    Ok(if gone { ExitCode::from(3) } else { yes_or_no(yes) })
}

/// Under which circumstances this machine was heard.
fn provenance(options: &SoakOptions, permission: &Permission, core_speed: f64) -> Provenance {
    let governor = governor();
    Provenance {
        date: today(),
        kernel: kernel(),
        power: governor.as_deref().and_then(PowerPlan::of_governor),
        clocks: governor,
        realtime: permission.realtime,
        held_awake: options.awake,
        core_speed: Some(core_speed),
    }
}

fn too_little(so: &str) -> Failure {
    Failure::usage(format!("too few wake-ups were seen for a profile, so {so}"), "soak longer: --seconds")
}

/// The profile of a rig file, to compare with.
fn old_profile(file: &Path) -> Result<WakeProfile, Failure> {
    read_rig(file, tables())?.machine.wake.clone().ok_or_else(|| {
        Failure::usage(
            format!("{} holds no measured profile", file.display()),
            format!("measure one: swiftloop soak --save {}", file.display()),
        )
    })
}

fn hold_awake(options: &SoakOptions) -> Result<Option<IdleGuard>, Failure> {
    if !options.awake {
        return Ok(None);
    }
    hold_off_idle().map(Some).map_err(|why| {
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
