//! Two traces, before and after a change: what went away, what came, and whether it is more than chance. Given the
//! sum of both, counts of what comes by itself are binomial by the times that were watched.

use super::late::Who;
use super::summary::TraceSummary;
use std::collections::BTreeMap;

/// A change that comes about by chance more often than this is none.
pub const CHANCE: f64 = 0.05;

/// A thief in both.
#[derive(Debug, Clone, PartialEq)]
pub struct ChangedThief {
    pub who: Who,
    /// Late blocks of which it took most, before and after.
    pub late: [u64; 2],
    /// How often such a difference comes about although nothing changed.
    pub by_chance: f64,
}

#[derive(Debug, Clone, PartialEq)]
pub struct TraceComparison {
    /// For how long each was watched, in hours.
    pub hours: [f64; 2],
    pub late: [u64; 2],
    /// How often such a difference comes about although nothing changed.
    pub by_chance: f64,
    /// Thieves, those that changed most surely first.
    pub thieves: Vec<ChangedThief>,
}

/// Compares what two traces told, each with the hours for which it was watched.
#[must_use]
pub fn compare(
    (before, hours_before): (&TraceSummary, f64),
    (after, hours_after): (&TraceSummary, f64),
) -> TraceComparison {
    let hours = [hours_before, hours_after];
    let chance = |late: [u64; 2]| by_chance((late[0], hours[0]), (late[1], hours[1]));
    let mut counts: BTreeMap<&Who, [u64; 2]> = BTreeMap::new();
    for (which, told) in [before, after].into_iter().enumerate() {
        for block in &told.late {
            counts.entry(&block.thief).or_default()[which] += 1;
        }
    }
    let mut thieves: Vec<ChangedThief> = counts
        .into_iter()
        .map(|(who, late)| ChangedThief { who: who.clone(), late, by_chance: chance(late) })
        .collect();
    thieves.sort_by(|a, b| a.by_chance.total_cmp(&b.by_chance).then_with(|| a.who.cmp(&b.who)));
    let late = [before.late_count, after.late_count];
    TraceComparison { hours, late, by_chance: chance(late), thieves }
}

impl TraceComparison {
    /// So many of one of the two, an hour.
    #[must_use]
    pub fn per_hour(&self, which: usize, late: [u64; 2]) -> f64 {
        late[which] as f64 / self.hours[which].max(1e-9)
    }

    /// Whether such counts are fewer an hour after than before.
    #[must_use]
    pub fn are_fewer(&self, late: [u64; 2]) -> bool {
        self.per_hour(1, late) < self.per_hour(0, late)
    }

    /// Something changed, by more than chance.
    #[must_use]
    pub fn is_real(&self) -> bool {
        self.by_chance < CHANCE
    }

    /// Fewer are late, and that is more than chance.
    #[must_use]
    pub fn is_better(&self) -> bool {
        self.is_real() && self.are_fewer(self.late)
    }

    /// Nothing is late any more, and that is more than chance.
    #[must_use]
    pub fn is_cured(&self) -> bool {
        self.is_better() && self.late[1] == 0
    }
}

/// Whether two traces differ by more than chance: so many events in so much time each. The chance that a difference as
/// large or larger comes about although nothing changed (exact: given the sum, the counts are binomial by the times).
#[must_use]
pub fn by_chance((before, before_time): (u64, f64), (after, after_time): (u64, f64)) -> f64 {
    let n = before + after;
    let all = before_time + after_time;
    if n == 0 || all <= 0.0 || before_time <= 0.0 || after_time <= 0.0 {
        return 1.0;
    }
    let p = before_time / all;
    // ln n! by its logarithms: n is no more than some ten thousand.
    let ln = |k: u64| statrs::function::factorial::ln_factorial(k);
    let of = |k: u64| (ln(n) - ln(k) - ln(n - k) + k as f64 * p.ln() + (n - k) as f64 * (1.0 - p).ln()).exp();
    let seen = of(before) * (1.0 + 1e-9);
    (0..=n).map(of).filter(|q| *q <= seen).sum::<f64>().min(1.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn chance_is_what_closed_forms_say() {
        // All ten before, none after, equal times: two tails of 2⁻¹⁰.
        assert!((by_chance((10, 1.0), (0, 1.0)) - 2.0 / 1024.0).abs() < 1e-9);
        assert!((by_chance((5, 1.0), (5, 1.0)) - 1.0).abs() < 1e-6);
        // A third of the time, a third of the events.
        assert!(by_chance((10, 1.0), (20, 2.0)) > 0.8);
        assert_eq!((by_chance((0, 1.0), (0, 1.0)), by_chance((3, 0.0), (0, 1.0))), (1.0, 1.0));
        assert!(by_chance((100, 1.0), (10, 1.0)) < 1e-9);
    }
}
