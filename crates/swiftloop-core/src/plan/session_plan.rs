//! The plan: one rate for the whole session, for each interface one sequence through its phases. Exact: dynamic
//! programming over every candidate of every phase, compared by what speaks against each.

use super::chosen::{Choice, choice};
use super::judge::{noticeable, objections_met, sound, unsure};
use super::measure::{Proposed, together};
use super::question::PhaseQuestion;
use super::search::{Candidate, Met, Outcome};
use super::search::{share_of, solved};
use super::sequence::{Objection, Objections, Switches, best_sequence};
use super::steps::{PhaseStep, steps};
use super::why::WeighedPhase;
use super::{Arrangement, Evaluation, PhaseProblem};
use crate::loops::Context;
use crate::loops::far::LateOnLine;
use crate::risk::{Remembered, StepMeter};
use crate::session::Phase;
use std::cmp::Reverse;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use swiftloop_units::Hz;
use swiftloop_units::ids::{InterfaceId, PhaseId};
use swiftloop_units::workers::Workers;

/// A rate that was weighed and lost.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OtherRate {
    pub rate: Hz,
    /// In what it is worse over the whole session; nothing where there is no difference.
    pub worse_in: Option<Objection>,
}

/// An interface that cannot run at the rate at all, with the phase that wants it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Silent {
    pub interface: InterfaceId,
    pub phase: PhaseId,
}

/// How many settings of a plan can be had.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Tally {
    pub all: usize,
    /// Those that work in 9 of 10 rigs.
    pub sure: usize,
    /// Of these, those that need no change.
    pub unchanged: usize,
}

#[derive(Debug, Clone)]
pub struct Plan {
    /// The rate for the whole session.
    pub rate: Hz,
    /// Rates that were weighed and lost.
    pub other_rates: Vec<OtherRate>,
    /// A choice for each interface and phase, phases in order.
    pub choices: Vec<Choice>,
    /// Interfaces that cannot run at the rate at all.
    pub silent: Vec<Silent>,
    /// What to change from phase to phase, in the order of the choices.
    pub steps: Vec<PhaseStep>,
    /// What to measure next, the best for its time first.
    pub measure: Vec<Proposed>,
}

impl Plan {
    /// The choice for an interface and phase.
    #[must_use]
    pub fn choice(&self, interface: InterfaceId, phase: PhaseId) -> Option<&Choice> {
        self.choices.iter().find(|c| c.interface == interface && c.phase == phase)
    }

    /// Everything that was asked for can be had.
    #[must_use]
    pub fn is_possible(&self) -> bool {
        let done = |c: &Choice| {
            let line = !c.report.lines.iter().any(LateOnLine::breaks) && c.report.forbidden.is_empty();
            c.missed.is_none() && line
        };
        self.silent.is_empty() && self.choices.iter().all(done)
    }

    /// How many settings can be had.
    #[must_use]
    pub fn tally(&self) -> Tally {
        let sure = self.choices.iter().filter(|c| c.is_sure());
        Tally {
            all: self.choices.len() + self.silent.len(),
            unchanged: sure.clone().filter(|c| c.effort == 0).count(),
            sure: sure.count(),
        }
    }

    /// Only what `shown` says of interfaces and phases.
    pub fn retain(&mut self, shown: impl Fn(InterfaceId, PhaseId) -> bool) {
        self.choices.retain(|c| shown(c.interface, c.phase));
        self.steps.retain(|s| shown(s.interface, s.phase));
        self.silent.retain(|s| shown(s.interface, s.phase));
        self.measure = together(self.choices.iter().flat_map(|c| c.measure.iter().cloned()));
    }
}

/// Plans every interface and phase.
#[must_use]
pub fn plan(context: Context<'_>, workers: &impl Workers) -> Plan {
    // Phases ask much of the same.
    let remembered = Arc::new(Remembered::default());
    let mut best: Option<PlannedRate<'_>> = None;
    let mut lost: Vec<(Hz, Objections)> = Vec::new();
    for rate in context.session.rates() {
        let planned = plan_with((context, &remembered), rate, None, workers);
        let better = best.as_ref().is_none_or(|b| planned.objections.less_than(&b.objections));
        let loser = if better { best.replace(planned) } else { Some(planned) };
        lost.extend(loser.map(|l| (l.rate, l.objections)));
    }
    let Some(best) = best else {
        let rate = context.session.deliver.rate_hz;
        return Plan {
            rate,
            other_rates: vec![],
            choices: vec![],
            silent: vec![],
            steps: vec![],
            measure: vec![],
        };
    };
    let worse = |(rate, objections): (Hz, Objections)| OtherRate {
        rate,
        worse_in: objections.first_difference(&best.objections).map(|(place, _)| place),
    };
    let other_rates = lost.into_iter().map(worse).collect();
    // What is printed for one phase is printed for all.
    let best = match best.prints() {
        Some(prints) => {
            let rate = best.rate;
            plan_with((context, &remembered), rate, Some((&prints, best)), workers)
        }
        None => best,
    };
    best.finish(other_rates, workers)
}

