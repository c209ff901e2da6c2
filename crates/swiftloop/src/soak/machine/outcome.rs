//! One soak from end to end: nothing stands when it begins, and nothing is left behind when it ends.

use super::Watching;
use super::backend::Backend;
use super::local_machine::LocalMachine;
use super::work::SoakPlan;
use crate::shared::failure::Failure;
#[cfg(target_os = "linux")]
use crate::shared::recorder::Flight;
use crate::shared::signals::stopped_by_signals;
use crate::soak::options::SoakOptions;
use swiftloop_core::soak::{Climb, Climbed, End, SoakTest};
#[cfg(target_os = "linux")]
use swiftloop_files::trace::TraceReading;
use swiftloop_host::jack::About;
use swiftloop_host::soak::{IdleGuard, Permission, SoakMeter, Speed, hold_off_idle, speed};
#[cfg(target_os = "linux")]
use swiftloop_units::Block;
use swiftloop_units::Seconds;

/// How long the speed of a core is measured, in milliseconds.
const SPEED_MS: u64 = 300;

/// What came of a soak.
pub struct SoakOutcome {
    pub question: SoakTest,
    pub climbed: Climbed,
    pub permission: Permission,
    pub speed: Speed,
    /// By how much the wall clock was set meanwhile.
    pub clock_step_s: f64,
    /// The server that was soaked through, as it is now.
    pub server: Option<About>,
    pub gone: bool,
    /// What a look into the kernel found.
    #[cfg(target_os = "linux")]
    pub traced: Option<Traced>,
}

/// What a look into the kernel found, rung by rung, and what it cost.
#[cfg(target_os = "linux")]
pub struct Traced {
    pub rungs: Vec<(Block, TraceReading)>,
    /// Events a second on the busiest core.
    pub rate: f64,
    /// Seconds in which nothing was recorded, because it was read.
    pub blind_s: f64,
    /// What a mark costs its thread, in nanoseconds: more than any event of the kernel's own.
    pub mark_ns: f64,
    /// Where its text is kept.
    pub kept: Option<std::path::PathBuf>,
}

impl SoakOutcome {
    /// Soaks as the options ask.
    pub fn through(
        options: &SoakOptions,
        plan: &mut SoakPlan,
        live: &mut dyn Watching,
    ) -> Result<Self, Failure> {
        let backend = Backend::of(options, plan)?;
        let stop = stopped_by_signals()?;
        let awake = hold_awake(options)?;
        #[cfg(target_os = "linux")]
        let flight = options.trace.then(Flight::begin).transpose()?;
        let speed = speed(SPEED_MS);
        let question = SoakTest { allowed: plan.allowed, error: options.error };
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
            chain: plan.chain(),
            workers: plan.workers(),
            speed,
            stop: &stop,
            live,
            meter: SoakMeter::new(plan.workers()),
            #[cfg(target_os = "linux")]
            flight,
            #[cfg(target_os = "linux")]
            traced: Vec::new(),
            #[cfg(target_os = "linux")]
            open: None,
            permission: Permission::default(),
            clock_step_s: 0.0,
        };
        let climbed = climb.up(&mut here);
        drop(awake);
        #[cfg(target_os = "linux")]
        let traced = traced(&mut here, options);
        let LocalMachine { backend, permission, clock_step_s, .. } = here;
        let gone = climbed.as_ref().is_ok_and(|c| c.end == End::Gone);
        // Before anything else can fail, the server gets its buffer back.
        let server = backend.finish(gone);
        let climbed = climbed?;
        Ok(Self {
            question,
            climbed,
            permission,
            speed,
            clock_step_s,
            server,
            gone,
            #[cfg(target_os = "linux")]
            traced: traced?,
        })
    }
}

/// The last rung is over: what was found in all of them; the recorder is cleared away.
#[cfg(target_os = "linux")]
fn traced(here: &mut LocalMachine<'_>, options: &SoakOptions) -> Result<Option<Traced>, Failure> {
    here.end_rung();
    let Some(flight) = here.flight.take() else { return Ok(None) };
    // It writes marks as long as it lives.
    here.meter = SoakMeter::new(here.workers);
    let (rate, blind_s, mark_ns) = flight.cost();
    let kept = options.save.as_deref().map(|rig| rig.with_extension("trace.txt"));
    match &kept {
        Some(path) => flight.keep(path)?,
        None => drop(flight),
    }
    Ok(Some(Traced { rungs: std::mem::take(&mut here.traced), rate, blind_s, mark_ns, kept }))
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
