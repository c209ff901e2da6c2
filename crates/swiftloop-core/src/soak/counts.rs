//! A histogram as it comes from a measurement: values in rising order, each with how often it was seen.

use serde::{Deserialize, Serialize};

/// Values and how often each was seen, in rising order.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct ValueCounts {
    values: Vec<(f64, u64)>,
    total: u64,
}

impl ValueCounts {
    /// From values in any order; those that are no numbers or never seen are left out, equal ones are joined.
    #[must_use]
    pub fn new(values: impl IntoIterator<Item = (f64, u64)>) -> Self {
        let mut all: Vec<(f64, u64)> = values.into_iter().filter(|v| v.0.is_finite() && v.1 > 0).collect();
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        all.dedup_by(|later, kept| {
            let same = later.0 == kept.0;
            if same {
                kept.1 += later.1;
            }
            same
        });
        let total = all.iter().map(|v| v.1).sum();
        Self { values: all, total }
    }

    /// How many were seen.
    #[must_use]
    pub fn total(&self) -> u64 {
        self.total
    }

    /// Values with their counts, rising.
    #[must_use]
    pub fn values(&self) -> &[(f64, u64)] {
        &self.values
    }

    #[must_use]
    pub fn with(&self, other: &Self) -> Self {
        Self::new(self.values.iter().chain(&other.values).copied())
    }

    /// The value that a share `q` does not exceed (the k-th smallest with k = ⌈q·n⌉); zero when nothing was seen.
    #[must_use]
    pub fn quantile(&self, q: f64) -> f64 {
        let wanted = ((q * self.total as f64).ceil() as u64).clamp(1, self.total.max(1));
        let mut seen = 0;
        let found = self.values.iter().find(|v| {
            seen += v.1;
            seen >= wanted
        });
        found.map_or(0.0, |v| v.0)
    }

    #[must_use]
    pub fn max(&self) -> f64 {
        self.values.last().map_or(0.0, |v| v.0)
    }

    #[must_use]
    pub fn mean(&self) -> f64 {
        self.values.iter().map(|v| v.0 * v.1 as f64).sum::<f64>() / self.total.max(1) as f64
    }

    /// How many were above `value`.
    #[must_use]
    pub fn above(&self, value: f64) -> u64 {
        let from = self.values.partition_point(|v| v.0 <= value);
        self.values[from..].iter().map(|v| v.1).sum()
    }

    /// Bins between the quantiles `at` (rising, the last 1): upper bound and count, none empty.
    #[must_use]
    pub fn bins(&self, at: &[f64]) -> Vec<(f64, u64)> {
        let mut bins: Vec<(f64, u64)> = Vec::new();
        let mut below = 0;
        for &q in at {
            let bound = self.quantile(q);
            let seen = self.total - self.above(bound);
            if seen > below {
                bins.push((bound, seen - below));
                below = seen;
            }
        }
        bins
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn quantiles_are_those_of_the_sorted_list(mut list in prop::collection::vec(0u32..50, 1..200), q in 0.001f64..1.0) {
            let counts = ValueCounts::new(list.iter().map(|x| (f64::from(*x), 1)));
            list.sort_unstable();
            let k = ((q * list.len() as f64).ceil() as usize).clamp(1, list.len());
            prop_assert_eq!(counts.quantile(q), f64::from(list[k - 1]));
            prop_assert_eq!(counts.max(), f64::from(*list.last().unwrap()));
            let above = list.iter().filter(|x| **x > list[k - 1]).count() as u64;
            prop_assert_eq!(counts.above(counts.quantile(q)), above);
        }

        #[test]
        fn bins_lose_nothing(list in prop::collection::vec((0.0f64..100.0, 1u64..9), 1..60)) {
            let counts = ValueCounts::new(list);
            let bins = counts.bins(&[0.1, 0.5, 0.9, 0.99, 1.0]);
            prop_assert_eq!(bins.iter().map(|b| b.1).sum::<u64>(), counts.total());
            prop_assert!(bins.windows(2).all(|w| w[0].0 < w[1].0));
            prop_assert_eq!(bins.last().unwrap().0, counts.max());
        }
    }

    #[test]
    fn nothing_seen_is_nothing() {
        let none = ValueCounts::new([(f64::NAN, 3), (1.0, 0)]);
        assert_eq!((none.total(), none.quantile(0.5), none.max(), none.mean()), (0, 0.0, 0.0, 0.0));
        assert!(none.bins(&[1.0]).is_empty());
    }
}
