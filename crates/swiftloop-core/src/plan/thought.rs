//! How a plan's thought is shared out: the phases that are wanted come in with what all of them may cost together; each comes out
//! with what was found for it. The one idea: every phase gets an equal part first, and what is left over goes to those
//! whose search was cut short.

use super::PhaseProblem;
use super::candidate::Candidate;
use super::phase_problem::ALL_THOUGHT;
use super::solve::candidates;
use swiftloop_units::workers::Workers;

/// The thought that each of so many plans may cost.
pub(super) fn share_of(plans: usize) -> u64 {
    ALL_THOUGHT / plans.max(1) as u64
}

/// What was found for each of several problems.
pub(super) type Solved<'a, W> = Vec<(W, PhaseProblem<'a>, Vec<Candidate>)>;

/// Solves all that is wanted, with so much thought `together`: first each with its part of it, then those that could do better
/// with what the others left.
pub(super) fn solved<'a, W: Copy + Send + Sync>(
    wanted: Vec<W>,
    together: u64,
    workers: &impl Workers,
    problem: impl Fn(W) -> PhaseProblem<'a> + Sync + Send,
) -> Solved<'a, W> {
    /// Less than so many times as much would hardly find more.
    const WORTH_IT: u64 = 2;
    let each = together / wanted.len().max(1) as u64;
    let with = |w: W, mut problem: PhaseProblem<'a>, thought: u64| {
        problem.think_anew(thought);
        let (candidates, cut) = candidates(&problem);
        (w, problem, candidates, cut)
    };
    let first = workers.map(wanted, |w| with(w, problem(w), each));
    let spent: u64 = first.iter().map(|(_, problem, ..)| problem.meter.spent()).sum();
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
