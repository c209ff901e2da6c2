//! Why the plan is as it is: the nearest miss and what binds, why other settings lost, what would be without
//! rendering ahead. Words with figures, nothing is decided here.

use super::solve::{Candidate, Outcome};
use super::way::{Wishes, first_difference};
use super::{Arrangement, Report, Scene};
use crate::loops::{Bench, LoopKind};

/// A setting that was weighed and lost.
#[derive(Debug, Clone)]
pub struct WhyNot {
    /// The arrangement.
    pub arrangement: Arrangement,
    /// Why, with figures.
    pub why: String,
}

/// The nearest miss of an impossible wish.
#[derive(Debug, Clone)]
pub struct Missed {
    /// What binds, in words.
    pub binding: String,
    /// What would have to change, in words.
    pub change: String,
}

/// One stage: a scene with every candidate.
pub(super) struct Weighed<'a> {
    pub(super) scene: Scene<'a>,
    pub(super) candidates: Vec<Candidate>,
    /// Wishes of each candidate, switches not counted.
    pub(super) wishes: Vec<Wishes>,
}

/// Name of a node for people.
#[must_use]
pub fn node_title(bench: &Bench<'_>, node: usize) -> String {
    use crate::session::NodeKind;
    match bench.session.routes().nodes[node].kind {
        NodeKind::Track(t) => {
            let track = &bench.session.tracks[t];
            track.name.clone().unwrap_or_else(|| track.id.clone())
        }
        NodeKind::Bus(b) => {
            let bus = &bench.session.buses[b];
            bus.name.clone().unwrap_or_else(|| bus.id.clone())
        }
        NodeKind::Main => "main output".into(),
    }
}

/// What binds in the nearest miss, and what it would take.
pub(super) fn missed_by(scene: &Scene<'_>, report: &Report) -> Missed {
    if let Some(worst) = report.worst_over() {
        let widest = worst.legs.iter().max_by(|a, b| a.span.typical().0.total_cmp(&b.span.typical().0));
        let leg = widest.map_or(String::new(), |l| {
            format!("; the longest leg is {} with {:.1} ms", l.name, l.span.typical().0)
        });
        let limit = worst.limit.as_ref().map_or(0.0, |l| l.0.0);
        return Missed {
            binding: format!("{}: {:.1} ms against {limit} ms{leg}", worst.who, worst.total.typical().0),
            change: match worst.kind {
                LoopKind::Sound => {
                    "another interface or driver for this phase, direct monitoring, or a performer who bears more"
                }
                _ => "another interface or driver for this phase, or a performer who bears more",
            }
            .into(),
        };
    }
    let rest = report.dropouts.typical - report.from_memory.typical - report.from_disk.typical;
    for (part, what, change) in [
        (report.from_memory, "memory", "more memory, fewer programs, or smaller instruments"),
        (report.from_disk, "the disk", "a faster disk, a lower rate or depth, or fewer tracks from disk"),
    ] {
        if part.typical > rest.max(scene.target) {
            let binding = format!(
                "{} dropouts an hour against {}, {} of them from {what}",
                about(report.dropouts.typical),
                scene.target,
                about(part.typical)
            );
            return Missed { binding, change: change.into() };
        }
    }
    let busiest = match &report.roll {
        Some((roll, response)) if response / roll.deadline_us > report.cue.worst_ratio() => roll,
        _ => &report.cue,
    };
    let names: Vec<String> = busiest.critical_chain.iter().map(|&n| node_title(&scene.bench, n)).collect();
    let change = match busiest.bound_by {
        crate::load::BoundBy::Chain => {
            "a shorter chain: print the track that begins it, or a faster core; more cores do not help"
        }
        crate::load::BoundBy::Burst => {
            "fewer processors with large blocks of their own, or a buffer as large as theirs"
        }
        crate::load::BoundBy::Cores => "fewer or lighter processors, more cores, or a larger buffer",
    };
    Missed {
        binding: format!(
            "{} dropouts an hour against {}: {} ({})",
            about(report.dropouts.typical),
            scene.target,
            busiest.bound_by.word(),
            names.join(" → ")
        ),
        change: change.into(),
    }
}

