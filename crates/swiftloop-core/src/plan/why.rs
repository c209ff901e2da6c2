//! Why the plan is as it is: what each remedy buys, what holds a phase back that cannot be done, why other settings lost,
//! what would be without rendering ahead. Reasons with figures; nothing is decided here, and no words are chosen.

use super::judge::{SLUGGISH, sound};
use super::outcomes::loops_after;
use super::search::{Candidate, Met, Outcome};
use super::sequence::{Objection, Objections};
use super::{Arrangement, Evaluation, PhaseProblem, Report};
use crate::load::{BoundBy, WorkShare};
use crate::loops::{LegKind, LoopKind};
use crate::rig::Offered;
use crate::risk::BlockMix;
use std::cmp::Ordering;
use swiftloop_units::ids::{NodeId, PerformerId, ProcessorId, RemedyId};
use swiftloop_units::{Micros, Ms, PerHour, Share};

/// What one remedy of a set buys: what would be without it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Buys {
    /// By how much longer some performer would wait, the most of all.
    pub delay: Ms,
    /// Dropouts there would be.
    pub dropouts_without: PerHour,
    /// In which share of rigs limits and target would be met, where it is not for delay alone.
    pub sound_without: Option<Share>,
}

/// What each remedy of `chosen` buys beside the others: of the performer who would wait the most longer, by how much.
#[must_use]
pub fn buys(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Vec<Buys> {
    let problem = evaluation.problem;
    let judge = |set: &[RemedyId]| {
        let applied = problem.question.apply(set, &[]);
        let loops = loops_after(evaluation, &applied);
        let each: Vec<_> = loops.iter().map(|l| ((l.performer, l.far), l.total.typical())).collect();
        (each, evaluation.dropouts(&applied))
    };
    let (with, _) = judge(chosen);
    let each = |&r: &RemedyId| {
        let set: Vec<RemedyId> = chosen.iter().copied().filter(|&x| x != r).collect();
        let (without, dropouts_without) = judge(&set);
        let longer = without.iter().filter_map(|(who, delay)| {
            let same = with.iter().find(|(other, _)| other == who)?;
            Some(*delay - same.1)
        });
        let delay = longer.fold(Ms::new(0.0), Ms::max);
        let sound_without = (delay.raw() <= 0.0).then(|| sound(evaluation, &set));
        Buys { delay, dropouts_without, sound_without }
    };
    chosen.iter().map(each).collect()
}

/// A setting that was weighed and lost.
#[derive(Debug, Clone)]
pub struct Alternative {
    pub arrangement: Arrangement,
    pub why: WhyNot,
}

/// Why a setting is not the plan's.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum WhyNot {
    /// A performer is over the limit here, as it was tried.
    Late { performer: Option<PerformerId>, over: Ms },
    /// It breaks more often than is allowed, as it was tried.
    Breaks { dropouts: PerHour, allowed: PerHour },
    /// A performer stays over the limit with every remedy there is.
    AlwaysLate {
        performer: Option<PerformerId>,
        over: Ms,
        /// In more than 1 of 10 rigs; else with typical figures.
        in_some: bool,
    },
    /// It breaks more often than is allowed with every remedy there is.
    AlwaysBreaks {
        dropouts: PerHour,
        /// In more than 1 of 10 rigs; else with typical figures.
        in_some: bool,
    },
    /// It takes more effort.
    MoreEffort {
        /// At least this much.
        effort: u32,
        /// Instead of this much.
        planned: u32,
        /// It was not looked for any further: it may be more, or not possible at all.
        or_more: bool,
    },
    /// Rendering ahead is not possible: this processor can neither ride the cue block nor be bypassed.
    CannotRoll(ProcessorId),
    /// It meets everything with typical figures, but in fewer rigs.
    LessSure,
    /// It meets everything, but more performers notice their delay.
    Noticed,
    /// It meets everything, with more delay.
    MoreDelay(Ms),
    /// It meets everything, with less room to grow.
    LessRoom {
        /// The share of a block's time that is free here.
        here: f64,
        /// The same of the plan.
        planned: f64,
    },
    /// It meets everything; playback starts later than is comfortable.
    SlowStart,
    /// It meets everything; the plan has fewer changes between phases.
    MoreChanges,
    /// It meets everything, and in nothing is it better by as much as anybody would notice.
    NoBetter,
    /// The plan found nothing that meets everything; this does.
    PlanMissed,
}

