//! Every arrangement of one phase, and the cheapest set of remedies for each that could matter.

use super::cheapest_set::{CheapestSet, Found, SEARCH_NODES, SetProblem, cheapest_set_within, equally_cheap};
use super::evaluation::{allowed, excess};
use super::remedy::without_included;
use super::report::glance;
use super::sequence::Objections;
use super::work_limit::WorkLimits;
use super::{Arrangement, Evaluation, PhaseProblem};
use crate::ids::{PerformerId, ProcessorId, RemedyId};
use crate::session::Session;
use crate::units::{Block, Ms, PerHour};

/// Nodes that are visited to find any set at all.
const DIVE_NODES: usize = 2_000;
/// Nodes that all settings of one driver may take until the purse is given up: from then on the first sets that are found are
/// taken, with how far off they may be.
const DRIVER_NODES: usize = 8_000;

/// What became of one arrangement.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    /// Limits and target are met with these remedies.
    Meets {
        /// The remedies.
        remedies: Vec<RemedyId>,
        /// Their effort and that of the arrangement.
        effort: u32,
        /// Proven cheapest; otherwise the effort lies at most `gap` above the truth.
        exact: bool,
        /// Largest possible distance from the truth.
        gap: u32,
    },
    /// It could be met, but only with at least this effort, which is more than another arrangement of the same driver.
    Dearer(u32),
    /// Not even every remedy together meets limits and target.
    Fails {
        /// How far the worst performer stays over the limit.
        over: Ms,
        /// Who.
        performer: Option<PerformerId>,
        /// Dropouts per hour that remain.
        dropouts: PerHour,
    },
    /// Some performer stays over the limit whatever is done; the load was not looked at.
    Late {
        /// How far over.
        over: Ms,
        /// Who.
        performer: Option<PerformerId>,
    },
    /// Rendering ahead is not possible here: this processor can neither ride the cue block nor be bypassed.
    NoRoll(ProcessorId),
}

/// An arrangement and what became of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// The arrangement.
    pub arrangement: Arrangement,
    /// What became of it.
    pub outcome: Outcome,
}

/// Numbers of workers that may be tried: the session's own first, then one fewer, then one more.
fn worker_options(problem: &PhaseProblem<'_>) -> Vec<u32> {
    let cores = problem.context.rig.machine.cores;
    let own = default_workers(problem.context.session, cores);
    let mut options = vec![own];
    // A reserved core only helps when others would otherwise take time from the session.
    if own > 1 && own == cores {
        options.push(own - 1);
    }
    if own < cores {
        options.push(own + 1);
    }
    options
}

/// Workers of a session on so many cores: one a core, hardware threads that share a core not counted.
#[must_use]
pub fn default_workers(session: &Session, cores: u32) -> u32 {
    session.engine.workers.unwrap_or(cores).clamp(1, cores.max(1))
}

/// Every arrangement of a phase.
fn arrangements(problem: &PhaseProblem<'_>) -> Vec<Arrangement> {
    let context = &problem.context;
    let engine = &context.session.engine;
    let mut all = Vec::new();
    for setting in context.settings(problem.interface, problem.rate) {
        let mut rolls: Vec<Option<Block>> = vec![None];
        if engine.renders_ahead && !problem.live.is_empty() {
            rolls.extend(engine.roll_frames.iter().filter(|b| **b > setting.buffer.block).map(|&b| Some(b)));
        }
        for workers in worker_options(problem) {
            all.extend(rolls.iter().map(|&roll| Arrangement { setting: setting.clone(), roll, workers }));
        }
    }
    all
}

/// Solves one arrangement; sets that take more than `most` are of no interest.
#[must_use]
pub fn solve(problem: &PhaseProblem<'_>, arrangement: &Arrangement, most: u32) -> Outcome {
    match Unsolved::new(problem, arrangement, &WorkLimits::default()) {
        Ok(mut unsolved) => unsolved.solve(most),
        Err(outcome) => outcome,
    }
}

/// An arrangement whose remedies are still to be found.
struct Unsolved<'s, 'a> {
    evaluation: Evaluation<'s, 'a>,
    forced: Vec<RemedyId>,
    items: Vec<RemedyId>,
    /// Nothing cheaper is possible.
    at_least: u32,
}

