//! How likely a rig foretells what was seen: counts of dropouts, what a performer felt. Logarithms go out, so that what was
//! seen one after the other adds up.

/// Standard deviation of the logarithm of what a session's meter shows beside the work of the mean block: what software counts
/// as busy differs, and it is read by eye.
pub const METER_DOUBT: f64 = 0.15;
/// The same of the worst block: how long the meter holds its peak is not known.
pub const PEAK_DOUBT: f64 = 0.25;
/// How often somebody says "late" of what is under their limit, or "fine" of what is over it.
pub const FELT_WRONG: f64 = 0.1;

/// Logarithm of the chance of so many events where so many are expected (Poisson), without what all rigs have in common.
#[must_use]
pub fn poisson(seen: f64, expected: f64) -> f64 {
    /// What nobody models, a knock at the table, comes once in so many hours' worth of notes.
    const STRAY: f64 = 0.02;
    let expected = expected.max(0.0) + STRAY;
    seen * expected.ln() - expected
}

/// Logarithm of the chance that somebody feels late (or fine) where the delay is over (or under) what they notice.
#[must_use]
pub fn felt(says_late: bool, is_late: bool) -> f64 {
    if says_late == is_late { (1.0 - FELT_WRONG).ln() } else { FELT_WRONG.ln() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_likeliest_rig_is_the_one_that_foretells_what_was_seen() {
        for seen in [1.0, 2.0, 20.0] {
            let best = (1..4000)
                .map(|k| f64::from(k) * 0.01)
                .max_by(|a, b| poisson(seen, *a).total_cmp(&poisson(seen, *b)));
            assert!(best.is_some_and(|b| (b - seen).abs() < 0.05), "{seen} {best:?}");
        }
        assert!(poisson(0.0, 0.0) > poisson(0.0, 1.0) && poisson(0.0, 1.0) > poisson(0.0, 50.0));
        assert!(felt(true, true) > felt(true, false) && felt(false, false) > felt(false, true));
    }
}