/// The best that the chosen driver can do without rendering ahead, in words.
pub(super) fn without_roll(weighed: &Weighed<'_>, chosen: usize) -> Option<String> {
    let driver = weighed.candidates[chosen].arrangement.setting.driver;
    let plain = weighed
        .candidates
        .iter()
        .filter(|c| c.arrangement.roll.is_none() && c.arrangement.setting.driver == driver);
    let prices = plain.clone().filter_map(|c| match c.outcome {
        Outcome::Meets { price, .. } => Some(price),
        Outcome::Dearer(least) => Some(least),
        Outcome::Fails { .. } | Outcome::Late { .. } | Outcome::NoRoll(_) => None,
    });
    if let Some(least) = prices.min() {
        return Some(format!("Without rendering ahead, remedies for at least {least} would be needed"));
    }
    // Of the settings that meet the limits, the one that breaks least; or else the one that misses them by least.
    let misses = plain.filter_map(|c| match c.outcome {
        Outcome::Late { over, .. } => Some((over.0, 0.0, c.arrangement.setting.buffer.label())),
        Outcome::Fails { over, dropouts, .. } => {
            Some((over.0, dropouts, c.arrangement.setting.buffer.label()))
        }
        _ => None,
    });
    let nearest = misses.min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)))?;
    Some(if nearest.0 > 0.0 {
        format!(
            "Without rendering ahead no buffer meets the limits: the nearest, {}, is {:.1} ms over",
            nearest.2, nearest.0
        )
    } else {
        format!(
            "Only rendering ahead cures this: the nearest setting without it, {}, still breaks {} times an hour whatever is done",
            nearest.2,
            about(nearest.1)
        )
    })
}

/// Every other setting with the reason why it lost, those that lose by the least first.
pub(super) fn alternatives(weighed: &Weighed<'_>, chosen: usize) -> Vec<WhyNot> {
    let own = &weighed.candidates[chosen].arrangement;
    let same = |a: &Arrangement| a.setting == own.setting;
    let rank = |c: &Candidate, w: &Wishes| -> Wishes {
        match c.outcome {
            Outcome::Dearer(least) => [0.0, 0.0, 0.0, f64::from(least), 0.0, 0.0, 0.0],
            _ => *w,
        }
    };
    let mut others: Vec<(Wishes, &Candidate)> = weighed
        .candidates
        .iter()
        .zip(&weighed.wishes)
        .filter(|(c, _)| !same(&c.arrangement) && !matches!(c.outcome, Outcome::NoRoll(_)))
        .map(|(c, w)| (rank(c, w), c))
        .collect();
    others.sort_by(|a, b| {
        first_difference(&a.0, &b.0).map_or(std::cmp::Ordering::Equal, |k| a.0[k].total_cmp(&b.0[k]))
    });
    let mut seen: Vec<&Arrangement> = Vec::new();
    let mut answer = Vec::new();
    for (wishes, candidate) in others {
        if seen.iter().any(|a| a.setting == candidate.arrangement.setting) {
            continue;
        }
        seen.push(&candidate.arrangement);
        let why = why_lost(weighed, chosen, candidate, &wishes);
        answer.push(WhyNot { arrangement: candidate.arrangement.clone(), why });
    }
    answer
}

fn why_lost(weighed: &Weighed<'_>, chosen: usize, lost: &Candidate, lost_wishes: &Wishes) -> String {
    let own = &weighed.wishes[chosen];
    let people = &weighed.scene.bench.session.performers;
    let who = |performer: &Option<usize>| performer.map_or("somebody", |p| people[p].title());
    match &lost.outcome {
        Outcome::Late { over, performer } => {
            format!("{} stays {:.1} ms over the limit whatever is done", who(performer), over.0)
        }
        Outcome::Fails { over, performer, .. } if over.0 > 0.0 => {
            format!("{} stays {:.1} ms over the limit whatever is done", who(performer), over.0)
        }
        Outcome::Fails { dropouts, .. } => {
            format!("it still breaks {} times an hour whatever is done", about(*dropouts))
        }
        Outcome::Dearer(least) => {
            format!("remedies for at least {least} would be needed, against {}", own[3])
        }
        Outcome::NoRoll(processor) => format!("{processor} cannot ride the cue block and is kept"),
        Outcome::Meets { price, .. } => match first_difference(lost_wishes, own) {
            Some(3) if f64::from(*price) > own[3] => format!("its remedies cost {price}, against {}", own[3]),
            Some(4) if lost_wishes[4] > own[4] => "it meets every limit, but less certainly".into(),
            Some(6) if lost_wishes[6] > own[6] && weighed.scene.kind.least_delay => {
                format!("it meets every limit too, with {:.1} ms more delay", lost_wishes[6] - own[6])
            }
            Some(6) if lost_wishes[6] > own[6] => {
                format!(
                    "it meets every limit too, with the worst block at {:.1} % against {:.1} %",
                    lost_wishes[6] * 100.0,
                    own[6] * 100.0
                )
            }
            _ => "as good here, but it means more changes between phases".into(),
        },
    }
}

/// A rate to two figures.
fn about(rate: f64) -> String {
    if rate < 10.0 { format!("{rate:.2}") } else { format!("{rate:.0}") }
}
