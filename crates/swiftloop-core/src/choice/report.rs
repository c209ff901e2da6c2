//! The full report of one arrangement with a set of remedies: loops, load, risk, all with doubt.

use super::block_work::{Applied, BlockWork};
use super::evaluation::Worked;
use super::{Evaluation, Remedy, remedy};
use crate::ids::{ProcessorId, RemedyId};
use crate::load::{BlockLoad, BoundBy, WorkShare, critical_path, list_schedule};
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
        let open = self.loops.iter().filter(|l| l.verdict() != DelayVerdict::Immediate).count();
        open + usize::from(self.verdict() != DropoutVerdict::Holds)
    }

    /// The longest loop of all.
    #[must_use]
    pub fn slowest(&self) -> Ms {
        self.loops.iter().map(|l| l.total.typical()).fold(Ms::new(0.0), Ms::max)
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

/// The report of an evaluation with `chosen` remedies.
#[must_use]
pub fn report(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Report {
    let problem = evaluation.problem;
    let applied = problem.apply(chosen, &[]);
    let setting = &evaluation.arrangement.setting;
    // The low figure of a latency survives a remedy only if the remedy did not change it.
    let low = |p: ProcessorId| problem.latency[p].low().min(applied.latency[p]);
    let high_chains = problem.chains(|p| applied.latency[p], &applied.direct);
    let low_chains = problem.chains(low, &applied.direct);
    let chains = ChainsRange { high: &high_chains, low: &low_chains };
    let mut loops = loops_of(&problem.context, setting, problem.phase, chains, &applied.direct);
    loops.sort_by(|a, b| a.room().raw().total_cmp(&b.room().raw()));

    let cue_worked = evaluation.worked(&evaluation.cue, &applied);
    let cue_risk = evaluation.cue_risk(&applied);
    let mut dropouts = cue_risk.dropouts(&cue_worked.iter().map(WorkShare::from).collect::<Vec<_>>());
    let cue_deadline = cue_risk.period * cue_risk.reserve;
    let cue = block_load(evaluation, &evaluation.cue, &applied, &cue_worked, cue_deadline);
    let roll = match (&evaluation.roll, evaluation.arrangement.roll) {
        (Some(work), Some(block)) => {
            let worked = evaluation.worked(work, &applied);
            let response = evaluation.roll_response(&cue_worked, &worked, block);
            let risk = evaluation.roll_risk(block, &applied);
            dropouts = dropouts.plus(risk.dropouts(&[WorkShare { share: 1.0, work: response }]));
            Some(RollLoad { load: block_load(evaluation, work, &applied, &worked, risk.period), response })
        }
        (Some(_), None) | (None, _) => None,
    };
    let (from_disk, from_memory) = (evaluation.from_disk(&applied), evaluation.from_memory(&applied));
    Report {
        loops,
        cue,
        roll,
        dropouts: dropouts.plus(from_disk).plus(from_memory),
        from_disk,
        from_memory,
        target: problem.target,
        profile: problem.machine(&applied).wake.origin,
        remedies: chosen.iter().map(|&r| problem.remedies[r].clone()).collect(),
        arranged: remedy::arranged(&problem.context, &evaluation.arrangement),
        streams: problem.resources.streams + problem.channel_stream() * f64::from(applied.channels),
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
    let by_bound = |&a: &usize, &b: &usize| worked[a].bound.raw().total_cmp(&worked[b].bound.raw());
    let worst_at = (0..worked.len()).max_by(by_bound).unwrap_or(0);
    let worst = worked[worst_at];
    let cost = block.node_costs(worst_at, routes, applied);
    let (chain_length, chain) = critical_path(routes, &cost, &block.included);
    // The schedule on the reference core, brought to this machine by the same factor as the chain.
    let scale = if chain_length.raw() > 0.0 { worst.critical / chain_length } else { 1.0 };
    let scheduled = list_schedule(routes, &cost, workers, &block.included) * scale;
    let each = worst.total / f64::from(workers);
    let lower = worst.critical.max(each);
    // Any track may sound at any moment, so the worst block rests nothing; the mean block rests what is silent.
    let resting = evaluation.resting(applied);
    let mean: Micros = evaluation.worked(block, &resting).iter().map(|w| w.bound * w.share).sum();
    let bound_by = if worst.bound > mean * BURSTY {
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
        // Shared copies are in the nodes' costs but not in the total, so the schedule is held between its bounds.
        makespan: scheduled.max(lower).min(worst.bound.max(lower)),
        guaranteed: worst.bound,
        mean,
        bound_by,
        critical_chain: chain,
        distribution: worked.iter().map(WorkShare::from).collect(),
        capped: block.cycle.capped,
    }
}
