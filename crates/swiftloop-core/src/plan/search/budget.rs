//! How a plan's search budget is shared out: the phases that are wanted come in with the steps that all of them may take together; each
//! comes out with what was found for it. Every phase gets an equal part first, and what is left over goes to those whose
//! search was cut short.

use super::candidate::Candidate;
use super::solve::candidates;
use crate::plan::PhaseProblem;
use crate::plan::problem::ALL_STEPS;
use swiftloop_units::workers::Workers;

/// The steps that each of so many plans may take.
pub(in crate::plan) fn share_of(plans: usize) -> u64 {
    ALL_STEPS / plans.max(1) as u64
}

/// What was found for each of several problems.
pub(in crate::plan) type Solved<'a, W> = Vec<(W, PhaseProblem<'a>, Vec<Candidate>)>;

/// Solves all that is wanted, with so many steps `together`: first each with its part of it, then those that could do better
/// with what the others left.
pub(in crate::plan) fn solved<'a, W: Copy + Send + Sync>(
    wanted: Vec<W>,
    together: u64,
    workers: &impl Workers,
    problem: impl Fn(W) -> PhaseProblem<'a> + Sync + Send,
) -> Solved<'a, W> {
    /// Less than so many times as much would hardly find more.
    const WORTH_IT: u64 = 2;
    let each = together / wanted.len().max(1) as u64;
    let with = |w: W, problem: PhaseProblem<'a>, steps: u64| {
        let problem = PhaseProblem { budget: problem.budget.renewed(steps), ..problem };
        let (candidates, cut) = candidates(&problem);
        (w, problem, candidates, cut)
    };
    let first = workers.map(wanted, |w| with(w, problem(w), each));
    let spent: u64 = first.iter().map(|(_, problem, ..)| problem.budget.meter.spent()).sum();
    let cut = first.iter().filter(|f| f.3).count() as u64;
    // One of them alone would keep all others waiting.
    let more = (together.saturating_sub(spent) / cut.max(1)).min(together / 6);
    workers.map(first, |(w, problem, candidates, cut)| {
        if cut && more >= WORTH_IT * each {
            let (w, problem, candidates, _) = with(w, problem, more);
            return (w, problem, candidates);
        }
        (w, problem, candidates)
    })
}
