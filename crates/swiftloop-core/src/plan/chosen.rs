//! The choice for one interface and phase: what was weighed there and the candidate that was taken come in; the setting goes out with
//! all that is said of it. Where nothing does what is asked for, the nearest miss, and what holds it back.

use super::judge::could_be;
use super::measure::{Proposed, worth};
use super::remedy::without_included;
use super::why::{
    Alternative, HeldBackBy, WeighedPhase, WithoutRoll, alternatives, held_back_by, without_roll,
};
use super::{
    Arrangement, Buys, Evaluation, PhaseProblem, Report, TradePoint, buys, default_workers, report, trade,
};
use crate::doubt::{HOPELESS, SURE};
use crate::loops::far::LateOnLine;
use crate::plan::WhyNot;
use crate::plan::judge::unsure;
use crate::plan::line::present;
use std::cmp::Reverse;
use swiftloop_units::Ms;
use swiftloop_units::Share;
use swiftloop_units::ids::{InterfaceId, PhaseId, RemedyId};

/// The choice for one interface and phase.
#[derive(Debug, Clone)]
pub struct Choice {
    pub interface: InterfaceId,
    pub phase: PhaseId,
    /// The arrangement, or the nearest miss.
    pub arrangement: Arrangement,
    /// Everything about it, remedies applied.
    pub report: Report,
    /// The same setting without any change: no remedy, nothing rendered ahead, the usual cores; when that differs.
    pub unchanged: Option<Report>,
    /// What each remedy of the report buys.
    pub buys: Vec<Buys>,
    /// Effort of arrangement and remedies.
    pub effort: u32,
    /// Largest possible distance of the effort from the least (0: proven).
    pub gap: u32,
    /// Set when no setting with any remedies meets limits and target: what holds it back.
    pub missed: Option<HeldBackBy>,
    /// In which share of rigs it could be had with every remedy; all where it can be had with these.
    pub could: Share,
    /// What would be without rendering ahead, when the choice renders ahead.
    pub without_roll: Option<WithoutRoll>,
    /// Every other setting with the reason why it lost, the nearest first.
    pub alternatives: Vec<Alternative>,
    /// Every buffer of the chosen driver with these remedies: for the picture of the trade.
    pub trade: Vec<TradePoint>,
    /// What measurements are worth here.
    pub measure: Vec<Proposed>,
}

impl Choice {
    /// Limits and target are met in 9 of 10 rigs.
    #[must_use]
    pub fn is_sure(&self) -> bool {
        self.missed.is_none()
            && self.report.sound >= SURE
            && !self.report.lines.iter().any(LateOnLine::breaks)
    }

    /// Fewer than 1 in 100 rigs could do it, with every remedy there is.
    #[must_use]
    pub fn is_impossible(&self) -> bool {
        self.could < HOPELESS
    }

    /// Why the plan chose this and not what `tried` reports with this effort.
    #[must_use]
    pub fn why_not(&self, tried: &Report, effort: u32) -> WhyNot {
        let planned = &self.report;
        if let Some(l) = tried.worst_over() {
            return WhyNot::Late { performer: l.performer, over: l.excess() };
        }
        if tried.dropouts.typical > tried.target {
            return WhyNot::Breaks { dropouts: tried.dropouts.typical, allowed: tried.target };
        }
        if self.missed.is_some() {
            return WhyNot::PlanMissed;
        }
        if planned.sound >= SURE && tried.sound < SURE {
            return WhyNot::LessSure;
        }
        if effort + tried.noticed() > self.effort + planned.noticed() {
            return if effort > self.effort {
                WhyNot::MoreEffort { effort, planned: self.effort, or_more: false }
            } else {
                WhyNot::Noticed
            };
        }
        if unsure(tried.sound) > unsure(planned.sound) {
            return WhyNot::LessSure;
        }
        let more = tried.slowest() - planned.slowest();
        if more > Ms::new(0.005) {
            return WhyNot::MoreDelay(more);
        }
        WhyNot::NoBetter
    }
}

/// What is said of the candidate `at` that was chosen.
pub(super) fn choice(weighed: &WeighedPhase<'_>, at: usize) -> Choice {
    let candidate = &weighed.candidates[at];
    let problem = &weighed.problem;
    let arrangement = candidate.arrangement.clone();
    let evaluation = Evaluation::new(problem, arrangement.clone());
    let met = candidate.outcome.met();
    let remedies = met.map_or_else(|| attempt(&evaluation), |met| met.remedies.clone());
    let effort = met.map_or_else(|| evaluation.effort(&remedies), |met| met.effort);
    let now = report(&evaluation, &remedies);
    let measure = worth(weighed, at, &remedies, &now);
    Choice {
        interface: problem.question.interface,
        phase: problem.question.phase_id,
        unchanged: (effort > 0).then(|| unchanged(problem, &arrangement)),
        missed: met.is_none().then(|| held_back_by(&evaluation, &remedies, &now)),
        buys: buys(&evaluation, &remedies),
        report: now,
        effort,
        gap: met.map_or(0, |met| met.gap),
        could: if met.is_some() { Share::new(1.0) } else { could_be(&evaluation) },
        without_roll: arrangement.roll.and_then(|_| without_roll(weighed, at)),
        alternatives: alternatives(weighed, at),
        trade: trade(problem, &arrangement, &remedies),
        measure,
        arrangement,
    }
}

/// The report of a setting without any change.
fn unchanged(problem: &PhaseProblem<'_>, arrangement: &Arrangement) -> Report {
    let workers =
        default_workers(problem.question.context.session, problem.question.context.rig.machine.cores);
    let setting = arrangement.setting.clone();
    let link = present(&problem.question.context, problem.question.phase, setting.rate);
    let bare = Arrangement { setting, roll: None, workers, link };
    report(&Evaluation::new(problem, bare), &[])
}

/// So much more of a miss is none.
const NO_WORSE: f64 = 1.5;

/// For what cannot be done: every remedy that shortens a loop or lightens the load, less those that change nothing and
/// those that another one includes; what rendering ahead demands stays.
fn attempt(evaluation: &Evaluation<'_, '_>) -> Vec<RemedyId> {
    let problem = evaluation.problem;
    let mut all: Vec<RemedyId> =
        problem.question.remedies.keys().filter(|&r| evaluation.may_help(r)).collect();
    let judge = |set: &[RemedyId]| {
        let applied = problem.question.apply(set, &[]);
        (
            evaluation.excess(&applied).frames.raw(),
            evaluation.dropouts(&applied).max(problem.question.target).raw(),
        )
    };
    let best = judge(&all);
    // Dearest first: what can be missed without making the miss larger is not worth its effort.
    let mut order = all.clone();
    order.sort_by_key(|&r| Reverse(problem.question.remedies[r].effort));
    for r in order {
        let without: Vec<RemedyId> = all.iter().copied().filter(|&x| x != r).collect();
        let now = judge(&without);
        let rides = evaluation.rides(&problem.question.apply(&without, &[]));
        if rides && now.0 <= best.0 + 1e-9 && now.1 <= best.1 * NO_WORSE {
            all = without;
        }
    }
    without_included(&problem.question.remedies, &all)
}
