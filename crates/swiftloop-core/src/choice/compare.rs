//! Words for comparisons: what each remedy buys, and why a setting that somebody tries is not the plan's.

use super::{Choice, Ground, Report};
use crate::risk::Verdict;

/// What one remedy of a set buys: what would be without it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Buys {
    /// Milliseconds by which the slowest loop would be longer.
    pub delay_ms: f64,
    /// Dropouts per hour there would be.
    pub dropouts_without: f64,
}

/// What each remedy of `chosen` buys beside the others.
#[must_use]
pub fn buys(ground: &Ground<'_, '_>, chosen: &[usize]) -> Vec<Buys> {
    let judge = |set: &[usize]| {
        let applied = ground.apply(set, &[]);
        let chains = ground.scene.chains(|p| applied.latency[p], &applied.direct);
        let room = ground.scene.needs.iter().zip(&ground.allowed).map(|(need, allowed)| {
            if applied.direct.contains(&need.performer) {
                f64::NEG_INFINITY
            } else {
                chains.delay[need.cue].unwrap_or(0.0) - allowed
            }
        });
        (room.fold(f64::NEG_INFINITY, f64::max), ground.dropouts(&applied))
    };
    let (slowest, _) = judge(chosen);
    chosen
        .iter()
        .map(|&r| {
            let without: Vec<usize> = chosen.iter().copied().filter(|&x| x != r).collect();
            let (slower, dropouts_without) = judge(&without);
            let frames =
                if slower.is_finite() && slowest.is_finite() { (slower - slowest).max(0.0) } else { 0.0 };
            Buys { delay_ms: frames * 1000.0 / f64::from(ground.scene.rate.0), dropouts_without }
        })
        .collect()
}

/// Why the plan chose `choice` and not what `tried` reports at the price `price`.
#[must_use]
pub fn why_not(choice: &Choice, tried: &Report, price: u32) -> String {
    let planned = &choice.report;
    if let Some(l) = tried.worst_over() {
        return format!("here {} is {:.1} ms over the limit", l.who, l.excess().0);
    }
    if tried.verdict() == Verdict::Breaking {
        return format!(
            "here it breaks {:.3} times an hour, and the phase bears {}",
            tried.dropouts.typical, tried.target
        );
    }
    if choice.missed.is_some() {
        return "the plan found nothing that meets everything; this does, with what you added to it".into();
    }
    if price > choice.price {
        return format!("its remedies cost {} and these cost {price}", choice.price);
    }
    let doubts = |r: &Report| {
        let doubtful = r.loops.iter().filter(|l| l.verdict() != crate::loops::Verdict::Within).count();
        doubtful + usize::from(r.verdict() != Verdict::Calm)
    };
    if doubts(tried) > doubts(planned) {
        return "both meet everything, the plan's more certainly".into();
    }
    let (a, b) = (planned.round_trip_ms(), tried.round_trip_ms());
    if a < b - 0.005 {
        return format!("both meet everything, the plan's with {:.1} ms less delay", b - a);
    }
    if planned.cue.worst_ratio() < tried.cue.worst_ratio() {
        return format!(
            "both meet everything, the plan's worst block takes {:.0} % of its time, this one's {:.0} %",
            planned.cue.worst_ratio() * 100.0,
            tried.cue.worst_ratio() * 100.0
        );
    }
    "both meet everything; the plan's needs fewer changes between phases".into()
}
