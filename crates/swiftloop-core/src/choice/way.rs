//! The best way through the phases of one interface: every candidate of every phase with its wishes comes in,
//! the sequence that no other beats comes out. Wishes add up along the way and are compared place by place, so
//! Bellman's principle holds and dynamic programming is exact.

/// The wishes in their order; less is better in each place.
///
/// Limits met · target met · drivers kept · price · certainty (doubtful loops, uneasy risk) · settings kept · least
/// delay or most headroom.
pub type Wishes = [f64; 7];

pub const WISH_WORDS: [&str; 7] = [
    "a performer is over the limit",
    "it breaks more often than the phase bears",
    "it needs another driver than the phases around it",
    "it costs more",
    "it is less certain",
    "it changes more between phases",
    "",
];

/// Whether `a` is better than `b`.
#[must_use]
pub fn less(a: &Wishes, b: &Wishes) -> bool {
    first_difference(a, b).is_some_and(|k| a[k] < b[k])
}

/// The first wish in which the two differ.
#[must_use]
pub fn first_difference(a: &Wishes, b: &Wishes) -> Option<usize> {
    (0..a.len()).find(|&k| (a[k] - b[k]).abs() > 1e-9 && !(a[k].is_infinite() && b[k].is_infinite()))
}

/// The best way: `stages` holds the wishes of every candidate of every stage on its own (infinite for one that
/// cannot be chosen), `switches(stage, i, j)` what it takes to go from candidate i of a stage to j of the next: other
/// drivers, other settings. Returns the sum and the candidate of each stage.
#[must_use]
pub fn best_way(
    stages: &[Vec<Wishes>],
    switches: impl Fn(usize, usize, usize) -> (f64, f64),
) -> (Wishes, Vec<usize>) {
    let Some(first) = stages.first() else { return ([0.0; 7], Vec::new()) };
    let mut sums: Vec<Wishes> = first.clone();
    let mut back: Vec<Vec<usize>> = Vec::new();
    for (stage, after) in stages.iter().enumerate().skip(1) {
        let useful: Vec<usize> = (0..sums.len()).filter(|&i| sums[i][0].is_finite()).collect();
        let mut next = vec![([f64::INFINITY; 7], 0); after.len()];
        for (j, own) in after.iter().enumerate().filter(|(_, own)| own[0].is_finite()) {
            for &i in &useful {
                let (driver, setting) = switches(stage - 1, i, j);
                let mut sum = sums[i];
                for (s, o) in sum.iter_mut().zip(own) {
                    *s += o;
                }
                sum[2] += driver;
                sum[5] += setting;
                if less(&sum, &next[j].0) {
                    next[j] = (sum, i);
                }
            }
        }
        sums = next.iter().map(|n| n.0).collect();
        back.push(next.iter().map(|n| n.1).collect());
    }
    let last = (0..sums.len()).reduce(|a, b| if less(&sums[b], &sums[a]) { b } else { a }).unwrap_or(0);
    let mut way = vec![last];
    for from in back.iter().rev() {
        way.push(from[way[way.len() - 1]]);
    }
    way.reverse();
    (sums[last], way)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn wishes() -> impl Strategy<Value = Wishes> {
        (0u8..2, 0u8..2, 0u8..4, 0u8..2, 0u8..9).prop_map(|(over, breaks, price, doubt, last)| {
            [over, breaks, 0, price, doubt, 0, last].map(f64::from)
        })
    }

    proptest! {
        #[test]
        fn no_other_sequence_is_better(stages in prop::collection::vec(prop::collection::vec(wishes(), 1..5), 1..5), salt in 0usize..50) {
            // Some arbitrary but fixed cost of going from i to j.
            let switches = |s: usize, i: usize, j: usize| (((s + i * 3 + j + salt) % 3 / 2) as f64, ((i + j * 5 + salt) % 4) as f64);
            let (sum, way) = best_way(&stages, switches);
            prop_assert_eq!(way.len(), stages.len());
            let mut all: Vec<Vec<usize>> = vec![vec![]];
            for stage in &stages {
                all = all.iter().flat_map(|w| (0..stage.len()).map(move |c| [w.as_slice(), &[c]].concat())).collect();
            }
            for other in all {
                let mut total = [0.0; 7];
                for (k, &c) in other.iter().enumerate() {
                    for (t, o) in total.iter_mut().zip(stages[k][c]) {
                        *t += o;
                    }
                    if k > 0 {
                        let (driver, setting) = switches(k - 1, other[k - 1], c);
                        total[2] += driver;
                        total[5] += setting;
                    }
                }
                prop_assert!(!less(&total, &sum), "{other:?} {total:?} beats {way:?} {sum:?}");
            }
        }
    }
}
