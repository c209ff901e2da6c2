//! Two priorities: cue blocks come first, roll blocks get the time that is left. Response-time analysis
//! (Joseph and Pandya 1986): `R = C_roll + ⌈R / T_cue⌉ × C_cue`, the least solution.

use crate::units::Micros;

/// The longest time from release to completion of a roll block, while cue blocks come every `cue_period` and go first;
/// nothing when it is longer than `limit` or never ends.
#[must_use]
pub fn response_time(roll: Micros, cue: Micros, cue_period: Micros, limit: Micros) -> Option<Micros> {
    let mut response = roll + cue;
    while response <= limit {
        let next = roll + cue * (response / cue_period - 1e-12).ceil().max(1.0);
        if next.raw() <= response.raw() + 1e-9 {
            return Some(next);
        }
        response = next;
    }
    None
}

#[cfg(test)]
mod tests {
    use crate::units::Micros;
    use proptest::prelude::*;

    fn response_time(roll: f64, cue: f64, period: f64, limit: f64) -> Option<f64> {
        let [roll, cue, period, limit] = [roll, cue, period, limit].map(Micros::new);
        super::response_time(roll, cue, period, limit).map(Micros::raw)
    }

    /// A preemptive two-priority processor stepped event by event, released together: the critical instant.
    fn simulate(roll: f64, cue: f64, period: f64, until: f64) -> Option<f64> {
        let (mut now, mut left, mut release) = (0.0, roll, 0.0);
        while now < until {
            // The cue block released now runs first.
            now += cue;
            release += period;
            if now > release {
                return None; // cue work alone is too much for this test
            }
            let room = release - now;
            if left <= room {
                return Some(now + left);
            }
            left -= room;
            now = release;
        }
        None
    }

    proptest! {
        #[test]
        fn agrees_with_a_simulated_schedule(roll in 1.0f64..5000.0, share in 0.01f64..0.95, period in 100.0f64..3000.0) {
            let cue = share * period;
            let limit = 200_000.0;
            match (response_time(roll, cue, period, limit), simulate(roll, cue, period, limit)) {
                (Some(a), Some(b)) => prop_assert!((a - b).abs() < 1e-6 * b, "{a} {b}"),
                (None, b) => prop_assert!(b.is_none_or(|b| b > limit - period)),
                (a, None) => prop_assert!(a.is_none(), "{a:?}"),
            }
        }
    }

    #[test]
    fn no_cue_work_leaves_the_roll_block_alone() {
        assert_eq!(response_time(500.0, 0.0, 100.0, 1e6), Some(500.0));
    }
}
