//! The trade of delay against dropouts: every buffer of one driver with the same remedies, and which of them nothing beats.

use super::outcomes::{longest, loops_after};
use super::{Arrangement, Evaluation, PhaseProblem};
use swiftloop_units::ids::RemedyId;
use swiftloop_units::{Ms, PerHour};

/// One buffer in the trade of delay against dropouts.
#[derive(Debug, Clone)]
pub struct TradePoint {
    pub arrangement: Arrangement,
    pub round_trip: Ms,
    pub dropouts: PerHour,
    /// Every limit is met.
    pub within: bool,
    /// Nothing beats it in both delay and dropouts.
    pub on_frontier: bool,
}

/// Delay and dropouts of every block of the chosen driver, with the same remedies; and which ones nothing beats.
#[must_use]
pub fn trade(problem: &PhaseProblem<'_>, chosen: &Arrangement, remedies: &[RemedyId]) -> Vec<TradePoint> {
    let settings = problem.question.context.settings(problem.question.interface, problem.question.rate);
    let applied = problem.question.apply(remedies, &[]);
    let mut all: Vec<TradePoint> = settings
        .into_iter()
        .filter(|s| s.driver == chosen.setting.driver && chosen.roll.is_none_or(|r| r > s.buffer.block))
        .map(|setting| {
            let arrangement = Arrangement { setting, ..chosen.clone() };
            let evaluation = Evaluation::new(problem, arrangement.clone());
            let loops = loops_after(&evaluation, &applied);
            TradePoint {
                arrangement,
                round_trip: longest(&loops),
                dropouts: evaluation.dropouts(&applied),
                within: loops.iter().all(|l| l.excess().raw() <= 0.0),
                on_frontier: false,
            }
        })
        .collect();
    let measures: Vec<(Ms, PerHour)> = all.iter().map(|p| (p.round_trip, p.dropouts)).collect();
    for (i, point) in all.iter_mut().enumerate() {
        let a = measures[i];
        let beats =
            |(j, b): (usize, &(Ms, PerHour))| b.0 <= a.0 && b.1 <= a.1 && (b.0 < a.0 || b.1 < a.1 || j < i);
        point.on_frontier = !measures.iter().enumerate().any(beats);
    }
    all
}
