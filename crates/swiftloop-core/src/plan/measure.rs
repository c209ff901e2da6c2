//! What to measure next: the choice of a phase with the settings that might take its place comes in; for each measurement that
//! could be made the chance that it changes the setting or the verdict goes out. Every measurement is
//! asked what it would show in each possible rig, and one decides anew among the rigs that would show the same.

use super::evaluation::Evaluation;
use super::judge::unsure;
use super::outcomes::Outcomes;
use super::outcomes::{longest, loops_after};
use super::quantile_point::LITTLE;
use super::quantile_point::QuantilePoint;
use super::report::Report;
use super::search::solve_in;
use super::why::WeighedPhase;
use super::{Arrangement, PhaseProblem};
use crate::doubt::{Cause, SELDOM, SURE, WouldShow, counting};
use crate::loops::{Loop, Remeasure};
use crate::rig::{Offered, Setting};
use swiftloop_units::ids::{DriverId, FarId, InterfaceId, PerformerId, PhaseId, RemedyId};
use swiftloop_units::{Block, Origin, Share};

/// Something that can be measured.
#[derive(Debug, Clone, PartialEq)]
pub enum Measurement {
    /// The round trip through a cable.
    RoundTrip(InterfaceId, DriverId, Offered),
    /// How a measured round trip splits: the data sheet.
    Split(InterfaceId),
    /// From key to sound.
    KeyToSound(PerformerId),
    /// The distance to microphone or speakers.
    Distance(PerformerId),
    /// How late threads wake on this machine, at this block.
    WakeUps(Block),
    /// What the session costs: the meter of its software, read once.
    Meter,
    /// Whether the performer feels late.
    Felt(PerformerId),
    /// The way over the network to a far side.
    Link(FarId),
    /// The interface of a far side.
    FarSide(FarId),
}

/// A measurement with what it is worth.
#[derive(Debug, Clone, PartialEq)]
pub struct Proposed {
    pub measurement: Measurement,
    /// How long it takes.
    pub minutes: u32,
    /// Where it is likeliest to change something.
    pub at: (InterfaceId, PhaseId),
    /// Chance that the setting there changes.
    pub setting: f64,
    /// Chance that the setting or the verdict there changes.
    pub any: f64,
    /// The same summed over all places.
    pub in_all: f64,
}

/// A change less likely than this is not worth a measurement.
const WORTH_IT: f64 = 0.05;

impl Measurement {
    /// Minutes that it takes with everything at hand: patching a cable and one take, a soak as long as it usually listens, a
    /// look at a meter while the session plays, a tape measure, a passage played and talked over.
    #[must_use]
    pub fn minutes(&self) -> u32 {
        match self {
            Self::RoundTrip(..) | Self::KeyToSound(_) | Self::Felt(_) | Self::Split(_) | Self::FarSide(_) => {
                5
            }
            Self::Link(_) => 3,
            Self::WakeUps(_) => 10,
            Self::Meter => 2,
            Self::Distance(_) => 1,
        }
    }
}

/// A setting that might be taken, rig by rig.
struct Finalist {
    effort: u32,
    last: f64,
    outcomes: Outcomes,
}

impl Finalist {
    /// Whether what becomes of it has anything to do with what a measurement shows, beyond what chance does among few rigs.
    fn turns_on(&self, shown: &WouldShow<'_>) -> bool {
        let notices = |(_, _, l): &(PerformerId, Option<FarId>, crate::loops::PerRig)| {
            shown.goes_with(|i| l.delay[i] > l.noticed[i])
        };
        shown.goes_with(|i| self.outcomes.is_sound(i)) || self.outcomes.loops.iter().any(notices)
    }
}

/// What measurements are worth at one place.
pub(super) fn worth(
    weighed: &WeighedPhase<'_>,
    chosen: usize,
    remedies: &[RemedyId],
    now: &Report,
) -> Vec<Proposed> {
    let arrangement = &weighed.candidates[chosen].arrangement;
    let evaluation = Evaluation::new(&weighed.problem, arrangement.clone());
    let own = finalist_of(&evaluation, remedies, &now.loops, now.outcomes.clone());
    valued(&evaluation, remedies, &finalists(weighed, chosen, remedies, own))
}

/// What measurements are worth for what is said of one setting, whatever else might be taken.
pub(super) fn worth_alone(
    evaluation: &Evaluation<'_, '_>,
    remedies: &[RemedyId],
    now: &Report,
) -> Vec<Proposed> {
    valued(evaluation, remedies, &[finalist_of(evaluation, remedies, &now.loops, now.outcomes.clone())])
}

