//! What is to be soaked: rate, blocks, deadline and the work of a block, from a session's plan or from options.

use super::Chain;
use crate::shared::failure::Failure;
use crate::shared::project::{AllCores, Project};
use crate::shared::words::settings::short_place;
use crate::soak::options::SoakOptions;
use swiftloop_core::plan;
use swiftloop_core::plan::{NoWork, WorkAsked, planned_work};
use swiftloop_core::rig::{PowerPlan, Rig};
use swiftloop_core::risk::WakeSet;
use swiftloop_core::soak::WorkPattern;
use swiftloop_files::{read_rig, tables};
use swiftloop_units::{Block, Hz, Micros, PerHour};

/// Blocks that are tried when no driver says which there are.
const LADDER: [u32; 8] = [16, 32, 64, 128, 256, 512, 1024, 2048];

/// What is to be soaked.
pub struct SoakPlan {
    pub rate: Hz,
    /// Rising; one unless a ladder is climbed.
    pub blocks: Vec<Block>,
    /// Periods until a block must be done.
    pub reserve: f64,
    /// Dropouts that are allowed.
    pub allowed: PerHour,
    /// Wake-ups to expect when too little is heard to learn from.
    pub unknown: WakeSet,
    /// What the work is, for people.
    pub title: String,
    work: SoakWork,
}

enum SoakWork {
    /// A share of the period on each worker.
    Share(f64, usize),
    /// Each block's patterns, in µs on the reference core.
    Session(Vec<(Block, Vec<WorkPattern>)>),
    /// The session's own processors.
    #[cfg_attr(not(target_os = "linux"), allow(dead_code))]
    Chain(Chain),
}

impl SoakPlan {
    /// The work of a block on a machine that is `speed` times as fast as the reference core.
    pub fn patterns(&self, block: Block, speed: f64) -> Vec<WorkPattern> {
        match &self.work {
            SoakWork::Share(share, workers) => {
                vec![WorkPattern { share: 1.0, work: vec![block.period(self.rate) * *share; *workers] }]
            }
            SoakWork::Chain(chain) => {
                vec![WorkPattern { share: 1.0, work: vec![Micros::new(chain.alone_us(block))] }]
            }
            SoakWork::Session(all) => {
                let found = all.iter().find(|w| w.0 == block).map_or(&[][..], |w| w.1.as_slice());
                let faster = |p: &WorkPattern| WorkPattern {
                    share: p.share,
                    work: p.work.iter().map(|&us| us / speed).collect(),
                };
                found.iter().map(faster).collect()
            }
        }
    }

    /// Threads that share the work.
    pub fn workers(&self) -> usize {
        match &self.work {
            SoakWork::Share(_, workers) => *workers,
            SoakWork::Chain(_) => 1,
            SoakWork::Session(all) => all.first().and_then(|w| w.1.first()).map_or(1, |p| p.work.len()),
        }
    }

    /// The session's own processors, where they are the work.
    pub fn chain(&self) -> Option<&Chain> {
        match &self.work {
            SoakWork::Chain(chain) => Some(chain),
            SoakWork::Share(..) | SoakWork::Session(_) => None,
        }
    }

    /// Bound to a server's rate, and to its block when nobody asked for another. The server calls one thread only.
    pub fn through(&mut self, rate: Hz, block: Option<Block>) -> Result<(), Failure> {
        match &mut self.work {
            SoakWork::Share(_, workers) => *workers = 1,
            SoakWork::Chain(_) => {}
            SoakWork::Session(all) => {
                if rate != self.rate {
                    return Err(Failure::usage(
                        format!("the server runs at {rate} Hz, the plan at {} Hz", self.rate),
                        "start the server at the plan's rate",
                    ));
                }
                if let Some(block) = block.filter(|b| all.iter().all(|w| w.0 != *b)) {
                    return Err(Failure::usage(
                        format!("the server's block is {block} frames, the plan's is not"),
                        "add --buffer with the plan's block: it is put back afterwards",
                    ));
                }
                all.iter_mut().flat_map(|w| &mut w.1).for_each(|pattern| pattern.work.truncate(1));
            }
        }
        self.rate = rate;
        if let Some(block) = block {
            self.blocks = vec![block];
        }
        Ok(())
    }