/// What holds back a phase that cannot be done.
#[derive(Debug, Clone, PartialEq)]
pub enum HeldBackBy {
    /// A performer's limit.
    Limit {
        performer: Option<PerformerId>,
        kind: LoopKind,
        delay: Ms,
        limit: Ms,
        longest: Option<(LegKind, Ms)>,
    },
    /// Memory that runs out.
    Memory(Overrun),
    /// A disk that does not keep up.
    Disk(Overrun),
    /// Late wake-ups, even without any work.
    WakeUps(Overrun),
    /// The work of a block.
    Work {
        /// What keeps it long.
        bound_by: BoundBy,
        chain: Vec<NodeId>,
        /// How often it breaks.
        overrun: Overrun,
    },
}

/// Dropouts against what is allowed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Overrun {
    pub caused: PerHour,
    pub all: PerHour,
    pub allowed: PerHour,
}

/// What would be without rendering ahead, where the plan renders ahead.
#[derive(Debug, Clone, PartialEq)]
pub enum WithoutRoll {
    /// It could be done, with at least this effort.
    Effort(u32),
    /// No buffer meets the limits.
    Late { buffer: Offered, over: Ms },
    /// Every buffer breaks too often.
    Breaks { buffer: Offered, dropouts: PerHour },
}

/// Less headroom, or a start of playback that is slower than comfortable.
fn headroom(here: f64, planned: f64) -> WhyNot {
    if here >= SLUGGISH / 2.0 {
        WhyNot::SlowStart
    } else {
        WhyNot::LessRoom { here: -here, planned: -planned }
    }
}

/// What holds back the nearest miss. A cause is named only if without it the target would be met, or nearly.
pub(super) fn held_back_by(
    evaluation: &Evaluation<'_, '_>,
    chosen: &[RemedyId],
    report: &Report,
) -> HeldBackBy {
    if let Some(worst) = report.worst_over() {
        return HeldBackBy::Limit {
            performer: worst.performer,
            kind: worst.kind,
            delay: worst.total.typical(),
            limit: worst.limit.as_ref().map_or(Ms::new(0.0), |l| l.fails),
            longest: worst.longest_leg().map(|leg| (leg.kind, leg.span.typical())),
        };
    }
    let allowed = report.target;
    let all = report.dropouts.typical;
    let overrun = |caused| Overrun { caused, all, allowed };
    let (memory, disk) = (report.from_memory.typical, report.from_disk.typical);
    let rest = (all - memory - disk).max(allowed);
    if memory > rest {
        return HeldBackBy::Memory(overrun(memory));
    }
    if disk > rest {
        return HeldBackBy::Disk(overrun(disk));
    }
    let without_work = wake_ups_alone(evaluation, chosen);
    if without_work > allowed {
        return HeldBackBy::WakeUps(overrun(without_work));
    }
    let busiest = report.busiest();
    HeldBackBy::Work {
        bound_by: busiest.bound_by,
        chain: busiest.critical_chain.clone(),
        overrun: overrun(all - memory - disk),
    }
}

/// Dropouts there would be without any work at all: those of late wake-ups.
#[must_use]
pub fn wake_ups_alone(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> PerHour {
    let applied = evaluation.problem.question.apply(chosen, &[]);
    evaluation
        .cue_risk(&applied)
        .typical(&BlockMix::mixed(&[WorkShare { share: 1.0, work: Micros::new(0.0) }]))
}

/// One phase with every candidate and what speaks against each, switches not counted.
pub(super) struct WeighedPhase<'a> {
    pub(super) problem: PhaseProblem<'a>,
    pub(super) candidates: Vec<Candidate>,
    pub(super) objections: Vec<Objections>,
}

