//! Every arrangement of one phase, and the cheapest set of remedies for each that could matter.

use super::arrangements::arrangements;
use super::candidate::{Candidate, Met, Outcome};
use super::cheapest_set::{
    CheapestSet, NodeBudget, SEARCH_NODES, SearchResult, SetProblem, cheapest_set_within, equally_cheap,
};
use super::lines::late_on_the_line;
use crate::plan::evaluation::WorkLimits;
use crate::plan::judge::{could_be_sound, is_sound, noticed, objections_met};
use crate::plan::latency_budget::excess;
use crate::plan::quantile_point::{Goal, QuantilePoint};
use crate::plan::remedy::without_included;
use crate::plan::sequence::Objections;
use crate::plan::{Arrangement, Evaluation, PhaseProblem};
use crate::risk::StepMeter;
use std::cmp::Reverse;
use std::sync::Arc;
use swiftloop_units::Frames;
use swiftloop_units::ids::RemedyId;

/// Nodes that are visited to find any set at all.
const DIVE_NODES: usize = 2_000;
/// Nodes that all settings of one driver may take until the effort cap is given up: from then on the first sets that are found are
/// taken, with how far off they may be.
const DRIVER_NODES: usize = 8_000;

/// Solves one arrangement with typical figures; sets that take more than `most` are of no interest.
#[must_use]
pub fn solve(problem: &PhaseProblem<'_>, arrangement: &Arrangement, most: u32) -> Outcome {
    solve_in(problem, arrangement, most, SEARCH_NODES)
}

/// The same, visiting so many nodes at the most.
pub(in crate::plan) fn solve_in(
    problem: &PhaseProblem<'_>,
    arrangement: &Arrangement,
    most: u32,
    nodes: usize,
) -> Outcome {
    let allowed =
        problem.latency_budget(&arrangement.setting, QuantilePoint::TYPICAL).allowed(Goal::Playable);
    match Unsolved::new(problem, arrangement, QuantilePoint::TYPICAL, (allowed, 0), &Arc::default()) {
        Ok(unsolved) => {
            unsolved
                .solve_within(
                    most,
                    NodeBudget {
                        nodes,
                        spent: problem.budget.meter.spent().saturating_add(problem.budget.steps),
                    },
                )
                .0
        }
        Err(outcome) => outcome,
    }
}

/// An arrangement whose remedies are still to be found.
struct Unsolved<'s, 'a> {
    evaluation: Evaluation<'s, 'a>,
    forced: Vec<RemedyId>,
    items: Vec<RemedyId>,
    /// What it counts like at the least that performers notice their delay.
    noticed: u32,
    /// Nothing is cheaper, that counted.
    at_least: u32,
    /// Whether it was asked if it can hold at all.
    looked_at: bool,
}

impl<'s, 'a> Unsolved<'s, 'a> {
    /// Gets ready; an outcome at once when the arrangement is not possible at all.
    fn new(
        problem: &'s PhaseProblem<'a>,
        arrangement: &Arrangement,
        design: QuantilePoint,
        (allowed, noticed): (Vec<Frames>, u32),
        limits: &Arc<WorkLimits>,
    ) -> Result<Self, Outcome> {
        let mut forced = match (&arrangement.roll, &problem.memory.forced_by_roll) {
            (None, _) => Vec::new(),
            (Some(_), Ok(forced)) => forced.clone(),
            (Some(_), Err(processor)) => return Err(Outcome::NoRoll(*processor)),
        };
        if let Some((performer, over)) = problem.question.late_direct {
            return Err(Outcome::Late { over, performer: Some(performer) });
        }
        if let Some((performer, over)) =
            late_on_the_line(problem, &arrangement.setting, &arrangement.link, design)
        {
            return Err(Outcome::Late { over, performer: Some(performer) });
        }
        let shortest = &problem.memory.shortest;
        let late = excess(&problem.question, &allowed, &shortest.latency, &shortest.direct);
        if late.frames.raw() > 0.0 {
            return Err(Outcome::Late {
                over: late.frames.at(problem.question.rate),
                performer: late.performer,
            });
        }
        let mut evaluation =
            Evaluation::aiming(problem, arrangement.clone(), design, allowed, Arc::clone(limits));
        // Whoever is late even with the lightest chain of their own has to go direct: no search will find otherwise.
        forced.extend(evaluation.must_go_direct());
        evaluation.force(&forced);
        let items: Vec<RemedyId> = problem
            .question
            .remedies
            .keys()
            .filter(|r| !forced.contains(r) && evaluation.may_help(*r))
            .collect();
        // What is forced on a processor leaves no other remedy on it but one that does as much and more.
        let beside = |r: &RemedyId| {
            let on_it = forced.iter().filter(|f| evaluation.excludes(**f, *r));
            on_it.clone().count() == 0
                || on_it
                    .clone()
                    .any(|f| problem.question.remedies[*r].includes(&problem.question.remedies[*f]))
        };
        let items: Vec<RemedyId> = items.into_iter().filter(beside).collect();
        let mut unsolved = Self { evaluation, forced, items, noticed, at_least: 0, looked_at: false };
        unsolved.at_least = unsolved.bound()?;
        Ok(unsolved)
    }