    pub fn of(options: &SoakOptions) -> Result<Self, Failure> {
        match (&options.rig, &options.session) {
            (Some(rig), Some(session)) => {
                of_session(options, &Project::read(rig, session, &options.catalogue)?)
            }
            (rig, _) => {
                let rig = rig.as_ref().map(|file| read_rig(file, tables())).transpose()?;
                Ok(of_options(options, rig.as_ref()))
            }
        }
    }
}

/// Wake-ups of the class of machine; of the first class of the table when nobody says which.
fn of_class(rig: Option<&Rig>) -> WakeSet {
    let (class, power) = match rig {
        Some(rig) => (rig.class(), rig.machine.power),
        None => (tables().usual_class(), PowerPlan::default()),
    };
    WakeSet::of_class(class.under(power))
}

fn of_options(options: &SoakOptions, rig: Option<&Rig>) -> SoakPlan {
    let share = options.work.unwrap_or(50);
    let workers = options.workers.unwrap_or(1);
    let blocks = match (options.ladder, options.buffer) {
        (true, largest) => {
            LADDER.into_iter().filter(|b| largest.is_none_or(|l| *b <= l.get())).map(Block::new).collect()
        }
        (false, one) => vec![one.unwrap_or(Block::new(128))],
    };
    let on = if workers == 1 { "one worker".into() } else { format!("each of {workers} workers") };
    SoakPlan {
        rate: options.rate.unwrap_or(Hz::new(48_000)),
        blocks,
        reserve: f64::from(options.playback_blocks.unwrap_or(2) - 1),
        allowed: PerHour::new(options.allow.unwrap_or(1.0)),
        unknown: of_class(rig),
        title: format!("{share} % of the period on {on}"),
        work: SoakWork::Share(f64::from(share) / 100.0, workers as usize),
    }
}

fn of_session(options: &SoakOptions, opened: &Project) -> Result<SoakPlan, Failure> {
    let context = opened.context();
    let place = opened.place(options.interface.as_deref(), options.phase.as_deref())?;
    let words = short_place(&context, place.0, place.1);
    let asked = WorkAsked {
        rate: options.rate,
        block: options.buffer,
        ladder: options.ladder,
        workers: options.workers,
    };
    let plan = plan::plan(context, &AllCores);
    let planned = planned_work(context, &plan, place, asked).map_err(|why| match why {
        NoWork::NotPlanned => {
            let plan = opened.files.both();
            let help = format!("name a phase and interface that this shows: swiftloop plan {plan}");
            Failure::usage(format!("the session does not mean {words}"), help)
        }
        NoWork::NoSuchBlock { driver, asked, offered } => {
            let known: Vec<String> = offered.iter().map(ToString::to_string).collect();
            let what = format!("{driver} does not offer blocks of {asked}");
            Failure::usage(what, format!("it offers: {}", known.join(", ")))
        }
    })?;
    let ahead = if planned.renders_ahead { ", its cue blocks only" } else { "" };
    #[cfg(target_os = "linux")]
    if options.real {
        let mut chain = Chain::of(options, opened, planned.rate)?;
        let blocks: Vec<Block> = planned.blocks.iter().map(|(block, _)| *block).collect();
        chain.fit(&blocks, planned.rate);
        return Ok(SoakPlan {
            rate: planned.rate,
            blocks,
            reserve: options.playback_blocks.map_or(planned.reserve, |n| f64::from(n - 1)),
            allowed: options.allow.map_or(planned.target, PerHour::new),
            unknown: of_class(Some(&opened.rig)),
            title: format!("the session's own processors at {words} as planned"),
            work: SoakWork::Chain(chain),
        });
    }
    Ok(SoakPlan {
        rate: planned.rate,
        blocks: planned.blocks.iter().map(|(block, _)| *block).collect(),
        reserve: options.playback_blocks.map_or(planned.reserve, |n| f64::from(n - 1)),
        allowed: options.allow.map_or(planned.target, PerHour::new),
        unknown: of_class(Some(&opened.rig)),
        title: format!("the work of {words} as planned{ahead}"),
        work: SoakWork::Session(planned.blocks),
    })
}
