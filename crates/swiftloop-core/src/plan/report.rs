//! The full report of one arrangement with a set of remedies: loops, load, risk, all with doubt.

use super::block_times::BlockTimes;
use super::block_times::Worked;
use super::block_work::BlockWork;
use super::outcomes::noticed_by;
use super::outcomes::{CleanShow, Outcomes};
use super::{Evaluation, Remedy};
use crate::doubt::{DelayVerdict, DropoutVerdict, Rigs};
use crate::load::{BlockLoad, BoundBy, WorkDoubt, WorkShare, critical_path};
use crate::loops::far::{Forbidden, LateOnLine, clean_buffer, forbidden, late_on_line};
use crate::loops::{Electric, Loop, playback_loop};
use crate::plan::arranged;
use crate::plan::outcomes::longest;
use crate::plan::outcomes::loops_after;
use crate::plan::outcomes::tightest_first;
use crate::plan::taken::RemediesTaken;
use crate::rig::FarSetting;
use crate::risk::Dropouts;
use swiftloop_units::ids::RemedyId;
use swiftloop_units::{MegabytesPerSecond, Micros, Ms, Origin, PerHour, Share};

#[derive(Debug, Clone)]
pub struct RollLoad {
    pub load: BlockLoad,
    /// From release to done, cue blocks served first.
    pub response: Micros,
}

/// Everything there is to say about one arrangement.
#[derive(Debug, Clone)]
pub struct Report {
    /// The loops of the phase, the worst verdict and then the least room under its limit first.
    pub loops: Vec<Loop>,
    /// The device's block.
    pub cue: BlockLoad,
    pub roll: Option<RollLoad>,
    /// Dropouts per hour, all causes.
    pub dropouts: Dropouts,
    /// Of these, from the disk.
    pub from_disk: Dropouts,
    /// Of these, from memory.
    pub from_memory: Dropouts,
    pub target: PerHour,
    /// In which share of rigs there are no more than allowed.
    pub holds: Share,
    /// In which share of rigs that is so, and everybody can play in time.
    pub sound: Share,
    /// What becomes of it in every rig.
    pub outcomes: Outcomes,
    /// Of what has no second try: in which share nothing breaks from beginning to end.
    pub clean: Option<CleanShow>,
    /// Where the wake-up delays came from.
    pub profile: Origin,
    /// Remedies applied to session and machine.
    pub remedies: Vec<Remedy>,
    /// Remedies that lie in the arrangement itself: rendering ahead, cores, device blocks.
    pub arranged: Vec<Remedy>,
    pub streams: MegabytesPerSecond,
    /// From cursor to ear.
    pub cursor: Loop,
    /// Late packets on each line that was measured.
    pub lines: Vec<LateOnLine>,
    /// Far sides that distance forbids.
    pub forbidden: Vec<Forbidden>,
}

impl Report {
    /// The verdict on the dropouts.
    #[must_use]
    pub fn verdict(&self) -> DropoutVerdict {
        DropoutVerdict::of(self.holds)
    }

    /// Limits and target are met in most rigs.
    #[must_use]
    pub fn is_met(&self) -> bool {
        self.sound >= LIKELY && !self.lines.iter().any(LateOnLine::breaks)
    }

    /// What is said of the worst loop.
    #[must_use]
    pub fn worst_delay(&self) -> DelayVerdict {
        self.loops.iter().map(Loop::verdict).max().unwrap_or(DelayVerdict::Immediate)
    }

