//! How busy a session's software says it is: an arrangement with remedies comes in; the mean block and the worst one as
//! shares of their time go out, as the meter of such software shows them.

use super::Evaluation;
use super::block_times::BlockTimes;
use crate::load::WorkShare;
use swiftloop_units::Micros;
use swiftloop_units::ids::RemedyId;

/// Shares of the time of a block.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Busy {
    /// In the mean, with what rests while it is silent.
    pub mean: f64,
    /// At the worst.
    pub worst: f64,
}

/// How busy an arrangement is with `chosen` remedies.
#[must_use]
pub fn busy(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Busy {
    let applied = evaluation.problem.apply(chosen, &[]);
    let resting = evaluation.resting(&applied);
    let (mean, worst) = (BlockTimes::of(evaluation, &resting), BlockTimes::of(evaluation, &applied));
    let period = evaluation.cue_risk(&applied).period;
    let average = |all: &[WorkShare]| all.iter().map(|w| w.work * w.share).sum::<Micros>();
    let longest = |all: &[WorkShare]| all.iter().map(|w| w.work).fold(Micros::new(0.0), Micros::max);
    let cue = |times: &BlockTimes| times.cue.iter().map(|w| w.share(w.typical)).collect::<Vec<_>>();
    // A roll block's own work, spread over its longer time.
    let roll = |times: &BlockTimes, of: &dyn Fn(&[WorkShare]) -> Micros| {
        times.roll.as_ref().map_or(0.0, |roll| {
            let own: Vec<WorkShare> = roll.worked.iter().map(|w| w.share(w.typical)).collect();
            of(&own) / evaluation.roll_risk(roll.block, &applied).period
        })
    };
    Busy {
        mean: average(&cue(&mean)) / period + roll(&mean, &average),
        worst: longest(&cue(&worst)) / period + roll(&worst, &longest),
    }
}
