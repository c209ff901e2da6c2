//! What notes teach. Meters first: all costs that are only assumed are scaled until the session is as busy as its meter says,
//! each call and each frame by itself where readings at two buffers tell them apart. Then what was counted and felt: each
//! possible rig counts for as much as it foretells that.

use super::{Feels, Note};
use crate::doubt::{Cause, METER_DOUBT, PEAK_DOUBT, Rigs, felt, poisson};
use crate::loops::Context;
use crate::plan::line::{is_on_the_line, present, set_by};
use crate::plan::{Arrangement, Evaluation, PhaseProblem, busy, report};
use crate::rig::Rig;
use crate::session::Session;
use crate::tables::{RemedyKind, Tables};
use statrs::distribution::{DiscreteCDF, Poisson};
use swiftloop_units::ids::{FarId, PerformerId, RemedyId};
use swiftloop_units::{Factor, PerHour};

/// What the notes of a session teach.
#[derive(Debug)]
pub struct Learned {
    /// The session with costs that fit the meters.
    pub session: Session,
    /// Rigs with their weights.
    pub rigs: Rigs,
    pub told: Vec<NoteLesson>,
}

/// Something that notes tell.
#[derive(Debug, Clone, PartialEq)]
pub enum NoteLesson {
    /// So many times what its classes say the session costs: each call, and each frame.
    Costs {
        call: f64,
        frame: f64,
        /// Readings that say so.
        readings: usize,
    },
    /// Wake-ups are likelier to be better (below zero) or worse than what was assumed: so far, from −1 to 1.
    WakeUps(f64),
    /// A performer is likelier to notice less delay than others do (below one), or more.
    Notices(PerformerId, f64),
    /// This note does not go with the others, and with what is known.
    Contradicts(usize),
}

/// How far the costs of a session may be off as a whole, as standard deviation of the logarithm: enough that one reading
/// of a meter decides.
const COMMON: f64 = 1.0;
/// The same of a call beside a frame.
const APART: f64 = 0.7;
/// The same where nothing tells them apart.
const TOGETHER: f64 = 0.01;
/// Chances below which a note does not go with the rest.
const UNLIKELY: f64 = 0.002;
/// What leans by less is not told.
const TOLD_LEAN: f64 = 0.15;

#[must_use]
pub fn learn(tables: &Tables, rig: &Rig, session: &Session, notes: &[Note]) -> Learned {
    let mut told = Vec::new();
    let readings = readings(notes);
    let session = if readings.is_empty() {
        session.clone()
    } else {
        let (call, frame) = fitted(tables, rig, session, &readings);
        told.push(NoteLesson::Costs { call, frame, readings: readings.len() });
        // A triangle of this half width has the doubt of the mean reading.
        let left = (6f64.sqrt() * METER_DOUBT / (readings.len() as f64).sqrt()).exp();
        session.with_costs(Factor::new(call), Factor::new(frame), Factor::new(left))
    };
    let rigs = weighed(tables, rig, &session, notes);
    let context = Context { tables, rig, session: &session, rigs: &rigs };
    told.extend(leanings(&rigs, notes));
    told.extend((0..notes.len()).filter(|&i| contradicts(context, &notes[i])).map(NoteLesson::Contradicts));
    Learned { session, rigs, told }
}

/// Rigs that count for as much as they foretell what was counted and felt.
fn weighed(tables: &Tables, rig: &Rig, session: &Session, notes: &[Note]) -> Rigs {
    let rigs = Rigs::many();
    let context = Context { tables, rig, session, rigs: &rigs };
    let seen: Vec<Vec<f64>> = notes.iter().filter_map(|n| likelihood(context, n)).collect();
    if seen.is_empty() {
        return Rigs::default();
    }
    let sum: Vec<f64> = (0..rigs.count()).map(|k| seen.iter().map(|each| each[k]).sum()).collect();
    rigs.weighed(&sum)
}

/// A reading of a meter: whose note, what it showed, whether at the worst.
struct MeterReading<'n> {
    note: &'n Note,
    log: f64,
    peak: bool,
}

