//! The full report of one arrangement with a set of remedies: loops, load, risk, all with doubt.

use super::block_work::{Applied, BlockWork};
use super::machine_work::Worked;
use super::risk_doubt::{Causes, Risk, holds, work_doubt};
use super::{Evaluation, Remedy, remedy};
use crate::ids::{ProcessorId, RemedyId};
use crate::load::{BlockLoad, BoundBy, WorkShare, critical_path};
use crate::loops::{ChainsRange, DelayVerdict, Electric, Loop, loops_of, playback_loop};
use crate::risk::{DropoutVerdict, Dropouts, verdict};
use crate::units::{Block, MegabytesPerSecond, Micros, Ms, Origin, PerHour};

/// The roll block.
#[derive(Debug, Clone)]
pub struct RollLoad {
    /// Its work.
    pub load: BlockLoad,
    /// From release to done, cue blocks served first.
    pub response: Micros,
}

/// Everything there is to say about one arrangement.
#[derive(Debug, Clone)]
pub struct Report {
    /// The loops of the phase, the least room under its limit first.
    pub loops: Vec<Loop>,
    /// The device's block.
    pub cue: BlockLoad,
    /// The roll block.
    pub roll: Option<RollLoad>,
    /// Dropouts per hour, all causes.
    pub dropouts: Dropouts,
    /// Of these, from the disk.
    pub from_disk: Dropouts,
    /// Of these, from memory.
    pub from_memory: Dropouts,
    /// What is allowed.
    pub target: PerHour,
    /// Where the wake-up delays came from.
    pub profile: Origin,
    /// Remedies applied to session and machine.
    pub remedies: Vec<Remedy>,
    /// Remedies that lie in the arrangement itself: rendering ahead, cores, device blocks.
    pub arranged: Vec<Remedy>,
    /// Disk streams.
    pub streams: MegabytesPerSecond,
    /// From cursor to ear.
    pub cursor: Loop,
}

impl Report {
    /// The verdict on the dropouts.
    #[must_use]
    pub fn verdict(&self) -> DropoutVerdict {
        verdict(self.dropouts, self.target)
    }

    /// Every limit and the target are met, typically.
    #[must_use]
    pub fn is_met(&self) -> bool {
        self.loops.iter().all(|l| l.verdict() != DelayVerdict::Late)
            && self.verdict() != DropoutVerdict::Breaks
    }

    /// Loops and risk that cannot be told yet.
    #[must_use]
    pub fn open_questions(&self) -> usize {
        open_loops(&self.loops) + usize::from(self.verdict() != DropoutVerdict::Holds)
    }

    /// The longest loop of all.
    #[must_use]
    pub fn slowest(&self) -> Ms {
        longest(&self.loops)
    }

    /// The loop furthest over its limit, if any is.
    #[must_use]
    pub fn worst_over(&self) -> Option<&Loop> {
        let over = self.loops.iter().filter(|l| l.excess().raw() > 0.0);
        over.max_by(|a, b| a.excess().raw().total_cmp(&b.excess().raw()))
    }

    /// The device's block, to be soaked; nothing when wake-ups were measured on this machine.
    #[must_use]
    pub fn block_to_soak(&self) -> Option<Block> {
        (self.profile != Origin::Measured).then_some(self.cue.block)
    }

    /// The loop with the least room under its limit.
    #[must_use]
    pub fn tightest(&self) -> Option<&Loop> {
        self.loops.iter().min_by(|a, b| a.room().raw().total_cmp(&b.room().raw()))
    }

    /// The block that takes most of its time: the cue block, or the roll block behind it.
    #[must_use]
    pub fn busiest(&self) -> &BlockLoad {
        match &self.roll {
            Some(roll) if roll.response / roll.load.deadline > self.cue.worst_ratio() => &roll.load,
            Some(_) | None => &self.cue,
        }
    }
}

/// Loops that are not surely within their limits.
fn open_loops(loops: &[Loop]) -> usize {
    loops.iter().filter(|l| l.verdict() != DelayVerdict::Immediate).count()
}

/// The longest of all.
pub(super) fn longest(loops: &[Loop]) -> Ms {
    loops.iter().map(|l| l.total.typical()).fold(Ms::new(0.0), Ms::max)
}

/// What the choice asks of an arrangement: a part of its report, at a fraction of the price.
#[derive(Debug, Clone)]
pub struct Glance {
    /// The loops of the phase, the least room under its limit first.
    pub loops: Vec<Loop>,
    /// Not even the gloomy figures miss the target.
    pub holds: bool,
    /// The worst cue block as a share of its time.
    pub worst_ratio: f64,
}

impl Glance {
    /// Loops and risk that cannot be told yet.
    #[must_use]
    pub fn open_questions(&self) -> usize {
        open_loops(&self.loops) + usize::from(!self.holds)
    }

    /// The longest loop of all.
    #[must_use]
    pub fn slowest(&self) -> Ms {
        longest(&self.loops)
    }
}