    /// What cannot hold in 9 of 10 rigs with everything there is need not be searched; asked once, before the first search.
    fn is_hopeless(&mut self) -> bool {
        let given = self.evaluation.effort(&self.forced) + self.noticed;
        let asked =
            self.looked_at || self.evaluation.design == QuantilePoint::TYPICAL || self.at_least <= given;
        self.looked_at = true;
        !asked && !could_be_sound(&self.evaluation.typically())
    }

    /// What nothing is cheaper than; an outcome where nothing will do.
    fn bound(&self) -> Result<u32, Outcome> {
        let evaluation = &self.evaluation;
        let given = evaluation.effort(&self.forced) + self.noticed;
        let state = evaluation.state(&self.forced);
        if evaluation.satisfied(&state) {
            Ok(given)
        } else if !evaluation.hopeful(&state, &self.forced, &self.items) {
            Err(what_remains(evaluation))
        } else {
            Ok(given.saturating_add(evaluation.floor(&state, &self.forced, &self.items, None).effort))
        }
    }

    /// Of several sets that are equally cheap the one that less speaks against.
    fn best_of_equals(&self, set: CheapestSet<RemedyId>) -> Vec<RemedyId> {
        let problem = self.evaluation.problem;
        let tidy = |set: &[RemedyId]| without_included(&problem.question.remedies, set);
        if !set.exact || set.chosen == self.forced {
            return tidy(&set.chosen);
        }
        let mut all = equally_cheap(&self.evaluation, &self.forced, &self.items, set.effort);
        // The one that was found stays where nothing is better.
        all.insert(0, set.chosen);
        let typically = self.evaluation.typically();
        let mut best: Option<(Objections, Vec<RemedyId>)> = None;
        for set in all {
            let set = tidy(&set);
            let objections = objections_met(&typically, &set);
            if best.as_ref().is_none_or(|(least, _)| objections.less_than(least)) {
                best = Some((objections, set));
            }
        }
        best.map(|(_, set)| set).unwrap_or_default()
    }

    /// Looks for a set that costs at most `most`, within a node budget; and how many nodes it took.
    fn solve_within(&self, most: u32, node_budget: NodeBudget) -> (Outcome, usize) {
        let own = self.evaluation.arranged_effort + self.noticed;
        if self.at_least > most {
            return (Outcome::Dearer(self.at_least), 0);
        }
        let cap = if most == u32::MAX { most } else { most - own };
        let (found, visited) =
            cheapest_set_within(&self.evaluation, &self.forced, &self.items, cap, node_budget);
        let outcome = match found {
            SearchResult::Set(set) => {
                let effort = set.effort + self.evaluation.arranged_effort;
                let gap = set.effort - set.at_least;
                let remedies = self.best_of_equals(set);
                let noticed = noticed(&self.evaluation.typically(), &remedies);
                Outcome::Meets(Met { remedies, effort, gap, noticed, sure: false })
            }
            SearchResult::Dearer(least) => Outcome::Dearer(least.saturating_add(own)),
            SearchResult::Nothing => what_remains(&self.evaluation),
        };
        (outcome, visited)
    }

    /// The first sets that are found, whatever they take, and the best of them once the node budget is spent; all that takes less than
    /// the proven bound is ruled out. A first one is looked for in any case: it is as many steps away as there are remedies.
    fn dive(&self, spent: u64) -> Outcome {
        let (mut outcome, _) = self.solve_within(u32::MAX, NodeBudget { nodes: DIVE_NODES, spent });
        if matches!(outcome, Outcome::Dearer(_)) {
            let first = NodeBudget::nodes(2 * self.items.len() + 2);
            outcome = self.solve_within(u32::MAX, first).0;
        }
        self.with_proven(outcome)
    }

    /// The gap can be no wider than down to what smaller effort caps have ruled out.
    fn with_proven(&self, mut outcome: Outcome) -> Outcome {
        if let Outcome::Meets(met) = &mut outcome {
            met.gap = met.gap.min((met.effort + self.noticed).saturating_sub(self.at_least));
        }
        outcome
    }