fn valued(evaluation: &Evaluation<'_, '_>, remedies: &[RemedyId], finalists: &[Finalist]) -> Vec<Proposed> {
    let problem = evaluation.problem;
    let rigs = problem.question.context.rigs;
    let decide = |of: &[usize]| decide(finalists, of, |i| rigs.weight(i));
    let now = decide(&counting(rigs));
    let changes = |shown: &WouldShow<'_>| shown.chance_of_change(&now, decide);
    // What a measurement of nothing pretends to be worth, since few rigs are left in each part.
    let nothing = changes(&WouldShow::of(rigs, &rigs.leans(Cause::Nothing)));
    let value = |(measurement, signal): (Measurement, Vec<f64>)| {
        let shown = WouldShow::of(rigs, &signal);
        if !finalists.iter().any(|f| f.turns_on(&shown)) {
            return None;
        }
        let value = changes(&shown);
        let (setting, any) = (value.setting - nothing.setting, value.any - nothing.any);
        let at = (problem.question.interface, problem.question.phase_id);
        let minutes = measurement.minutes();
        Some(Proposed { measurement, minutes, at, setting: setting.max(0.0), any, in_all: any })
    };
    together(signals(evaluation, remedies).into_iter().filter_map(value).filter(|p| p.any >= WORTH_IT))
}

/// Those of all places together, the best for its time first.
pub(super) fn together(all: impl IntoIterator<Item = Proposed>) -> Vec<Proposed> {
    let mut sum: Vec<Proposed> = Vec::new();
    for p in all {
        match sum.iter_mut().find(|s| same(&s.measurement, &p.measurement)) {
            Some(known) => {
                known.in_all += p.any;
                if let (Measurement::WakeUps(a), Measurement::WakeUps(b)) =
                    (&mut known.measurement, &p.measurement)
                {
                    // The smallest block tells most.
                    *a = (*a).min(*b);
                }
                if p.any > known.any {
                    (known.at, known.setting, known.any) = (p.at, p.setting, p.any);
                }
            }
            None => sum.push(p),
        }
    }
    let worth = |p: &Proposed| p.in_all / f64::from(p.minutes);
    sum.sort_by(|a, b| worth(b).total_cmp(&worth(a)));
    sum
}

fn same(a: &Measurement, b: &Measurement) -> bool {
    matches!((a, b), (Measurement::WakeUps(_), Measurement::WakeUps(_))) || a == b
}

/// What can be measured here, and what it would show in every rig.
fn signals(evaluation: &Evaluation<'_, '_>, remedies: &[RemedyId]) -> Vec<(Measurement, Vec<f64>)> {
    let problem = evaluation.problem;
    let (context, rigs) = (&problem.question.context, problem.question.context.rigs);
    let setting = &evaluation.arrangement.setting;
    let applied = problem.question.apply(remedies, &[]);
    let mut all = Vec::new();
    if problem.question.machine(&applied).wake.origin != Origin::Measured {
        all.push((Measurement::WakeUps(setting.buffer.block), rigs.leans(Cause::WakeUps).to_vec()));
    }
    let worked = evaluation.worked(&evaluation.cue, &applied);
    let spread = evaluation.spread(&evaluation.cue, &worked, &applied);
    // One reading tells of all work; a second would say the same.
    if !spread.is_exact() && !context.session.is_metered {
        all.push((Measurement::Meter, spread.factors(rigs)));
    }
    for l in &loops_after(evaluation, &applied) {
        let Some(who) = l.performer else { continue };
        let mut of = |measurement, kind: Remeasure| {
            let shown = l.shown(context, setting, |leg| leg.remeasure() == kind);
            all.extend(shown.map(|shown| (measurement, shown)));
        };
        let (i, d) = (setting.interface, setting.driver);
        of(Measurement::RoundTrip(i, d, setting.buffer.clone()), Remeasure::RoundTrip);
        of(Measurement::Split(i), Remeasure::Split);
        of(Measurement::KeyToSound(who), Remeasure::KeyToSound);
        of(Measurement::Distance(who), Remeasure::Distance);
        if let Some(far) = l.far {
            of(Measurement::Link(far), Remeasure::Link);
            of(Measurement::FarSide(far), Remeasure::FarSide);
        }
        if l.limit.as_ref().is_some_and(|limit| limit.differs.spread().raw() > 0.0) {
            all.push((Measurement::Felt(who), rigs.leans(Cause::Listener(who)).to_vec()));
        }
    }
    let mut once: Vec<(Measurement, Vec<f64>)> = Vec::new();
    for (m, shown) in all {
        if !once.iter().any(|(known, _)| *known == m) {
            once.push((m, shown));
        }
    }
    once
}

