//! Two priorities: cue blocks come first, roll blocks get the time that is left. The bound is that of response-time
//! analysis (Joseph and Pandya 1986): `R = C_roll + ⌈R / T_cue⌉ × C_cue`, the least solution, when every block is the worst.
//! What to expect walks the blocks as they come: each roll block behind the very cue blocks that fall into its time.

use super::WorkShare;
use num_integer::Integer;
use swiftloop_units::Micros;

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

/// Blocks of one kind in the order in which they come, again and again.
#[derive(Debug, Clone, Copy)]
pub struct BlockSequence<'a> {
    /// Frames of a block.
    pub frames: u32,
    /// What each block of the cycle takes.
    pub work: &'a [Micros],
}

/// Cue blocks that are walked at the most.
const MOST_STEPS: u64 = 1 << 13;

/// How long roll blocks take from release to completion, with how often; every roll block of the joint cycle, all
/// starting together. Nothing when that is too long to be walked; what takes longer than `limit` counts as that.
#[must_use]
pub fn responses(
    cue: BlockSequence<'_>,
    roll: BlockSequence<'_>,
    us_per_frame: f64,
    limit: Micros,
) -> Option<Vec<WorkShare>> {
    let cue_cycle = u64::from(cue.frames) * cue.work.len() as u64;
    let roll_cycle = u64::from(roll.frames) * roll.work.len() as u64;
    if cue_cycle == 0 || roll_cycle == 0 {
        return None;
    }
    let joint = cue_cycle.lcm(&roll_cycle);
    if joint / u64::from(cue.frames) > MOST_STEPS {
        return None;
    }
    let count = joint / u64::from(roll.frames);
    let at = |frames: u64| frames as f64 * us_per_frame;
    let (mut cue_next, mut cue_free, mut roll_free) = (0u64, 0.0f64, 0.0f64);
    let mut answer = Vec::with_capacity(count as usize);
    for r in 0..count {
        let release = at(r * u64::from(roll.frames));
        // All that is released goes first, one after another; the roll block runs in the gaps.
        let mut now = release.max(roll_free);
        let mut left = roll.work[(r % roll.work.len() as u64) as usize].raw();
        let end = loop {
            let next_release = at(cue_next * u64::from(cue.frames));
            let from = now.max(cue_free);
            if from - release > limit.raw() {
                break release + limit.raw();
            }
            // Cue work that is due by then comes before.
            if next_release <= from {
                let work = cue.work[(cue_next % cue.work.len() as u64) as usize].raw();
                cue_free = cue_free.max(next_release) + work;
                cue_next += 1;
            } else if from + left <= next_release {
                break from + left;
            } else {
                left -= next_release - from;
                now = next_release;
            }
        };
        roll_free = end;
        answer.push(WorkShare { share: 1.0 / count as f64, work: Micros::new(end - release) });
    }
    // Alike ones together: most of a cycle is.
    answer.sort_by(|a, b| a.work.raw().total_cmp(&b.work.raw()));
    answer.dedup_by(|next, kept| {
        let alike = next.work.raw() - kept.work.raw() < 1e-6 * kept.work.raw();
        if alike {
            kept.share += next.share;
            kept.work = next.work;
        }
        alike
    });
    Some(answer)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use swiftloop_units::Micros;

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
