//! Values in order: the middle one, and any other.

/// The value below which a share of all values lies (0 the least, 1 the largest); 0 for no values.
#[must_use]
pub fn quantile(values: impl IntoIterator<Item = f64>, share: f64) -> f64 {
    let mut all: Vec<f64> = values.into_iter().collect();
    if all.is_empty() {
        return 0.0;
    }
    let at = ((all.len() as f64 * share) as usize).min(all.len() - 1);
    *all.select_nth_unstable_by(at, f64::total_cmp).1
}

/// The middle value, or the mean of the middle two; 0 for no values.
#[must_use]
pub fn median(values: impl IntoIterator<Item = f64>) -> f64 {
    let mut all: Vec<f64> = values.into_iter().collect();
    if all.is_empty() {
        return 0.0;
    }
    let at = all.len() / 2;
    let (below, middle, _) = all.select_nth_unstable_by(at, f64::total_cmp);
    let middle = *middle;
    let other = below.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    if all.len().is_multiple_of(2) { f64::midpoint(other, middle) } else { middle }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn agrees_with_sorting(values in prop::collection::vec(-1e3f64..1e3, 1..40), share in 0.0f64..=1.0) {
            let mut sorted = values.clone();
            sorted.sort_by(f64::total_cmp);
            let n = sorted.len();
            prop_assert_eq!(median(values.clone()), (sorted[(n - 1) / 2] + sorted[n / 2]) / 2.0);
            prop_assert_eq!(quantile(values, share), sorted[((n as f64 * share) as usize).min(n - 1)]);
        }
    }

    #[test]
    fn nothing_has_the_middle_zero() {
        assert_eq!((median([]), quantile([], 0.3)), (0.0, 0.0));
    }
}