    /// Holds a set that was found against all rigs. Where it holds in 9 of 10 it goes out without what is not needed for
    /// that; where it does not, the search goes on with worse figures.
    fn confirm(&mut self, met: Met) -> Result<Outcome, NeedsWorsePoint> {
        if self.evaluation.design == QuantilePoint::TYPICAL {
            return Ok(Outcome::Meets(met));
        }
        let typically = self.evaluation.typically();
        if is_sound(&typically, &met.remedies) {
            let remedies = self.pruned(&typically, &met.remedies);
            let effort = typically.effort(&remedies);
            let gap = met.gap.saturating_sub(met.effort.saturating_sub(effort));
            let noticed = noticed(&typically, &remedies);
            return Ok(Outcome::Meets(Met { remedies, effort, gap, noticed, sure: true }));
        }
        let Some(design) = self.evaluation.design.next_worse() else {
            return Ok(what_remains(&self.evaluation));
        };
        self.evaluation.take_design(design);
        match self.bound() {
            Ok(least) => self.at_least = self.at_least.max(least),
            Err(outcome) => return Ok(outcome),
        }
        Err(NeedsWorsePoint)
    }

    /// The set without what can be missed: figures worse than need be ask for too much.
    fn pruned(&self, typically: &Evaluation<'_, '_>, set: &[RemedyId]) -> Vec<RemedyId> {
        let problem = self.evaluation.problem;
        let mut left = set.to_vec();
        let mut order = left.clone();
        order.sort_by_key(|&r| Reverse(problem.question.remedies[r].effort));
        for r in order {
            let without: Vec<RemedyId> = left.iter().copied().filter(|&x| x != r).collect();
            let applied = problem.question.apply(&without, &[]);
            let in_time = self.evaluation.excess(&applied).frames.raw() <= 0.0 && typically.rides(&applied);
            if in_time && typically.meets_target(&applied) && is_sound(typically, &without) {
                left = without;
            }
        }
        left
    }
}

/// The search has to go on with worse figures.
struct NeedsWorsePoint;

/// What remains with every remedy that has only good sides counted.
fn what_remains(evaluation: &Evaluation<'_, '_>) -> Outcome {
    let problem = evaluation.problem;
    let applied = problem.question.apply(&[], &problem.question.remedies.keys().collect::<Vec<_>>());
    let excess = evaluation.excess(&applied);
    Outcome::Fails {
        over: excess.frames.at(problem.question.rate),
        performer: excess.performer,
        dropouts: evaluation.dropouts(&applied),
    }
}

/// Solves every arrangement of a phase as far as it can matter: for each driver, all that share its lowest effort. What holds
/// in 9 of 10 rigs is looked for first; where nothing does, what holds with typical figures.
///
/// Says as well whether it could do better with more budget.
#[must_use]
pub fn candidates(problem: &PhaseProblem<'_>) -> (Vec<Candidate>, bool) {
    let arrangements = arrangements(problem);
    let meets = |all: &[Candidate]| all.iter().any(|c| c.outcome.met().is_some());
    let (sure, cut) = candidates_at(problem, &arrangements, QuantilePoint::FIRST);
    if meets(&sure) {
        return (sure, cut);
    }
    let (mut typical, cut_too) = candidates_at(problem, &arrangements, QuantilePoint::TYPICAL);
    if !meets(&typical) {
        look_at_nearest(problem, &mut typical);
    }
    (typical, cut || cut_too)
}

fn candidates_at(
    problem: &PhaseProblem<'_>,
    arrangements: &[Arrangement],
    design: QuantilePoint,
) -> (Vec<Candidate>, bool) {
    let mut solved = Vec::new();
    let mut by_driver: Vec<Vec<Unsolved<'_, '_>>> = Vec::new();
    by_driver.resize_with(
        problem.question.context.rig.interface(problem.question.interface).drivers.len(),
        Vec::new,
    );
    let limits = Arc::default();
    for arrangement in arrangements {
        let here = problem.latency_budget(&arrangement.setting, design);
        let noticed = here.noticed;
        let [playable, immediate] = [Goal::Playable, Goal::Immediate].map(|goal| here.clone().allowed(goal));
        let driver = &mut by_driver[arrangement.setting.driver.index()];
        let stricter = (immediate != playable).then_some(immediate);
        match Unsolved::new(problem, arrangement, design, (playable, noticed), &limits) {
            Ok(unsolved) => {
                // That nobody notices anything is worth a little, so it is looked for by itself.
                let strict =
                    |allowed| Unsolved::new(problem, arrangement, design, (allowed, noticed), &limits).ok();
                driver.extend(stricter.and_then(strict));
                driver.push(unsolved);
            }
            Err(outcome) => solved.push(Candidate { arrangement: arrangement.clone(), outcome }),
        }
    }
    by_driver.retain(|unsolved| !unsolved.is_empty());
    // Both looks, at what holds in 9 of 10 rigs and at what holds with typical figures, get their half.
    let each = problem.budget.steps / 2 / by_driver.len().max(1) as u64;
    let mut cut = false;
    for unsolved in by_driver {
        let budget = DriverBudget { meter: &problem.budget.meter, begun: problem.budget.meter.spent(), each };
        solved.extend(cheapest_of_driver(unsolved, &budget));
        cut |= budget.is_spent(1);
    }
    (solved, cut)
}