/// The best that the chosen driver can do without rendering ahead.
pub(super) fn without_roll(weighed: &WeighedPhase<'_>, chosen: usize) -> Option<WithoutRoll> {
    let driver = weighed.candidates[chosen].arrangement.setting.driver;
    let plain = weighed
        .candidates
        .iter()
        .filter(|c| c.arrangement.roll.is_none() && c.arrangement.setting.driver == driver);
    let efforts = plain.clone().filter_map(|c| match c.outcome {
        Outcome::Meets(Met { effort, .. }) => Some(effort),
        Outcome::Dearer(least) => Some(least),
        Outcome::Fails { .. } | Outcome::Late { .. } | Outcome::NoRoll(_) => None,
    });
    if let Some(least) = efforts.min() {
        return Some(WithoutRoll::Effort(least));
    }
    // Of the settings that meet the limits, the one that breaks least; or else the one that misses them by least.
    let misses = plain.filter_map(|c| match c.outcome {
        Outcome::Late { over, .. } => Some((over, PerHour::new(0.0), &c.arrangement.setting.buffer)),
        Outcome::Fails { over, dropouts, .. } => Some((over, dropouts, &c.arrangement.setting.buffer)),
        Outcome::Meets(_) | Outcome::Dearer(_) | Outcome::NoRoll(_) => None,
    });
    let order = |a: &(Ms, PerHour, &Offered), b: &(Ms, PerHour, &Offered)| {
        a.0.raw().total_cmp(&b.0.raw()).then(a.1.raw().total_cmp(&b.1.raw()))
    };
    let (over, dropouts, buffer) = misses.min_by(order)?;
    let buffer = buffer.clone();
    Some(if over.raw() > 0.0 {
        WithoutRoll::Late { buffer, over }
    } else {
        WithoutRoll::Breaks { buffer, dropouts }
    })
}

/// Every other setting with the reason why it lost, those that lose by the least first.
pub(super) fn alternatives(weighed: &WeighedPhase<'_>, chosen: usize) -> Vec<Alternative> {
    let own = &weighed.candidates[chosen].arrangement;
    let rank = |c: &Candidate, objections: &Objections| match c.outcome {
        Outcome::Dearer(least) => Objections { effort: f64::from(least), ..Objections::default() },
        Outcome::Meets(_) | Outcome::Fails { .. } | Outcome::Late { .. } | Outcome::NoRoll(_) => *objections,
    };
    let mut others: Vec<(Objections, &Candidate)> = weighed
        .candidates
        .iter()
        .zip(&weighed.objections)
        .filter(|(c, _)| c.arrangement.setting != own.setting && !matches!(c.outcome, Outcome::NoRoll(_)))
        .map(|(c, o)| (rank(c, o), c))
        .collect();
    others.sort_by(|a, b| a.0.compare(&b.0));
    let mut answer: Vec<Alternative> = Vec::new();
    for (objections, candidate) in others {
        if answer.iter().any(|a| a.arrangement.setting == candidate.arrangement.setting) {
            continue;
        }
        let why = why_lost(weighed, chosen, candidate, &objections);
        answer.push(Alternative { arrangement: candidate.arrangement.clone(), why });
    }
    answer
}

fn why_lost(weighed: &WeighedPhase<'_>, chosen: usize, lost: &Candidate, objections: &Objections) -> WhyNot {
    let own = &weighed.objections[chosen];
    let chosen = &weighed.candidates[chosen];
    let met = chosen.outcome.met();
    let planned = met.map_or(own.effort as u32, |met| met.effort);
    let in_some = met.is_some_and(|met| met.sure);
    match &lost.outcome {
        Outcome::Late { over, performer } => {
            WhyNot::AlwaysLate { performer: *performer, over: *over, in_some }
        }
        Outcome::Fails { over, performer, .. } if over.raw() > 0.0 => {
            WhyNot::AlwaysLate { performer: *performer, over: *over, in_some }
        }
        Outcome::Fails { dropouts, .. } => WhyNot::AlwaysBreaks { dropouts: *dropouts, in_some },
        Outcome::Dearer(least) => WhyNot::MoreEffort { effort: *least, planned, or_more: true },
        Outcome::NoRoll(processor) => WhyNot::CannotRoll(*processor),
        Outcome::Meets(Met { effort, .. }) => match objections.first_difference(own) {
            Some((Objection::Effort, Ordering::Greater)) if *effort > planned => {
                WhyNot::MoreEffort { effort: *effort, planned, or_more: false }
            }
            Some((Objection::Effort, Ordering::Greater)) => WhyNot::Noticed,
            Some((Objection::Unsound | Objection::Unsure, Ordering::Greater)) => WhyNot::LessSure,
            Some((Objection::Last, Ordering::Greater)) if weighed.problem.question.kind.least_delay => {
                WhyNot::MoreDelay(Ms::new(objections.fine - own.fine))
            }
            Some((Objection::Last, Ordering::Greater)) => headroom(objections.fine, own.fine),
            Some((Objection::Last | Objection::Fine, _)) => WhyNot::NoBetter,
            Some(_) | None => WhyNot::MoreChanges,
        },
    }
}