impl<'s, 'a> Unsolved<'s, 'a> {
    /// Gets ready; an outcome at once when the arrangement is not possible at all.
    fn new(
        problem: &'s PhaseProblem<'a>,
        arrangement: &Arrangement,
        limits: &WorkLimits,
    ) -> Result<Self, Outcome> {
        let mut forced = match (&arrangement.roll, &problem.forced_by_roll) {
            (None, _) => Vec::new(),
            (Some(_), Ok(forced)) => forced.clone(),
            (Some(_), Err(processor)) => return Err(Outcome::NoRoll(*processor)),
        };
        if let Some((performer, over)) = problem.late_direct {
            return Err(Outcome::Late { over, performer: Some(performer) });
        }
        let shortest = &problem.shortest;
        let late =
            excess(problem, &allowed(problem, &arrangement.setting), &shortest.latency, &shortest.direct);
        if late.frames.raw() > 0.0 {
            return Err(Outcome::Late { over: late.frames.at(problem.rate), performer: late.performer });
        }
        let mut evaluation = Evaluation::sharing(problem, arrangement.clone(), limits.clone());
        // Whoever is late even with the lightest chain of their own has to go direct: no search will find otherwise.
        forced.extend(evaluation.must_go_direct());
        evaluation.force(&forced);
        let items: Vec<RemedyId> =
            problem.remedies.keys().filter(|r| !forced.contains(r) && evaluation.may_help(*r)).collect();
        let given = evaluation.effort(&forced);
        let state = evaluation.state(&forced);
        let at_least = if evaluation.satisfied(&state) {
            given
        } else if !evaluation.hopeful(&state, &forced, &items) {
            return Err(what_remains(&evaluation));
        } else {
            given.saturating_add(evaluation.floor(&state, &forced, &items, None).effort)
        };
        Ok(Self { evaluation, forced, items, at_least })
    }

    /// Of several sets that are equally cheap the one that less speaks against: fewer open questions, then less delay, or
    /// more headroom.
    fn best_of_equals(&self, set: CheapestSet<RemedyId>) -> Vec<RemedyId> {
        let problem = self.evaluation.problem;
        let tidy = |set: &[RemedyId]| without_included(&problem.remedies, set);
        if !set.exact || set.chosen == self.forced {
            return tidy(&set.chosen);
        }
        let mut all = equally_cheap(&self.evaluation, &self.forced, &self.items, set.effort);
        // The one that was found stays where nothing is better.
        all.insert(0, set.chosen);
        let mut best: Option<(Objections, Vec<RemedyId>)> = None;
        for set in all {
            let set = tidy(&set);
            let objections = objections_met(&self.evaluation, &set);
            if best.as_ref().is_none_or(|(least, _)| objections.less_than(least)) {
                best = Some((objections, set));
            }
        }
        best.map(|(_, set)| set).unwrap_or_default()
    }

    fn solve(&mut self, most: u32) -> Outcome {
        self.solve_within(most, SEARCH_NODES).0
    }

    /// The same, visiting so many nodes at the most; and how many it took.
    fn solve_within(&mut self, most: u32, nodes: usize) -> (Outcome, usize) {
        let own = self.evaluation.arranged_effort;
        if self.at_least > most {
            return (Outcome::Dearer(self.at_least), 0);
        }
        let purse = if most == u32::MAX { most } else { most - own };
        let (found, visited) = cheapest_set_within(&self.evaluation, &self.forced, &self.items, purse, nodes);
        let outcome = match found {
            Found::Set(set) => Outcome::Meets {
                effort: set.effort + own,
                exact: set.exact,
                gap: set.effort - set.at_least,
                remedies: self.best_of_equals(set),
            },
            Found::Dearer(least) => Outcome::Dearer(least.saturating_add(own)),
            Found::Nothing => what_remains(&self.evaluation),
        };
        (outcome, visited)
    }

    /// The first set that is found, whatever it takes; all that takes less than the proven bound is ruled out.
    fn dive(&mut self) -> Outcome {
        let (outcome, _) = self.solve_within(u32::MAX, DIVE_NODES);
        self.with_proven(outcome)
    }

    /// The gap can be no wider than down to what smaller purses have ruled out.
    fn with_proven(&self, outcome: Outcome) -> Outcome {
        match outcome {
            Outcome::Meets { remedies, effort, gap, .. } => {
                let gap = gap.min(effort.saturating_sub(self.at_least));
                Outcome::Meets { remedies, effort, gap, exact: gap == 0 }
            }
            Outcome::Dearer(_) | Outcome::Fails { .. } | Outcome::Late { .. } | Outcome::NoRoll(_) => outcome,
        }
    }
}