fn readings(notes: &[Note]) -> Vec<MeterReading<'_>> {
    let of = |note| {
        let note: &Note = note;
        let mean = note.meter.map(|m| MeterReading { note, log: m.raw().ln(), peak: false });
        let peak = note.meter_peak.map(|m| MeterReading { note, log: m.raw().ln(), peak: true });
        mean.into_iter().chain(peak)
    };
    notes.iter().flat_map(of).collect()
}

impl MeterReading<'_> {
    fn doubt(&self) -> f64 {
        if self.peak { PEAK_DOUBT } else { METER_DOUBT }
    }
}

/// Logarithm of what a meter would show of this session.
fn foretold(tables: &Tables, rig: &Rig, session: &Session, reading: &MeterReading<'_>) -> f64 {
    let rigs = Rigs::default();
    let context = Context { tables, rig, session, rigs: &rigs };
    let note = reading.note;
    let (problem, remedies) = problem(context, note);
    let busy = busy(&Evaluation::new(&problem, note.arrangement.clone()), &remedies);
    if reading.peak { busy.worst } else { busy.mean }.max(1e-6).ln()
}

fn problem<'a>(context: Context<'a>, note: &Note) -> (PhaseProblem<'a>, Vec<RemedyId>) {
    let setting = &note.arrangement.setting;
    let problem = PhaseProblem::new(context, setting.interface, note.phase, setting.rate);
    let of = |id: &String| {
        problem.question.remedies.iter_enumerated().find(|(_, r)| r.id == *id).map(|(at, _)| at)
    };
    // What the session no longer has was of no use to look for.
    let remedies = note.remedies.iter().filter_map(of).collect();
    (problem, remedies)
}

/// Factors on each call and each frame of what is only assumed: those to which readings and what was thought before fit best
/// (Gauss and Newton, with derivatives by differences).
fn fitted(tables: &Tables, rig: &Rig, session: &Session, readings: &[MeterReading<'_>]) -> (f64, f64) {
    const STEP: f64 = 0.02;
    let one = Factor::new(1.0);
    let mut buffers: Vec<_> = readings.iter().map(|r| r.note.arrangement.setting.buffer.block).collect();
    buffers.sort_unstable();
    buffers.dedup();
    // Readings at one buffer do not tell calls and frames apart.
    let apart = if buffers.len() > 1 { APART } else { TOGETHER };
    // In the mean of both, and half of the difference.
    let factors = |x: [f64; 2]| ((x[0] + x[1]).exp(), (x[0] - x[1]).exp());
    let log = |x: [f64; 2], r: &MeterReading<'_>| {
        let (call, frame) = factors(x);
        let scaled = session.with_costs(Factor::new(call), Factor::new(frame), one);
        foretold(tables, rig, &scaled, r)
    };
    let mut x = [0.0, 0.0];
    for _ in 0..6 {
        // Normal equations: what was thought before, then a row for each reading.
        let (mut a, mut b) = ([[1.0 / COMMON.powi(2), 0.0], [0.0, 1.0 / apart.powi(2)]], [0.0, 0.0]);
        for k in 0..2 {
            b[k] = -x[k] * a[k][k];
        }
        for r in readings {
            let here = log(x, r);
            let slope = [0, 1].map(|k| {
                let mut to = x;
                to[k] += STEP;
                (log(to, r) - here) / STEP
            });
            let weight = 1.0 / r.doubt().powi(2);
            for i in 0..2 {
                b[i] += weight * slope[i] * (r.log - here);
                for j in 0..2 {
                    a[i][j] += weight * slope[i] * slope[j];
                }
            }
        }
        let det = a[0][0] * a[1][1] - a[0][1] * a[1][0];
        let step = [(b[0] * a[1][1] - b[1] * a[0][1]) / det, (b[1] * a[0][0] - b[0] * a[1][0]) / det];
        for k in 0..2 {
            x[k] = (x[k] + step[k].clamp(-1.5, 1.5)).clamp(-4.0, 4.0);
        }
        if step.iter().all(|s| s.abs() < 1e-3) {
            break;
        }
    }
    factors(x)
}