    /// What it counts like that performers notice their delay.
    #[must_use]
    pub fn noticed(&self) -> u32 {
        noticed_by(&self.loops)
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

    /// The loop with the least room under its limit.
    #[must_use]
    pub fn tightest(&self) -> Option<&Loop> {
        self.loops.iter().min_by(|a, b| tightest_first(a, b))
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

/// Limits and target are met in most rigs from here on.
const LIKELY: Share = Share::new(0.5);

/// The report of an evaluation with `chosen` remedies.
#[must_use]
pub fn report(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Report {
    let problem = evaluation.problem;
    let applied = problem.question.apply(chosen, &[]);
    let setting = &evaluation.arrangement.setting;
    let loops = loops_after(evaluation, &applied);
    let rigs = problem.question.context.rigs;
    let times = BlockTimes::of(evaluation, &applied);
    let rates = evaluation.rates(&applied, &times);
    let outcomes = Outcomes::of(evaluation, &loops, rates);
    let from_disk = evaluation.from_disk(&applied);
    let from_memory = evaluation.from_memory(&applied);
    let cue_risk = evaluation.cue_risk(&applied);
    let cue_deadline = cue_risk.period * cue_risk.reserve.typical().raw();
    let cue = block_load(evaluation, &evaluation.cue, &applied, &times.cue, cue_deadline);
    let roll = match (&evaluation.roll, &times.roll) {
        (Some(work), Some(roll)) => {
            let deadline = evaluation.roll_risk(roll.block, &applied).period;
            let load = block_load(evaluation, work, &applied, &roll.worked, deadline);
            Some(RollLoad { load, response: roll.longest() })
        }
        (Some(_) | None, _) => None,
    };
    let holds = rigs.share(|i| outcomes.holds(i));
    let sound = outcomes.sound(rigs);
    Report {
        loops,
        cue,
        roll,
        dropouts: between(evaluation.dropouts(&applied), &outcomes.rates, rigs),
        from_disk,
        from_memory,
        target: problem.question.target,
        holds,
        sound,
        clean: problem.question.one_take().map(|take| CleanShow::of(take, &outcomes.rates, rigs)),
        outcomes,
        profile: problem.question.machine(&applied).wake.origin,
        remedies: chosen.iter().map(|&r| problem.question.remedies[r].clone()).collect(),
        arranged: arranged(&problem.question.context, problem.question.phase, &evaluation.arrangement),
        streams: problem.question.streams_after(&applied),
        lines: lines(evaluation),
        forbidden: forbidden(&problem.question.context, problem.question.phase),
        cursor: playback_loop(
            &problem.question.context,
            setting,
            &Electric::of(&problem.question.context, setting),
        ),
    }
}

/// Late packets on each line that was measured.
fn lines(evaluation: &Evaluation<'_, '_>) -> Vec<LateOnLine> {
    let (problem, link) = (evaluation.problem, &evaluation.arrangement.link);
    let allowed = problem.question.context.session.late_packets_in(problem.question.phase);
    let straight = link.fars.iter().filter(|_| link.route.is_none());
    let minutes = problem
        .question
        .phase
        .minutes
        .or(problem.question.one_take().map(|t| t.raw() / 60.0))
        .filter(|m| *m > 0.0);
    let late = |far: &FarSetting| {
        let line = late_on_line(&problem.question.context, far, problem.question.rate, allowed)?;
        let clean_at =
            minutes.and_then(|m| clean_buffer(&problem.question.context, far, problem.question.rate, m));
        Some(LateOnLine { minutes, clean_at, ..line })
    };
    straight.filter_map(late).collect()
}

/// What nine of ten rigs have at the least and at the most, around what is typical.
fn between(typical: PerHour, rates: &[f64], rigs: &Rigs) -> Dropouts {
    let (low, high) = (PerHour::new(rigs.at_least(rates, 0.9)), PerHour::new(rigs.at_most(rates, 0.9)));
    Dropouts { low: low.min(typical), typical, high: high.max(typical) }
}

/// From this ratio of the worst to the mean block on it is bursts that keep it long.
const BURSTY: f64 = 1.5;

fn block_load(
    evaluation: &Evaluation<'_, '_>,
    block: &BlockWork,
    applied: &RemediesTaken,
    worked: &[Worked],
    deadline: Micros,
) -> BlockLoad {
    let (routes, rigs) =
        (evaluation.problem.question.context.session.routes(), evaluation.problem.question.context.rigs);
    let workers = evaluation.arrangement.workers;
    let by_time = |&a: &usize, &b: &usize| {
        // What differs by rounding only is alike: then all work counts.
        let key = |k: usize| ((worked[k].typical.raw() * 1e6).round(), worked[k].total.raw());
        key(a).0.total_cmp(&key(b).0).then(key(a).1.total_cmp(&key(b).1))
    };
    let worst_at = (0..worked.len()).max_by(by_time).unwrap_or(0);
    let worst = worked[worst_at];
    let cost = block.node_costs(&evaluation.problem.question, worst_at, applied);
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
        doubt: WorkDoubt::of(&evaluation.spread(block, worked, applied).factors(rigs), rigs),
        mean,
        bound_by,
        critical_chain: chain,
        distribution: worked.iter().map(|w| WorkShare { share: w.share, work: w.typical }).collect(),
        capped: block.cycle.capped,
    }
}
