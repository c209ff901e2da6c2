//! The best sequence through the phases of one interface: every candidate of every phase with what speaks against it
//! comes in, the sequence that no other beats comes out. What speaks against candidates adds up along a sequence and is
//! compared place by place, so Bellman's principle holds and dynamic programming is exact.

use std::cmp::Ordering;

/// What speaks against a choice, in the order in which it counts; less is better in each place.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Objections {
    /// Limits that are missed: 1 and the milliseconds over. Endless for what cannot be chosen at all.
    pub limits: f64,
    /// The target is missed: 1 and the logarithm of by how much.
    pub target: f64,
    /// It does not hold in 9 of 10 rigs.
    pub unsound: f64,
    /// Effort, and what it is worth that performers do not notice their delay, of those who do.
    pub effort: f64,
    /// Tenths of all rigs that are missing to 9 of 10.
    pub unsure: f64,
    /// Delay in milliseconds, or the worst block's share of its time where headroom is wanted, as far as it can be noticed.
    pub last: f64,
    pub drivers: f64,
    pub changes: f64,
    /// The same as `last` to the last bit: something has to decide.
    pub fine: f64,
}

/// The places of `Objections`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Objection {
    /// Limits that are missed.
    Limits,
    /// The target is missed.
    Target,
    /// It does not hold in 9 of 10 rigs.
    Unsound,
    Effort,
    /// It holds in fewer rigs.
    Unsure,
    Last,
    Drivers,
    Changes,
    /// Delay or headroom by less than anybody notices.
    Fine,
}

/// Differences below this are none.
const SAME: f64 = 1e-9;

impl Objections {
    /// Against what cannot be chosen at all.
    pub const IMPOSSIBLE: Self = Self {
        limits: f64::INFINITY,
        target: f64::INFINITY,
        unsound: f64::INFINITY,
        effort: f64::INFINITY,
        unsure: f64::INFINITY,
        last: f64::INFINITY,
        drivers: f64::INFINITY,
        changes: f64::INFINITY,
        fine: f64::INFINITY,
    };

    fn in_order(&self) -> [(Objection, f64); 9] {
        [
            (Objection::Limits, self.limits),
            (Objection::Target, self.target),
            (Objection::Unsound, self.unsound),
            (Objection::Effort, self.effort),
            (Objection::Unsure, self.unsure),
            (Objection::Last, self.last),
            (Objection::Drivers, self.drivers),
            (Objection::Changes, self.changes),
            (Objection::Fine, self.fine),
        ]
    }

    #[must_use]
    pub fn plus(self, other: Self) -> Self {
        Self {
            limits: self.limits + other.limits,
            target: self.target + other.target,
            unsound: self.unsound + other.unsound,
            effort: self.effort + other.effort,
            unsure: self.unsure + other.unsure,
            last: self.last + other.last,
            drivers: self.drivers + other.drivers,
            changes: self.changes + other.changes,
            fine: self.fine + other.fine,
        }
    }

    /// Less speaks against this than against `other`.
    #[must_use]
    pub fn less_than(&self, other: &Self) -> bool {
        self.compare(other) == Ordering::Less
    }

    /// The order of the two.
    #[must_use]
    pub fn compare(&self, other: &Self) -> Ordering {
        self.first_difference(other).map_or(Ordering::Equal, |(_, order)| order)
    }

    /// The first place in which the two differ, and how this stands beside the other there.
    #[must_use]
    pub fn first_difference(&self, other: &Self) -> Option<(Objection, Ordering)> {
        let both = self.in_order().into_iter().zip(other.in_order());
        let mut different =
            both.filter(|((_, a), (_, b))| (a - b).abs() > SAME && !(a.is_infinite() && b.is_infinite()));
        different.next().map(|((place, a), (_, b))| (place, a.total_cmp(&b)))
    }
}

/// What it takes to go from one candidate to the next.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Switches {
    pub drivers: f64,
    pub changes: f64,
}

/// The best sequence: `stages` holds what speaks against every candidate of every stage on its own,
/// `switches(stage, i, j)` what it takes to go from candidate i of a stage to j of the next. Returns the sum and the
/// candidate of each stage.
#[must_use]
pub fn best_sequence(
    stages: &[Vec<Objections>],
    switches: impl Fn(usize, usize, usize) -> Switches,
) -> (Objections, Vec<usize>) {
    let Some(first) = stages.first() else { return (Objections::default(), Vec::new()) };
    let mut sums: Vec<Objections> = first.clone();
    let mut back: Vec<Vec<usize>> = Vec::new();
    for (stage, after) in stages.iter().enumerate().skip(1) {
        let useful: Vec<usize> = (0..sums.len()).filter(|&i| sums[i].limits.is_finite()).collect();
        let mut next = vec![(Objections::IMPOSSIBLE, 0); after.len()];
        for (j, own) in after.iter().enumerate().filter(|(_, own)| own.limits.is_finite()) {
            for &i in &useful {
                let step = switches(stage - 1, i, j);
                let switching =
                    Objections { drivers: step.drivers, changes: step.changes, ..Objections::default() };
                let sum = sums[i].plus(*own).plus(switching);
                if sum.less_than(&next[j].0) {
                    next[j] = (sum, i);
                }
            }
        }
        sums = next.iter().map(|n| n.0).collect();
        back.push(next.iter().map(|n| n.1).collect());
    }
    let last = (0..sums.len()).reduce(|a, b| if sums[b].less_than(&sums[a]) { b } else { a }).unwrap_or(0);
    let mut sequence = vec![last];
    for from in back.iter().rev() {
        sequence.push(from[sequence[sequence.len() - 1]]);
    }
    sequence.reverse();
    (sums[last], sequence)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn objections() -> impl Strategy<Value = Objections> {
        (0u8..2, 0u8..2, 0u8..4, 0u8..2, 0u8..9).prop_map(|(limits, target, effort, open, last)| Objections {
            limits: limits.into(),
            target: target.into(),
            effort: effort.into(),
            unsure: open.into(),
            last: last.into(),
            ..Objections::default()
        })
    }

    proptest! {
        #[test]
        fn no_other_sequence_is_better(stages in prop::collection::vec(prop::collection::vec(objections(), 1..5), 1..5), salt in 0usize..50) {
            // Some arbitrary but fixed cost of going from i to j.
            let switches = |s: usize, i: usize, j: usize| Switches {
                drivers: ((s + i * 3 + j + salt) % 3 / 2) as f64,
                changes: ((i + j * 5 + salt) % 4) as f64,
            };
            let (sum, sequence) = best_sequence(&stages, switches);
            prop_assert_eq!(sequence.len(), stages.len());
            let mut all: Vec<Vec<usize>> = vec![vec![]];
            for stage in &stages {
                all = all.iter().flat_map(|w| (0..stage.len()).map(move |c| [w.as_slice(), &[c]].concat())).collect();
            }
            for other in all {
                let mut total = Objections::default();
                for (k, &c) in other.iter().enumerate() {
                    total = total.plus(stages[k][c]);
                    if k > 0 {
                        let step = switches(k - 1, other[k - 1], c);
                        let own = Objections { drivers: step.drivers, changes: step.changes, ..Objections::default() };
                        total = total.plus(own);
                    }
                }
                prop_assert!(!total.less_than(&sum), "{other:?} {total:?} beats {sequence:?} {sum:?}");
            }
        }
    }
}