/// Where all fail the nearest miss is one of those that are late by the least: which breaks least?
fn look_at_nearest(problem: &PhaseProblem<'_>, all: &mut [Candidate]) {
    let late = |c: &Candidate| match c.outcome {
        Outcome::Late { over, performer } => Some((over, performer)),
        Outcome::Meets(_) | Outcome::Dearer(_) | Outcome::Fails { .. } | Outcome::NoRoll(_) => None,
    };
    let least = all.iter().filter_map(late).map(|(over, _)| over.raw()).fold(f64::INFINITY, f64::min);
    for c in all {
        let Some((over, known)) = late(c).filter(|(over, _)| over.raw() <= least + 1e-9) else { continue };
        if let Outcome::Fails { performer, dropouts, .. } =
            what_remains(&Evaluation::new(problem, c.arrangement.clone()))
        {
            c.outcome = Outcome::Fails { over, performer: performer.or(known), dropouts };
        }
    }
}

/// How much may be worked out for the settings of one driver.
struct DriverBudget<'m> {
    meter: &'m StepMeter,
    /// On the meter when it began.
    begun: u64,
    each: u64,
}

impl DriverBudget<'_> {
    /// On the meter when so many halves of it are spent.
    fn halves(&self, count: u64) -> u64 {
        self.begun.saturating_add(self.each / 2 * count)
    }

    fn is_spent(&self, halves: u64) -> bool {
        self.meter.spent() >= self.halves(halves)
    }
}

/// Raises the effort cap step by step until something can be had for it (iterative deepening): arrangements that are
/// dear are then never searched beyond the cost of the cheapest.
///
/// Half of the thought goes into that; then the effort cap is given up and the first sets that are found are taken. Once all of it
/// is spent and something was found the rest is left alone, and what was found may cost more than need be by as much as
/// the rest could save.
fn cheapest_of_driver(mut unsolved: Vec<Unsolved<'_, '_>>, budget: &DriverBudget<'_>) -> Vec<Candidate> {
    let mut solved = Vec::new();
    let mut spent = 0;
    let mut close = |u: Unsolved<'_, '_>, outcome| {
        solved.push(Candidate { arrangement: u.evaluation.arrangement, outcome });
    };
    // The cheapest that was found, and what it costs that performers notice their delay.
    let mut cheapest = u32::MAX;
    let mut left_alone = u32::MAX;
    while let Some(cap) = unsolved.iter().map(|u| u.at_least).min().filter(|least| *least <= cheapest) {
        for mut u in std::mem::take(&mut unsolved) {
            if u.at_least > cap {
                unsolved.push(u);
                continue;
            }
            if cheapest < u32::MAX && budget.is_spent(2) || budget.is_spent(4) {
                // Left alone.
                let least = u.at_least;
                left_alone = left_alone.min(least);
                close(u, Outcome::Dearer(least));
                continue;
            }
            if u.is_hopeless() {
                let remains = what_remains(&u.evaluation);
                close(u, remains);
                continue;
            }
            let node_budget = NodeBudget { nodes: SEARCH_NODES, spent: budget.halves(1) };
            let (mut outcome, visited) = u.solve_within(cap, node_budget);
            spent += visited;
            let given_up = spent > DRIVER_NODES || budget.is_spent(1);
            if let Outcome::Dearer(least) = outcome {
                if least > cap && !given_up {
                    u.at_least = least;
                    unsolved.push(u);
                    continue;
                }
                // The search was cut short, here or over all: take the best that is found without a cap, and say how far
                // off it may be.
                u.at_least = u.at_least.max(least);
                outcome =
                    if given_up { u.dive(budget.halves(2)) } else { u.solve_within(u32::MAX, node_budget).0 };
                outcome = u.with_proven(outcome);
            }
            if let Outcome::Meets(met) = outcome {
                let Ok(confirmed) = u.confirm(met) else {
                    unsolved.push(u);
                    continue;
                };
                outcome = confirmed;
            }
            if let Some(met) = outcome.met() {
                cheapest = cheapest.min(met.effort + met.noticed);
            }
            close(u, outcome);
        }
    }
    for u in unsolved {
        let least = u.at_least;
        close(u, Outcome::Dearer(least));
    }
    for candidate in &mut solved {
        if let Outcome::Meets(met) = &mut candidate.outcome {
            met.gap = met.gap.max((met.effort + met.noticed).saturating_sub(left_alone)).min(met.effort);
        }
    }
    solved
}
