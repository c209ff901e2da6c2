//! How many notes sound at once: when each begins and ends comes in, the most that sound at any moment goes out. A note that
//! ends when another begins does not sound with it.

/// The most at once.
pub(super) fn most_at_once(notes: impl IntoIterator<Item = (f64, f64)>) -> u32 {
    let mut changes: Vec<(f64, i32)> = Vec::new();
    for (from, to) in notes.into_iter().filter(|(from, to)| from.is_finite() && to > from) {
        changes.push((from, 1));
        changes.push((to, -1));
    }
    // Ends before beginnings, at one time.
    changes.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    let (mut now, mut most) = (0, 0);
    for (_, change) in changes {
        now += change;
        most = most.max(now);
    }
    most.unsigned_abs()
}

#[cfg(test)]
mod tests {
    use super::most_at_once;

    #[test]
    fn as_many_as_counted_at_every_moment() {
        let mut random = fastrand::Rng::with_seed(3);
        for _ in 0..200 {
            let notes: Vec<(f64, f64)> = (0..random.usize(0..30))
                .map(|_| {
                    let from = f64::from(random.u32(0..20));
                    (from, from + f64::from(random.u32(0..6)))
                })
                .collect();
            let at = |t: f64| notes.iter().filter(|(a, b)| *a <= t && t < *b).count() as u32;
            let counted = (0..60).map(|t| at(f64::from(t) / 2.0)).max().unwrap_or(0);
            assert_eq!(most_at_once(notes.iter().copied()), counted, "{notes:?}");
        }
    }
}
