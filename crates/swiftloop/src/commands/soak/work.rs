//! What is to be soaked: rate, blocks, deadline and the work of a block, from a session's plan or from options.

use super::super::{AllCores, pick};
use crate::cli::Soak;
use crate::failure::Failure;
use swiftloop_core::choice::{self, Arrangement, Ground, Scene, reference_work};
use swiftloop_core::loops::{Bench, Setting};
use swiftloop_core::rig::Rig;
use swiftloop_core::session::Session;
use swiftloop_core::soak::Patterns;
use swiftloop_core::units::{Block, Hz};
use swiftloop_files::{read_rig, read_session, tables};

/// Blocks that are tried when no driver says which there are.
const LADDER: [u32; 8] = [16, 32, 64, 128, 256, 512, 1024, 2048];

/// What is to be soaked.
pub struct Plan {
    pub rig: Option<Rig>,
    pub rate: Hz,
    /// Rising; one unless a ladder is climbed.
    pub blocks: Vec<Block>,
    /// Periods until a block must be done.
    pub reserve: f64,
    /// Misses per hour that are borne.
    pub bearable: f64,
    /// What the work is, for people.
    pub title: String,
    work: Work,
}

enum Work {
    /// A share of the period on each worker.
    Share(f64, usize),
    /// Each block's patterns, in µs on the reference core.
    Session(Vec<(Block, Patterns)>),
}

impl Plan {
    /// The work of a block on a machine that is `speed` times as fast as the reference core.
    pub fn patterns(&self, block: Block, speed: f64) -> Patterns {
        match &self.work {
            Work::Share(share, workers) => vec![(1.0, vec![share * block.period(self.rate).0; *workers])],
            Work::Session(all) => {
                let found = all.iter().find(|w| w.0 == block).map_or(&[][..], |w| w.1.as_slice());
                found.iter().map(|(share, us)| (*share, us.iter().map(|u| u / speed).collect())).collect()
            }
        }
    }

    /// Threads that share the work.
    pub fn workers(&self) -> usize {
        match &self.work {
            Work::Share(_, workers) => *workers,
            Work::Session(all) => all.first().and_then(|w| w.1.first()).map_or(1, |p| p.1.len()),
        }
    }

    /// Bound to a server's rate, and to its block when nobody asked for another. The server calls one thread only.
    pub fn through(&mut self, rate: Hz, block: Option<Block>) -> Result<(), Failure> {
        match &mut self.work {
            Work::Share(_, workers) => *workers = 1,
            Work::Session(all) => {
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
                all.iter_mut().flat_map(|w| &mut w.1).for_each(|pattern| pattern.1.truncate(1));
            }
        }
        self.rate = rate;
        if let Some(block) = block {
            self.blocks = vec![block];
        }
        Ok(())
    }

    pub fn of(options: &Soak) -> Result<Self, Failure> {
        let rig = options.rig.as_ref().map(|file| read_rig(file, tables())).transpose()?;
        match (rig, &options.session) {
            (Some(rig), Some(file)) => {
                let session = read_session(file, &rig, tables())?;
                let mut plan = of_session(options, &rig, &session)?;
                plan.rig = Some(rig);
                Ok(plan)
            }
            (rig, _) => Ok(Self { rig, ..of_options(options) }),
        }
    }
}

fn of_options(options: &Soak) -> Plan {
    let share = options.work.unwrap_or(50);
    let workers = options.workers.unwrap_or(1);
    let blocks = match (options.ladder, options.buffer) {
        (true, largest) => {
            LADDER.into_iter().filter(|b| largest.is_none_or(|l| *b <= l.0)).map(Block).collect()
        }
        (false, one) => vec![one.unwrap_or(Block(128))],
    };
    let on = if workers == 1 { "one worker".into() } else { format!("each of {workers} workers") };
    Plan {
        rig: None,
        rate: options.rate.unwrap_or(Hz(48_000)),
        blocks,
        reserve: f64::from(options.playback_blocks.unwrap_or(2) - 1),
        bearable: options.bearable.unwrap_or(1.0),
        title: format!("{share} % of the period on {on}"),
        work: Work::Share(f64::from(share) / 100.0, workers as usize),
    }
}

fn of_session(options: &Soak, rig: &Rig, session: &Session) -> Result<Plan, Failure> {
    let bench = Bench { tables: tables(), rig, session };
    let interfaces: Vec<&str> = rig.interfaces.iter().map(|i| i.id.as_str()).collect();
    let phases: Vec<&str> = session.phases.iter().map(|p| p.word()).collect();
    let interface = pick("interface", options.interface.as_deref(), &interfaces)?;
    let phase = pick("phase", options.phase.as_deref(), &phases)?;
    let plan = choice::plan(bench, &AllCores);
    let chosen =
        plan.choices.iter().find(|c| c.interface == interface && c.phase == phase).ok_or_else(|| {
            Failure::usage(
                format!("{} is not used on {}", phases[phase], interfaces[interface]),
                "name an interface and phase that plan shows",
            )
        })?;
    let rate = options.rate.unwrap_or(plan.rate);
    let scene = Scene::new(bench, interface, &session.phases[phase], rate);
    let remedies: Vec<usize> = chosen
        .report
        .remedies
        .iter()
        .filter_map(|r| scene.remedies.iter().position(|s| s.id == r.id))
        .collect();
    let planned = &chosen.arrangement.setting;
    let driver = bench.driver(planned);
    let offered = driver.buffers.offered(rate);
    let mut blocks: Vec<Block> = match (options.ladder, options.buffer) {
        (true, largest) => {
            offered.iter().map(|o| o.block).filter(|b| largest.is_none_or(|l| *b <= l)).collect()
        }
        (false, one) => vec![one.unwrap_or(planned.buffer.block)],
    };
    blocks.sort_unstable();
    blocks.dedup();
    let work_of = |block: Block| {
        let buffer = offered.iter().find(|o| o.block == block).ok_or_else(|| {
            let known: Vec<String> = offered.iter().map(|o| o.block.to_string()).collect();
            Failure::usage(
                format!("{} does not offer blocks of {block}", driver.word()),
                format!("it offers: {}", known.join(", ")),
            )
        })?;
        let setting = Setting { buffer: buffer.clone(), rate, ..planned.clone() };
        let workers = options.workers.unwrap_or(chosen.arrangement.workers);
        let roll = chosen.arrangement.roll.filter(|r| *r > block);
        let ground = Ground::new(&scene, Arrangement { setting, roll, workers, price: 0 });
        Ok((block, reference_work(&ground, &remedies)))
    };
    let work = blocks.iter().map(|b| work_of(*b)).collect::<Result<Vec<_>, Failure>>()?;
    let ahead = if chosen.arrangement.roll.is_some() { ", its cue blocks only" } else { "" };
    Ok(Plan {
        rig: None,
        rate,
        blocks,
        reserve: options.playback_blocks.map_or_else(
            || (bench.blocks_out(planned).typical().0.round() - 1.0).max(1.0),
            |n| f64::from(n - 1),
        ),
        bearable: options.bearable.unwrap_or(scene.target),
        title: format!("the work of {} on {} as planned{ahead}", phases[phase], interfaces[interface]),
        work: Work::Session(work),
    })
}
