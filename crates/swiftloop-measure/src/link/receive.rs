//! The receive buffer: how long what arrives is held, so that what comes late is still in time. Lateness of packets and what is
//! allowed come in; the shortest buffer that keeps to it goes out, what spare packets do for it, and what a buffer that
//! follows the line would do. All of it is played on the packets that were measured, one by one.

use super::late::PerHourLate;
use super::packet::{PARITY_GROUP, Spare};
use serde::{Deserialize, Serialize};

/// How late each packet's sound is there, in the order in which they were sent (infinite: never), when spare packets are sent
/// with them. What is made from a later packet comes by that much later.
#[must_use]
pub fn with_spare(late_ms: &[f64], period_ms: f64, spare: Spare) -> Vec<f64> {
    let never = f64::INFINITY;
    let at = |k: usize| late_ms.get(k).copied().unwrap_or(never);
    match spare {
        Spare::None => late_ms.to_vec(),
        Spare::Twice => (0..late_ms.len()).map(|k| at(k).min(at(k + 1) + period_ms)).collect(),
        Spare::Parity => {
            let group = PARITY_GROUP as usize;
            let made = |k: usize| {
                let first = k / group * group;
                // The packet of parity goes out behind the group, together with the next one.
                let after = |j: usize| at(j) + (j as f64 - k as f64) * period_ms;
                (first..=first + group).filter(|j| *j != k).map(after).fold(f64::NEG_INFINITY, f64::max)
            };
            (0..late_ms.len()).map(|k| at(k).min(made(k))).collect()
        }
    }
}

/// A buffer, and whether it is sure to do.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Recommended {
    /// Its length in milliseconds.
    pub ms: f64,
    /// The rate is no more than allowed in 19 of 20; else only to be expected.
    pub sure: bool,
}

/// The shortest buffer of these with no more late packets an hour than allowed; surely if there is one, else to be expected.
/// None where no length does it: what is lost is never in time.
#[must_use]
pub fn shortest(rows: impl Iterator<Item = (f64, PerHourLate)> + Clone, allowed: f64) -> Option<Recommended> {
    let first = |keeps: &dyn Fn(&PerHourLate) -> bool, sure| {
        rows.clone().find(|(_, late)| keeps(late)).map(|(ms, _)| Recommended { ms, sure })
    };
    first(&|l| l.at_most <= allowed, true).or_else(|| first(&|l| l.typical <= allowed, false))
}

/// What a buffer that follows the line does.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Following {
    /// It looks back so far.
    pub window_s: f64,
    /// How long it is in the mean.
    pub mean_ms: f64,
    /// Packets an hour that are late or lost.
    pub late_per_hour: f64,
    /// How often an hour it changes its length: each time sound is stretched or squeezed.
    pub changes_per_hour: f64,
}

/// How far back a buffer may look.
pub const WINDOWS_S: [f64; 3] = [2.0, 10.0, 30.0];
/// A change by less than this share is none.
const LEAST_CHANGE: f64 = 0.1;
/// It looks this often.
const STEP_S: f64 = 1.0;

/// Plays the packets (when each was sent in seconds, how late it is) to a buffer that is always as long as the latest packet of
/// its window was late. Nothing where the measurement is shorter than twice the window.
#[must_use]
pub fn following(at_s: &[f64], late_ms: &[f64], window_s: f64) -> Option<Following> {
    let (first, last) = (*at_s.first()?, *at_s.last()?);
    if last - first < 2.0 * window_s {
        return None;
    }
    // Step by step: which packets, and how late the latest of them was that came.
    let steps_n = ((last - first) / STEP_S).ceil() as usize;
    let mut steps: Vec<(std::ops::Range<usize>, f64)> = Vec::with_capacity(steps_n);
    let mut from = 0;
    for k in 0..steps_n {
        let end = first + (k as f64 + 1.0) * STEP_S;
        let to = from + at_s[from..].partition_point(|t| *t < end);
        let most = late_ms[from..to].iter().copied().filter(|l| l.is_finite()).fold(0.0, f64::max);
        steps.push((from..to, most));
        from = to;
    }
    let looked = (window_s / STEP_S).round().max(1.0) as usize;
    let most = |to: usize| steps[to - looked..to].iter().map(|s| s.1).fold(0.0, f64::max);
    let mut buffer = most(looked);
    let (mut late, mut changes, mut sum) = (0u64, 0u64, 0.0);
    for k in looked..steps.len() {
        late += late_ms[steps[k].0.clone()].iter().filter(|l| **l > buffer).count() as u64;
        sum += buffer;
        let wanted = most(k + 1);
        if (wanted - buffer).abs() > LEAST_CHANGE * buffer.max(0.5) {
            buffer = wanted;
            changes += 1;
        }
    }
    let steps = (steps.len() - looked) as f64;
    let hours = (last - first - window_s) / 3600.0;
    Some(Following {
        window_s,
        mean_ms: sum / f64::max(steps, 1.0),
        late_per_hour: late as f64 / hours,
        changes_per_hour: changes as f64 / hours,
    })
}

/// The chance that no packet is late or lost in so many minutes, where late packets come in crowds of this size: events come by
/// themselves (Poisson).
#[must_use]
pub fn clean(per_hour: f64, crowd: f64, minutes: f64) -> f64 {
    (-per_hour / crowd.max(1.0) * minutes / 60.0).exp()
}