/// Tracks that are printed for the phase that needs most prints.
struct Prints {
    /// The remedies that print them.
    ids: Vec<String>,
    /// The phase, on which interface.
    of: (InterfaceId, PhaseId),
}

/// A phase on an interface with what was weighed and the candidate that was chosen.
struct ChosenPhase<'a> {
    phase: PhaseId,
    weighed: WeighedPhase<'a>,
    candidate: usize,
}

struct PlannedRate<'a> {
    context: Context<'a>,
    rate: Hz,
    objections: Objections,
    /// Interface by interface, phases in order.
    chosen: Vec<ChosenPhase<'a>>,
    silent: Vec<Silent>,
}

/// Plans for one rate. Where some tracks are printed anyway the phase that they are printed for stays as it was planned before.
fn plan_with<'a>(
    (context, remembered): (Context<'a>, &Arc<Remembered>),
    rate: Hz,
    printed: Option<(&Prints, PlannedRate<'a>)>,
    workers: &impl Workers,
) -> PlannedRate<'a> {
    let mut planned = PlannedRate {
        context,
        rate,
        objections: Objections::default(),
        chosen: Vec::new(),
        silent: Vec::new(),
    };
    let mut wanted: Vec<(InterfaceId, PhaseId)> = Vec::new();
    for (interface, about) in context.rig.interface_ids() {
        let meant = |phase: &Phase| phase.interfaces.as_ref().is_none_or(|all| all.contains(&about.id));
        let phases = context.session.phase_ids().filter(|(_, phase)| meant(phase));
        wanted.extend(phases.map(|(phase, _)| (interface, phase)));
    }
    let (prints, mut before) = match printed {
        Some((prints, before)) => (Some(prints), before.weighed()),
        None => (None, BTreeMap::new()),
    };
    let kept = prints.and_then(|prints| before.remove_entry(&prints.of));
    if let Some((of, _)) = &kept {
        wanted.retain(|w| w != of);
    }
    // What was worked out before is known still: only efforts have changed.
    let before = Mutex::new(before);
    let known = |w| before.lock().unwrap_or_else(PoisonError::into_inner).remove(&w);
    // Every rate is planned, and the best one once more with what is printed for all.
    let together = share_of(context.session.rates().len() + 1);
    let solved = solved(wanted, together, workers, |(interface, phase)| {
        let before = known((interface, phase)).map(|weighed: WeighedPhase<'a>| weighed.problem);
        let problem = before.unwrap_or_else(|| {
            let question = PhaseQuestion::new(context, interface, phase, rate);
            PhaseProblem::of(question, StepMeter::sharing(Arc::clone(remembered)))
        });
        match prints {
            Some(prints) => problem.with_done(&prints.ids),
            None => problem,
        }
    });
    let mut weighed = workers.map(solved, |((interface, phase), problem, candidates)| {
        let mut objections: Vec<Objections> = candidates.iter().map(|c| objections_to(&problem, c)).collect();
        noticeable(&mut objections, problem.question.kind.least_delay);
        (interface, phase, WeighedPhase { problem, candidates, objections })
    });
    weighed.extend(kept.map(|((interface, phase), weighed)| (interface, phase, weighed)));
    weighed.sort_by_key(|(interface, phase, _)| (*interface, *phase));
    let mut by_interface: Vec<Vec<(PhaseId, WeighedPhase<'a>)>> = Vec::new();
    by_interface.resize_with(context.rig.interfaces.len(), Vec::new);
    for (interface, phase, weighed) in weighed {
        if weighed.candidates.is_empty() {
            planned.silent.push(Silent { interface, phase });
            planned.objections.limits += 1.0;
        } else {
            by_interface[interface.index()].push((phase, weighed));
        }
    }
    for stages in by_interface {
        let objections: Vec<Vec<Objections>> = stages.iter().map(|(_, w)| w.objections.clone()).collect();
        let (sum, sequence) = best_sequence(&objections, |stage, i, j| {
            let of = |stage: usize, c: usize| &stages[stage].1.candidates[c].arrangement;
            switches(of(stage, i), of(stage + 1, j))
        });
        planned.objections = planned.objections.plus(sum);
        let chosen = stages.into_iter().zip(sequence);
        planned.chosen.extend(chosen.map(|((phase, weighed), candidate)| ChosenPhase {
            phase,
            weighed,
            candidate,
        }));
    }
    planned
}

/// What speaks against one candidate on its own. Only those that may be chosen are looked at closely.
fn objections_to(problem: &PhaseProblem<'_>, candidate: &Candidate) -> Objections {
    let own_effort = || {
        f64::from(super::offer::arranged_effort(
            &problem.question.context,
            problem.question.phase,
            &candidate.arrangement,
        ))
    };
    match &candidate.outcome {
        Outcome::Meets(Met { remedies, effort, sure, .. }) => {
            let evaluation = Evaluation::new(problem, candidate.arrangement.clone());
            let met = objections_met(&evaluation, remedies);
            let missing = if *sure { 0.0 } else { unsure(sound(&evaluation, remedies)) };
            Objections {
                effort: f64::from(*effort) + met.effort,
                unsound: f64::from(u8::from(!*sure)),
                unsure: missing,
                ..met
            }
        }
        Outcome::Late { over, .. } => {
            Objections { limits: 1.0 + over.raw(), effort: own_effort(), ..Objections::default() }
        }
        // The nearest miss: least over the limit, then least often broken.
        Outcome::Fails { over, dropouts, .. } => {
            let times = *dropouts / problem.question.target;
            Objections {
                limits: if over.raw() > 0.0 { 1.0 + over.raw() } else { 0.0 },
                // With typical figures it may be few enough; it is missed all the same.
                target: if over.raw() > 0.0 && times <= 1.0 { 0.0 } else { 1.0 + times.max(1.0).ln() },
                effort: own_effort(),
                ..Objections::default()
            }
        }
        // Never chosen: something of the same driver is cheaper, or it cannot be done.
        Outcome::Dearer(_) | Outcome::NoRoll(_) => Objections::IMPOSSIBLE,
    }
}

/// What it takes to go from one arrangement to the next.
fn switches(from: &Arrangement, to: &Arrangement) -> Switches {
    let count = |changed: bool| f64::from(u8::from(changed));
    let changes = count(from.setting.buffer != to.setting.buffer)
        + count(from.roll != to.roll)
        + count(from.workers != to.workers);
    Switches { drivers: count(from.setting.driver != to.setting.driver), changes }
}

impl<'a> PlannedRate<'a> {
    /// What was weighed, by phases on interfaces.
    fn weighed(self) -> BTreeMap<(InterfaceId, PhaseId), WeighedPhase<'a>> {
        self.chosen
            .into_iter()
            .map(|c| ((c.weighed.problem.question.interface, c.phase), c.weighed))
            .collect()
    }

    /// The prints of the phase that needs most of them, where another phase would print other tracks.
    fn prints(&self) -> Option<Prints> {
        let of = |chosen: &ChosenPhase<'_>| {
            let Some(met) = chosen.weighed.candidates[chosen.candidate].outcome.met() else {
                return (0, Vec::new());
            };
            let all = &chosen.weighed.problem.question.remedies;
            let prints = met.remedies.iter().map(|r| &all[*r]).filter(|r| r.is_print());
            (prints.clone().map(|r| r.effort).sum::<u32>(), prints.map(|r| r.id.clone()).collect())
        };
        let each: Vec<(u32, Vec<String>)> = self.chosen.iter().map(of).collect();
        let most = (0..each.len()).max_by_key(|&k| (each[k].0, Reverse(k)))?;
        let (_, ids) = &each[most];
        let another = each.iter().any(|(_, other)| other.iter().any(|id| !ids.contains(id)));
        let twice = each.iter().filter(|(effort, _)| *effort > 0).count() > 1;
        let problem = &self.chosen[most].weighed.problem;
        (another || twice)
            .then(|| Prints { ids: ids.clone(), of: (problem.question.interface, problem.question.phase_id) })
    }

    fn finish(self, other_rates: Vec<OtherRate>, workers: &impl Workers) -> Plan {
        let all: Vec<&ChosenPhase<'_>> = self.chosen.iter().collect();
        let mut choices = workers.map(all, |c| choice(&c.weighed, c.candidate));
        choices.sort_by_key(|c| (c.phase, c.interface));
        let steps = steps(&self.context, &choices);
        let measure = together(choices.iter().flat_map(|c| c.measure.iter().cloned()));
        Plan { rate: self.rate, other_rates, choices, silent: self.silent, steps, measure }
    }
}