/// The setting that was chosen, and others that might take its place if more were known: another that does, the same with
/// the fewer changes that would do with typical figures, and the next smaller and larger buffer.
fn finalists(
    weighed: &WeighedPhase<'_>,
    chosen: usize,
    remedies: &[RemedyId],
    first: Finalist,
) -> Vec<Finalist> {
    /// Others that do, at the most.
    const OTHERS: usize = 1;
    /// To find fewer changes.
    const FEW_NODES: usize = 300;
    let problem = &weighed.problem;
    let own = &weighed.candidates[chosen].arrangement;
    let mut others: Vec<usize> = (0..weighed.candidates.len()).filter(|&k| k != chosen).collect();
    others.sort_by(|&a, &b| weighed.objections[a].compare(&weighed.objections[b]));
    let met = others.into_iter().filter_map(|k| {
        let c = &weighed.candidates[k];
        let met = c.outcome.met()?;
        (c.arrangement.setting != own.setting).then(|| (c.arrangement.clone(), met.remedies.clone()))
    });
    let mut sets: Vec<(Arrangement, Vec<RemedyId>)> = met.take(OTHERS).collect();
    if first.effort > 0
        && let Some(cheaper) = solve_in(problem, own, first.effort - 1, FEW_NODES).met()
    {
        sets.push((own.clone(), cheaper.remedies.clone()));
    }
    let performs = |a: &Arrangement| {
        !problem.question.needs.is_empty() || a.setting.buffer.block > own.setting.buffer.block
    };
    let ride =
        |a: &Arrangement| Evaluation::new(problem, a.clone()).rides(&problem.question.apply(remedies, &[]));
    // Where nobody performs nobody would go to another buffer but a safer one.
    sets.extend(
        neighbours(problem, own).into_iter().filter(performs).filter(ride).map(|a| (a, remedies.to_vec())),
    );
    let others = sets.into_iter().map(|(a, r)| finalist(&Evaluation::new(problem, a), &r));
    std::iter::once(first).chain(others).collect()
}

/// The same with the next smaller and the next larger buffer.
fn neighbours(problem: &PhaseProblem<'_>, own: &Arrangement) -> Vec<Arrangement> {
    let mut buffers = problem.question.context.settings(problem.question.interface, problem.question.rate);
    buffers.retain(|s| s.driver == own.setting.driver && s.buffer.count == own.setting.buffer.count);
    buffers.sort_by_key(|s| s.buffer.block);
    let Some(at) = buffers.iter().position(|s| *s == own.setting) else { return Vec::new() };
    let next = [at.checked_sub(1), Some(at + 1)].into_iter().flatten();
    let with = |setting: &Setting| Arrangement { setting: setting.clone(), ..own.clone() };
    next.filter_map(|k| buffers.get(k))
        .map(with)
        .filter(|a| a.roll.is_none_or(|r| r > a.setting.buffer.block))
        .collect()
}

fn finalist(evaluation: &Evaluation<'_, '_>, remedies: &[RemedyId]) -> Finalist {
    debug_assert!(evaluation.design == QuantilePoint::TYPICAL, "rigs are drawn around typical figures");
    let problem = evaluation.problem;
    let applied = problem.question.apply(remedies, &[]);
    let loops = loops_after(evaluation, &applied);
    let outcomes = Outcomes::after(evaluation, &applied, &loops);
    finalist_of(evaluation, remedies, &loops, outcomes)
}

fn finalist_of(
    evaluation: &Evaluation<'_, '_>,
    remedies: &[RemedyId],
    loops: &[Loop],
    outcomes: Outcomes,
) -> Finalist {
    // Where nobody performs nobody measures for less delay.
    let last = if evaluation.problem.question.needs.is_empty() { 0.0 } else { longest(loops).raw() };
    Finalist { effort: evaluation.effort(remedies), last, outcomes }
}

/// Which finalist one takes among these rigs, and what one says of it.
fn decide(finalists: &[Finalist], of: &[usize], weight: impl Fn(usize) -> f64) -> (usize, u8) {
    let sum: f64 = of.iter().map(|&i| weight(i)).sum();
    let share = |holds: &dyn Fn(usize) -> bool| {
        of.iter().filter(|&&i| holds(i)).map(|&i| weight(i)).sum::<f64>() / sum.max(f64::MIN_POSITIVE)
    };
    let judged = |f: &Finalist| {
        let sound = share(&|i| f.outcomes.is_sound(i));
        let noticed: f64 =
            f.outcomes.loops.iter().map(|(_, _, l)| share(&|i| l.delay[i] > l.noticed[i])).sum();
        (
            sound < SURE.raw(),
            f64::from(f.effort) + (LITTLE * noticed).round(),
            unsure(Share::new(sound)),
            f.last,
            sound,
        )
    };
    let best = finalists.iter().map(judged).enumerate().reduce(|a, b| {
        let less = (b.1.0, b.1.1, b.1.2, b.1.3).partial_cmp(&(a.1.0, a.1.1, a.1.2, a.1.3));
        if less.is_some_and(std::cmp::Ordering::is_lt) { b } else { a }
    });
    let Some((at, (.., sound))) = best else { return (0, 0) };
    (at, u8::from(sound >= SURE.raw()) + u8::from(sound >= SELDOM.raw()))
}