/// How likely every rig foretells a note; nothing where it only has a meter.
fn likelihood(context: Context<'_>, note: &Note) -> Option<Vec<f64>> {
    if note.counted.is_none() && note.felt.is_empty() {
        return None;
    }
    let mut sum = vec![0.0; context.rigs.count()];
    if let Some((hours, dropouts)) = note.counted {
        for (s, rate) in sum.iter_mut().zip(rates(context, note, hours, dropouts)) {
            *s += poisson(f64::from(dropouts), rate * hours);
        }
    }
    for (who, feels) in &note.felt {
        for (s, late) in sum.iter_mut().zip(late(context, note, *who)) {
            *s += felt(*feels == Feels::Late, late);
        }
    }
    Some(sum)
}

/// Dropouts per hour in every rig, exact around what was counted.
fn rates(context: Context<'_>, note: &Note, hours: f64, dropouts: u32) -> Vec<f64> {
    let (mut problem, remedies) = problem(context, note);
    let seen = PerHour::new((f64::from(dropouts) + 0.5) / hours);
    problem.question.around = (problem.question.target.min(seen), problem.question.target.max(seen));
    report(&Evaluation::new(&problem, note.arrangement.clone()), &remedies).outcomes.rates
}

/// Whether a performer's delay is over what they notice, rig by rig.
fn late(context: Context<'_>, note: &Note, (who, far): (PerformerId, Option<FarId>)) -> Vec<bool> {
    let (problem, remedies) = problem(context, note);
    let on_lines = note.remedies.iter().filter_map(|id| {
        let (kind, target) = id.split_once(':')?;
        Some((RemedyKind::ALL.iter().copied().find(|k| k.as_str() == kind)?, target))
    });
    let changes: Vec<_> = on_lines.filter(|(kind, _)| is_on_the_line(*kind)).collect();
    let rate = problem.question.rate;
    let link = set_by(&context, problem.question.phase, rate, &changes);
    let link = link.unwrap_or_else(|| present(&context, problem.question.phase, rate));
    let arrangement = Arrangement { link, ..note.arrangement.clone() };
    let r = report(&Evaluation::new(&problem, arrangement), &remedies);
    match r.outcomes.of_performer(who, far) {
        Some(l) => l.delay.iter().zip(&l.noticed).map(|(delay, limit)| delay > limit).collect(),
        None => vec![false; context.rigs.count()],
    }
}

/// Where the weights lie now.
fn leanings(rigs: &Rigs, notes: &[Note]) -> Vec<NoteLesson> {
    let mean = |cause| {
        let leans = rigs.leans(cause);
        rigs.mean(|i| leans[i])
    };
    let mut told = Vec::new();
    if notes.iter().any(|n| n.counted.is_some()) {
        told.push(NoteLesson::WakeUps(mean(Cause::WakeUps)));
    }
    let mut people: Vec<PerformerId> = notes.iter().flat_map(|n| n.felt.iter().map(|f| f.0.0)).collect();
    people.sort_unstable();
    people.dedup();
    told.extend(people.into_iter().map(|who| NoteLesson::Notices(who, mean(Cause::Listener(who)))));
    told.retain(|t| match t {
        NoteLesson::WakeUps(lean) | NoteLesson::Notices(_, lean) => lean.abs() > TOLD_LEAN,
        NoteLesson::Costs { .. } | NoteLesson::Contradicts(_) => true,
    });
    told
}

/// Whether a note is next to impossible even in the rigs that go with all of them.
fn contradicts(context: Context<'_>, note: &Note) -> bool {
    let rigs = context.rigs;
    let by_count = note.counted.is_some_and(|(hours, dropouts)| {
        let rates = rates(context, note, hours, dropouts);
        let chance = |of: &dyn Fn(&Poisson) -> f64| {
            rigs.mean(|i| Poisson::new((rates[i] * hours).max(1e-9)).map_or(1.0, |law| of(&law)))
        };
        let seen = u64::from(dropouts);
        let more = if seen == 0 { 1.0 } else { chance(&|law| law.sf(seen - 1)) };
        more.min(chance(&|law| law.cdf(seen))) < UNLIKELY
    });
    let by_feeling = note.felt.iter().any(|(who, feels)| {
        let late = late(context, note, *who);
        rigs.share(|i| late[i] == (*feels == Feels::Late)).raw() < 0.05
    });
    let by_meter = readings(std::slice::from_ref(note))
        .iter()
        .any(|r| (foretold(context.tables, context.rig, context.session, r) - r.log).abs() > 3.0 * r.doubt());
    by_count || by_feeling || by_meter
}
