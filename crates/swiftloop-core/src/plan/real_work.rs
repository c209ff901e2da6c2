//! The work of a block as a machine can be given it to do: for each distinct block of the cycle, time on the
//! reference core for every worker.

use super::Evaluation;
use super::machine_work::Worked;
use crate::soak::WorkPattern;
use swiftloop_units::Micros;
use swiftloop_units::ids::RemedyId;

/// The work of each worker on the reference core. The first worker is given what the whole block takes, the others
/// share what is left of the total, so that the sum is that of the session. Other programs are left out: on a real
/// machine they run themselves.
#[must_use]
pub fn reference_work(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Vec<WorkPattern> {
    let applied = evaluation.problem.apply(chosen, &[]);
    let slowness = evaluation.slowness(&applied);
    let others = evaluation.arrangement.workers.max(1) as usize - 1;
    let split = |w: Worked| {
        let left = (w.total - w.typical).max(Micros::new(0.0)) / others.max(1) as f64;
        let each = std::iter::once(w.typical).chain(std::iter::repeat_n(left, others));
        WorkPattern { share: w.share, work: each.map(|us| us / slowness).collect() }
    };
    evaluation.worked(&evaluation.cue, &applied).into_iter().map(split).collect()
}