/// What speaks against a set that meets everything, its effort not counted.
pub(super) fn objections_met(evaluation: &Evaluation<'_, '_>, remedies: &[RemedyId]) -> Objections {
    let glance = glance(evaluation, remedies);
    let least_delay = evaluation.problem.kind.least_delay;
    Objections {
        open: glance.open_questions() as f64,
        last: if least_delay { glance.slowest().raw() } else { glance.worst_ratio },
        ..Objections::default()
    }
}

/// What remains with every remedy that has only good sides counted.
fn what_remains(evaluation: &Evaluation<'_, '_>) -> Outcome {
    let problem = evaluation.problem;
    let applied = problem.apply(&[], &problem.remedies.keys().collect::<Vec<_>>());
    let excess = evaluation.excess(&applied);
    Outcome::Fails {
        over: excess.frames.at(problem.rate),
        performer: excess.performer,
        dropouts: evaluation.dropouts(&applied),
    }
}

/// Solves every arrangement of a phase as far as it can matter: for each driver, all that share its lowest effort.
#[must_use]
pub fn candidates(problem: &PhaseProblem<'_>) -> Vec<Candidate> {
    let mut solved = Vec::new();
    let mut by_driver: Vec<Vec<Unsolved<'_, '_>>> = Vec::new();
    by_driver.resize_with(problem.context.rig.interface(problem.interface).drivers.len(), Vec::new);
    let limits = WorkLimits::default();
    for arrangement in arrangements(problem) {
        match Unsolved::new(problem, &arrangement, &limits) {
            Ok(unsolved) => by_driver[arrangement.setting.driver.index()].push(unsolved),
            Err(outcome) => solved.push(Candidate { arrangement, outcome }),
        }
    }
    for unsolved in by_driver {
        solved.extend(cheapest_of_driver(unsolved));
    }
    // Should all fail, the nearest miss is one of those that are late by the least: which breaks least?
    let over = |c: &Candidate| match c.outcome {
        Outcome::Late { over, .. } => over.raw(),
        Outcome::Meets { .. } | Outcome::Dearer(_) | Outcome::Fails { .. } | Outcome::NoRoll(_) => {
            f64::INFINITY
        }
    };
    let least = solved.iter().map(over).fold(f64::INFINITY, f64::min);
    for c in solved.iter_mut().filter(|c| over(c).is_finite() && over(c) <= least + 1e-9) {
        let known = match c.outcome {
            Outcome::Late { performer, .. } => performer,
            Outcome::Meets { .. } | Outcome::Dearer(_) | Outcome::Fails { .. } | Outcome::NoRoll(_) => None,
        };
        if let Outcome::Fails { performer, dropouts, .. } =
            what_remains(&Evaluation::new(problem, c.arrangement.clone()))
        {
            let performer = performer.or(known);
            c.outcome = Outcome::Fails { over: Ms::new(least), performer, dropouts };
        }
    }
    solved
}

/// Raises the purse step by step until something can be had for it (iterative deepening): arrangements that are
/// dear are then never searched beyond the effort of the cheapest.
fn cheapest_of_driver(mut unsolved: Vec<Unsolved<'_, '_>>) -> Vec<Candidate> {
    let mut solved = Vec::new();
    let mut spent = 0;
    let mut close = |u: Unsolved<'_, '_>, outcome| {
        solved.push(Candidate { arrangement: u.evaluation.arrangement, outcome });
    };
    while let Some(purse) = unsolved.iter().map(|u| u.at_least).min() {
        let mut found = false;
        for mut u in std::mem::take(&mut unsolved) {
            if u.at_least > purse {
                unsolved.push(u);
                continue;
            }
            let (mut outcome, visited) = u.solve_within(purse, SEARCH_NODES);
            spent += visited;
            if let Outcome::Dearer(least) = outcome {
                if least > purse && spent <= DRIVER_NODES {
                    u.at_least = least;
                    unsolved.push(u);
                    continue;
                }
                // The search was cut short, here or over all: take the best that is found without a purse, and say how far
                // off it may be.
                u.at_least = u.at_least.max(least);
                outcome = if spent > DRIVER_NODES { u.dive() } else { u.solve(u32::MAX) };
                outcome = u.with_proven(outcome);
            }
            found |= matches!(outcome, Outcome::Meets { .. });
            close(u, outcome);
        }
        if found {
            break;
        }
    }
    for u in unsolved {
        let least = u.at_least;
        close(u, Outcome::Dearer(least));
    }
    solved
}