/// A glance at an evaluation with `chosen` remedies.
#[must_use]
pub fn glance(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Glance {
    let applied = evaluation.problem.apply(chosen, &[]);
    let worked = evaluation.worked(&evaluation.cue, &applied);
    let risk = evaluation.cue_risk(&applied);
    let worst = worked.iter().map(|w| w.typical).fold(Micros::new(0.0), Micros::max);
    Glance {
        loops: loops_after(evaluation, &applied),
        holds: holds(evaluation, &applied),
        worst_ratio: worst / (risk.period * risk.reserve.typical().raw()),
    }
}

/// The loops after `applied`, the least room first.
pub(super) fn loops_after(evaluation: &Evaluation<'_, '_>, applied: &Applied) -> Vec<Loop> {
    let problem = evaluation.problem;
    let setting = &evaluation.arrangement.setting;
    // The low figure of a latency survives a remedy only if the remedy did not change it.
    let low = |p: ProcessorId| problem.latency[p].low().min(applied.latency[p]);
    let unchanged = |p: ProcessorId| applied.latency[p] == problem.latency[p].typical();
    let high = |p: ProcessorId| if unchanged(p) { problem.latency[p].high() } else { applied.latency[p] };
    let high = problem.chains(high, &applied.direct);
    let typical = problem.chains(|p| applied.latency[p], &applied.direct);
    let low = problem.chains(low, &applied.direct);
    let chains = ChainsRange { high: &high, typical: &typical, low: &low };
    let mut loops = loops_of(&problem.context, setting, problem.phase, chains, &applied.direct);
    loops.sort_by(|a, b| a.room().raw().total_cmp(&b.room().raw()));
    loops
}

/// The report of an evaluation with `chosen` remedies.
#[must_use]
pub fn report(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Report {
    let problem = evaluation.problem;
    let applied = problem.apply(chosen, &[]);
    let setting = &evaluation.arrangement.setting;
    let loops = loops_after(evaluation, &applied);
    let risk = Risk::of(evaluation, &applied);
    let from_disk = evaluation.from_disk(&applied);
    let from_memory = evaluation.from_memory(&applied);
    let cue_risk = evaluation.cue_risk(&applied);
    let cue_deadline = cue_risk.period * cue_risk.reserve.typical().raw();
    let cue = block_load(evaluation, &evaluation.cue, &applied, &risk.cue, cue_deadline);
    let roll = match (&evaluation.roll, &risk.roll) {
        (Some(work), Some(roll)) => {
            let deadline = evaluation.roll_risk(roll.block, &applied).period;
            let load = block_load(evaluation, work, &applied, &roll.worked, deadline);
            Some(RollLoad { load, response: roll.longest() })
        }
        (Some(_) | None, _) => None,
    };
    Report {
        loops,
        cue,
        roll,
        // How long a disk stalls is assumed: it is a doubt to name, and decides nothing.
        dropouts: risk.dropouts(Causes::ALL).plus(Dropouts::exactly(from_disk.typical)).plus(from_memory),
        from_disk,
        from_memory,
        target: problem.target,
        profile: problem.machine(&applied).wake.origin,
        remedies: chosen.iter().map(|&r| problem.remedies[r].clone()).collect(),
        arranged: remedy::arranged(&problem.context, &evaluation.arrangement),
        streams: problem.streams(&applied),
        cursor: playback_loop(&problem.context, setting, &Electric::of(&problem.context, setting)),
    }
}

/// From this ratio of the worst to the mean block on it is bursts that keep it long.
const BURSTY: f64 = 1.5;

fn block_load(
    evaluation: &Evaluation<'_, '_>,
    block: &BlockWork,
    applied: &Applied,
    worked: &[Worked],
    deadline: Micros,
) -> BlockLoad {
    let routes = evaluation.problem.context.session.routes();
    let workers = evaluation.arrangement.workers;
    let by_time = |&a: &usize, &b: &usize| {
        // What differs by rounding only is alike: then all work counts.
        let key = |k: usize| ((worked[k].typical.raw() * 1e6).round(), worked[k].total.raw());
        key(a).0.total_cmp(&key(b).0).then(key(a).1.total_cmp(&key(b).1))
    };
    let worst_at = (0..worked.len()).max_by(by_time).unwrap_or(0);
    let worst = worked[worst_at];
    let cost = block.node_costs(evaluation.problem, worst_at, applied);
    let (_, mut chain) = critical_path(&block.graph, &cost);
    // Copies that became one have no name of their own.
    chain.retain(|n| n.index() < routes.nodes.len());
    let each = worst.total / f64::from(workers);
    // Any track may sound at any moment, so the worst block rests nothing; the mean block rests what is silent.
    let resting = evaluation.resting(applied);
    let mean: Micros = evaluation.worked(block, &resting).iter().map(|w| w.typical * w.share).sum();
    let bound_by = if worst.typical > mean * BURSTY {
        BoundBy::Burst
    } else if worst.critical >= each {
        BoundBy::Chain
    } else {
        BoundBy::Cores
    };
    BlockLoad {
        block: block.block,
        workers,
        deadline,
        total: worst.total,
        critical_path: worst.critical,
        makespan: worst.typical,
        guaranteed: worst.most,
        doubt: work_doubt(evaluation, block, worst_at, applied),
        mean,
        bound_by,
        critical_chain: chain,
        distribution: worked.iter().map(|w| WorkShare { share: w.share, work: w.typical }).collect(),
        capped: block.cycle.capped,
    }
}
