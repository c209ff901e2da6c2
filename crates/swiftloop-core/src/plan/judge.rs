//! What speaks for and against a set of remedies: an arrangement and a set come in; in how many rigs it holds, who notices
//! their delay, and the objections by which settings are compared go out.

use super::Evaluation;
use super::block_times::BlockTimes;
use super::outcomes::Outcomes;
use super::outcomes::{longest, loops_after};
use super::sequence::Objections;
use super::taken::RemediesTaken;
use crate::doubt::SURE;
use crate::loops::{Electric, playback_loop};
use crate::plan::outcomes::noticed_by;
use swiftloop_units::ids::RemedyId;
use swiftloop_units::{Ms, Share};
/// Delays that differ by less are the same to everybody.
const HALF_A_MILLISECOND: f64 = 0.5;
/// Shares of a block's time that are free and differ by less are no reason.
const NOTICEABLE_LOAD: f64 = 0.05;
/// A start of playback that is slower than comfortable counts against a setting like so many times its block's time.
pub(super) const SLUGGISH: f64 = 10.0;

/// In which share of rigs limits and target are met with `chosen` remedies.
pub(super) fn sound(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Share {
    sound_after(evaluation, &evaluation.problem.question.apply(chosen, &[]))
}

/// In which share of rigs they could be met with the good sides of every remedy there is.
pub(super) fn could_be(evaluation: &Evaluation<'_, '_>) -> Share {
    sound_after(evaluation, &with_everything(evaluation))
}

fn sound_after(evaluation: &Evaluation<'_, '_>, applied: &RemediesTaken) -> Share {
    let loops = loops_after(evaluation, applied);
    Outcomes::after(evaluation, applied, &loops).sound(evaluation.problem.question.context.rigs)
}

/// With the good sides of every remedy there is.
fn with_everything(evaluation: &Evaluation<'_, '_>) -> RemediesTaken {
    let problem = evaluation.problem;
    problem.question.apply(&[], &problem.question.remedies.keys().collect::<Vec<_>>())
}

/// Whether limits and target are met in 9 of 10 rigs; what is far from that is told at a glance.
pub(super) fn is_sound(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> bool {
    is_sound_after(evaluation, &evaluation.problem.question.apply(chosen, &[]))
}

/// Whether they could be with the good sides of every remedy there is.
pub(super) fn could_be_sound(evaluation: &Evaluation<'_, '_>) -> bool {
    is_sound_after(evaluation, &with_everything(evaluation))
}

fn is_sound_after(evaluation: &Evaluation<'_, '_>, applied: &RemediesTaken) -> bool {
    let loops = loops_after(evaluation, applied);
    if loops.iter().any(|l| l.shares.playable < SURE) {
        return false;
    }
    let times = BlockTimes::of(evaluation, applied);
    let in_time = loops.iter().all(|l| l.shares.playable.raw() >= 1.0);
    if in_time && evaluation.holds_at_a_glance(applied, &times) {
        return true;
    }
    let outcomes = Outcomes::of(evaluation, &loops, evaluation.rates(applied, &times));
    outcomes.sound(evaluation.problem.question.context.rigs) >= SURE
}

/// The same of a set.
pub(super) fn noticed(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> u32 {
    let applied = evaluation.problem.question.apply(chosen, &[]);
    noticed_by(&loops_after(evaluation, &applied))
}

/// What speaks against a set that meets everything, its own effort not counted.
pub(super) fn objections_met(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Objections {
    let problem = evaluation.problem;
    let applied = problem.question.apply(chosen, &[]);
    let loops = loops_after(evaluation, &applied);
    let last = if problem.question.kind.least_delay {
        longest(&loops).raw()
    } else {
        sluggish(evaluation) - evaluation.room_to_grow(&applied)
    };
    Objections { effort: f64::from(noticed_by(&loops)), last, ..Objections::default() }
}

/// What speaks against a start of playback that is slower than comfortable.
fn sluggish(evaluation: &Evaluation<'_, '_>) -> f64 {
    let context = &evaluation.problem.question.context;
    let setting = &evaluation.arrangement.setting;
    let start = playback_loop(context, setting, &Electric::of(context, setting)).total.typical();
    let over = start - context.tables.assume.comfortable_start_ms;
    if over > Ms::new(0.0) { SLUGGISH + over.raw() } else { 0.0 }
}

/// Tenths of all rigs that are missing to 9 of 10.
pub(super) fn unsure(sound: Share) -> f64 {
    ((SURE.raw() - sound.raw()) * 10.0 - 1e-9).ceil().max(0.0)
}

/// Leaves of delay or headroom only what somebody could notice, beside the best of the settings that cost least.
pub(super) fn noticeable(all: &mut [Objections], least_delay: bool) {
    let possible = |o: &Objections| o.effort.is_finite() && o.limits == 0.0 && o.target == 0.0;
    let cost = |o: &Objections| (o.unsound, o.effort, o.unsure);
    let least = all
        .iter()
        .filter(|o| possible(o))
        .map(cost)
        .reduce(|a, b| if b.partial_cmp(&a).is_some_and(std::cmp::Ordering::is_lt) { b } else { a });
    let Some(least) = least else { return };
    let best =
        all.iter().filter(|o| possible(o) && cost(o) == least).map(|o| o.last).fold(f64::INFINITY, f64::min);
    let unnoticed = if least_delay { HALF_A_MILLISECOND } else { NOTICEABLE_LOAD };
    for o in all.iter_mut().filter(|o| possible(o)) {
        o.fine = o.last;
        o.last = (o.last - best - unnoticed).max(0.0);
    }
}
