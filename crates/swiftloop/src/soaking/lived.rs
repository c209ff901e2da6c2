//! One soak from end to end: nothing stands when it begins, and nothing is left behind when it ends.

use super::backend::Backend;
use super::local_machine::LocalMachine;
use super::work::SoakPlan;
use crate::cli::SoakOptions;
use crate::failure::Failure;
use crate::views::soak::meter::Live;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use swiftloop_core::soak::{Climb, Climbed, End, Question};
use swiftloop_core::units::Seconds;
use swiftloop_host::jack::About;
use swiftloop_host::soak::{IdleGuard, Meter, Permission, hold_off_idle, speed};

/// How long the speed of a core is measured, in milliseconds.
const SPEED_MS: u64 = 300;

/// What came of a soak.
pub struct Lived {
    pub question: Question,
    pub climbed: Climbed,
    /// What was granted.
    pub permission: Permission,
    /// Of a core, against the reference core.
    pub speed: f64,
    /// By how much the wall clock was set meanwhile.
    pub clock_step_s: f64,
    /// The server that was soaked through, as it is now.
    pub server: Option<About>,
    /// It went away.
    pub gone: bool,
}

impl Lived {
    /// Soaks as the options ask.
    pub fn through(options: &SoakOptions, plan: &mut SoakPlan) -> Result<Self, Failure> {
        let backend = Backend::of(options, plan)?;
        let stop = stopped_by_signals()?;
        let awake = hold_awake(options)?;
        let speed = speed(SPEED_MS);
        let question = Question { allowed: plan.allowed, error: options.error };
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
        let climbed = climbed?;
        Ok(Self { question, climbed, permission, speed: speed.factor(), clock_step_s, server, gone })
    }
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
