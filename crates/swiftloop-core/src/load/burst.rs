//! Bursts: processors with an internal block M larger than the device's N do nothing for a while and then M
//! frames of work at once. The sizes come in, the distinct blocks of the whole cycle with their weights come
//! out. All internal blocks are taken to start together, so the last block of the cycle has them all due:
//! no other start is worse.

/// Distinct blocks of a cycle.
#[derive(Debug, Clone, PartialEq)]
pub struct Patterns {
    /// The internal sizes above N, rising.
    pub sizes: Vec<u32>,
    /// Weight of a block and which of `sizes` fall due in it (bit i for `sizes[i]`); the worst is the last.
    pub blocks: Vec<(f64, u32)>,
    /// The cycle was longer than [`LONGEST_CYCLE`]: every block is taken to be the worst.
    pub capped: bool,
}

/// Blocks of one cycle that are walked; beyond this the upper bound "always all at once" is used.
pub const LONGEST_CYCLE: u64 = 1 << 16;
/// Different internal sizes that are told apart.
const MOST_SIZES: usize = 16;

/// Walks the cycle of internal blocks `internal` against a device block of `n` frames.
#[must_use]
pub fn patterns(n: u32, internal: impl IntoIterator<Item = u32>) -> Patterns {
    let mut sizes: Vec<u32> = internal.into_iter().filter(|&m| m > n).collect();
    sizes.sort_unstable();
    sizes.dedup();
    let all_due = (1u64 << sizes.len().min(MOST_SIZES)) as u32;
    let all_due = all_due.wrapping_sub(1);
    let cycle = sizes.iter().try_fold(1u64, |sum, &m| {
        let own = u64::from(m) / gcd(u64::from(m), u64::from(n));
        let joint = sum / gcd(sum, own) * own;
        (joint <= LONGEST_CYCLE).then_some(joint)
    });
    let Some(cycle) = cycle.filter(|_| sizes.len() <= MOST_SIZES) else {
        return Patterns { sizes, blocks: vec![(1.0, u32::MAX)], capped: true };
    };
    let mut counts: std::collections::BTreeMap<u32, u64> = std::collections::BTreeMap::new();
    for j in 0..cycle {
        let frames = |k: u64| k * u64::from(n);
        let due = sizes.iter().enumerate().filter(|(_, m)| {
            let m = u64::from(**m);
            frames(j + 1) / m > frames(j) / m
        });
        *counts.entry(due.fold(0, |mask, (i, _)| mask | 1 << i)).or_default() += 1;
    }
    let mut blocks: Vec<(f64, u32)> =
        counts.into_iter().map(|(mask, c)| (c as f64 / cycle as f64, mask)).collect();
    blocks.sort_by_key(|b| b.1 == all_due);
    Patterns { sizes, blocks, capped: false }
}

impl Patterns {
    /// Whether an internal block of `m` frames falls due in a block with this mask.
    #[must_use]
    pub fn due(&self, m: u32, mask: u32) -> bool {
        self.capped || self.sizes.binary_search(&m).is_ok_and(|i| mask >> i & 1 == 1)
    }
}

fn gcd(a: u64, b: u64) -> u64 {
    if b == 0 { a } else { gcd(b, a % b) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn twice_the_block_is_due_every_other_time() {
        let p = patterns(128, [256]);
        assert_eq!(p.blocks, vec![(0.5, 0), (0.5, 1)]);
    }

    #[test]
    fn nothing_larger_means_one_kind_of_block() {
        assert_eq!(patterns(512, [256, 512]).blocks, vec![(1.0, 0)]);
    }

    #[test]
    fn a_cycle_beyond_the_cap_is_bounded_from_above() {
        let p = patterns(64, [1021, 1019, 1013, 1009]);
        assert!(p.capped && p.due(1021, p.blocks[0].1) && p.due(1009, p.blocks[0].1));
    }

    proptest! {
        /// Each size is due n/m of the time (no frame is lost), weights add up, and the last block has all due.
        #[test]
        fn every_frame_is_worked_on_once(n in 16u32..600, sizes in prop::collection::vec(1u32..2000, 0..4)) {
            let p = patterns(n, sizes.clone());
            prop_assume!(!p.capped);
            prop_assert!((p.blocks.iter().map(|b| b.0).sum::<f64>() - 1.0).abs() < 1e-9);
            for &m in &p.sizes {
                let share: f64 = p.blocks.iter().filter(|b| p.due(m, b.1)).map(|b| b.0).sum();
                prop_assert!((share - f64::from(n) / f64::from(m)).abs() < 1e-9);
                prop_assert!(p.due(m, p.blocks.last().unwrap().1));
            }
        }
    }
}
