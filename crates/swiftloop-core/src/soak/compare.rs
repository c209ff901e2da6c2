//! Two profiles of one machine: what changed, and whether it is more than chance. Shares of slow wake-ups are compared
//! where the older profile has its quantiles; delays that come in hiccups count as one.

use crate::rig::WakeProfile;
use swiftloop_units::Micros;

#[derive(Debug, Clone, Copy, PartialEq)]
pub enum ComparedFigure {
    /// Share of wake-ups later than this.
    LaterThan(Micros),
    /// Speed of a core beside the reference core.
    Speed,
}

/// How one figure changed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FigureChange {
    pub figure: ComparedFigure,
    pub before: f64,
    pub now: f64,
    /// Chance that as much comes about by itself; nothing where it cannot be said.
    pub by_chance: Option<f64>,
    /// More than chance, all comparisons of one run considered.
    pub real: bool,
    /// The machine has become worse in this.
    pub worse: bool,
}

/// Where wake-up delays are compared: shares of the older profile that were faster.
const AT: [f64; 4] = [0.5, 0.9, 0.99, 0.999];
/// All comparisons together are wrong as often as this.
const LEVEL: f64 = 0.01;
/// Speeds differ from one measurement to another by so much on a quiet machine.
const SPEED_NOISE: f64 = 0.03;

/// What changed from `old` to `new`.
#[must_use]
pub fn compare(old: &WakeProfile, new: &WakeProfile) -> Vec<FigureChange> {
    let mut changes: Vec<FigureChange> = AT.iter().filter_map(|&q| slower_than(old, new, q)).collect();
    if let (Some(before), Some(now)) = (old.core_speed, new.core_speed) {
        let drift = |p: &WakeProfile| p.pace_drift.map_or(SPEED_NOISE, |d| d.raw().max(SPEED_NOISE));
        let noise = drift(old).hypot(drift(new));
        changes.push(FigureChange {
            figure: ComparedFigure::Speed,
            before: before.raw(),
            now: now.raw(),
            by_chance: None,
            real: (now.raw() / before.raw()).ln().abs() > 2.58 * noise,
            worse: now.raw() < before.raw(),
        });
    }
    changes
}

/// Share of wake-ups above the old profile's quantile `q`, then and now, by a test of two proportions.
fn slower_than(old: &WakeProfile, new: &WakeProfile, q: f64) -> Option<FigureChange> {
    let mut seen = 0;
    let bound = old.bins.iter().find(|b| {
        seen += b.count;
        seen as f64 >= q * old.wakes as f64
    })?;
    let (before, now) =
        ((old.wakes - seen) as f64 / old.wakes as f64, share_above(new, bound.up_to_us.raw()));
    // Hiccups are what comes independently, not their wake-ups.
    let independent = |p: &WakeProfile| p.wakes as f64 / p.cluster.map_or(1.0, |c| c.raw().max(1.0));
    let (n, m) = (independent(old), independent(new));
    let pooled = (before * n + now * m) / (n + m);
    let deviation = (pooled * (1.0 - pooled) * (1.0 / n + 1.0 / m)).sqrt();
    let z = if deviation > 0.0 { (now - before).abs() / deviation } else { 0.0 };
    let by_chance = two_sided(z);
    Some(FigureChange {
        figure: ComparedFigure::LaterThan(bound.up_to_us),
        before,
        now,
        by_chance: Some(by_chance),
        real: by_chance < LEVEL / AT.len() as f64,
        worse: now > before,
    })
}

/// Share of a profile's wake-ups above `us`, straight between its bounds.
fn share_above(profile: &WakeProfile, us: f64) -> f64 {
    let (mut below, mut from) = (0.0, 0.0);
    for bin in &profile.bins {
        let to = bin.up_to_us.raw();
        if to > us {
            let part = if to > from { ((us - from) / (to - from)).clamp(0.0, 1.0) } else { 0.0 };
            below += bin.count as f64 * part;
            break;
        }
        below += bin.count as f64;
        from = to;
    }
    1.0 - below / profile.wakes.max(1) as f64
}

/// Chance that a normal value is as far from zero.
fn two_sided(z: f64) -> f64 {
    statrs::function::erf::erfc(z / std::f64::consts::SQRT_2)
}

#[cfg(test)]
mod tests {
    use super::super::{Provenance, Samples, ValueCounts, learn};
    use super::*;

    fn profile(seed: u64, scale: f64, speed: f64) -> WakeProfile {
        let mut random = fastrand::Rng::with_seed(seed);
        let delays: Vec<(f64, u64)> = (0..20_000).map(|_| (10.0 - scale * random.f64().ln(), 1)).collect();
        let heard = Samples { wakes: ValueCounts::new(delays), ..Samples::default() };
        learn(&heard, &Provenance { core_speed: Some(speed), ..Provenance::default() }).unwrap()
    }

    #[test]
    fn the_same_machine_twice_has_not_changed() {
        let wrong = (0..40u64)
            .filter(|s| {
                compare(&profile(2 * s, 8.0, 1.0), &profile(2 * s + 1, 8.0, 1.02)).iter().any(|c| c.real)
            })
            .count();
        assert!(wrong <= 2, "{wrong} of 40");
    }

    #[test]
    fn a_slower_machine_is_told() {
        let changes = compare(&profile(1, 8.0, 1.0), &profile(2, 9.0, 0.7));
        assert!(changes.iter().all(|c| c.worse), "{changes:?}");
        assert!(changes.iter().filter(|c| c.real).count() >= 4, "{changes:?}");
        // And the other way round it has become faster.
        assert!(compare(&profile(2, 9.0, 0.7), &profile(1, 8.0, 1.0)).iter().all(|c| !c.worse));
    }
}
