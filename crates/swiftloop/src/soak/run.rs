//! `soak`: get to know the machine, predict, soak, compare; once or up a ladder of blocks.

use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use crate::soak::machine::{Profiles, SoakOutcome, SoakPlan, check};
use crate::soak::meter::LiveMeter;
use crate::soak::options::SoakOptions;
use crate::soak::{Soaked, json, show};
use std::process::ExitCode;
use swiftloop_core::soak::{Decision, End, smallest};

/// `soak-inside`: the process that runs a session's processors.
#[cfg(target_os = "linux")]
pub fn inside(options: &crate::soak::options::SoakInsideOptions) -> ExitCode {
    ExitCode::from(swiftloop_host::weigh::run_chain_inside(&options.task, options.below))
}

pub fn run(options: &SoakOptions) -> Result<ExitCode, Failure> {
    let old = check(options)?;
    let mut plan = SoakPlan::of(options)?;
    let mut live = LiveMeter::new();
    let lived = SoakOutcome::through(options, &mut plan, &mut live);
    live.clear();
    let lived = lived?;
    let Profiles { profile, saved, since } = Profiles::of(options, &plan, &lived, old);
    let rungs = &lived.climbed.rungs;
    let soaked = Soaked {
        title: &plan.title,
        permission: &lived.permission,
        speed: lived.speed.factor(),
        speed_of_halves: lived.speed.of_halves(),
        rate: plan.rate,
        reserve: plan.reserve,
        question: lived.question,
        smallest: options.ladder.then(|| smallest(rungs)).flatten(),
        ladder: options.ladder,
        show: options.show,
        since: since.as_ref().and_then(|c| c.as_ref().ok()),
        profile: profile.as_ref(),
        saved: saved.as_ref().and_then(|s| s.as_ref().ok().copied()),
        stopped: lived.climbed.end == End::Stopped,
        clock_step_s: lived.clock_step_s,
        workers: plan.workers(),
        hardware_threads: std::thread::available_parallelism().map_or(1, |n| n.get()),
        server: lived.server.as_ref(),
        chain: plan.chain(),
        #[cfg(target_os = "linux")]
        traced: lived.traced.as_ref(),
        gone: lived.gone,
        rungs,
    };
    answer(&options.shown, |detail| show(&soaked, detail), || json(&soaked))?;
    let holds = rungs.last().is_some_and(|r| r.decision == Decision::Holds);
    let yes = if options.ladder { soaked.smallest.is_some() } else { holds };
    // What was seen is told before what could not be done with it.
    saved.transpose()?;
    since.transpose()?;
    Ok(if lived.gone { ExitCode::from(3) } else { yes_or_no(yes) })
}
