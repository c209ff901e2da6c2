//! Bursts: processors with an internal block M larger than the device's N do nothing for a while and then M
//! frames of work at once. The sizes come in, the distinct blocks of the whole cycle with their weights come
//! out. All internal blocks are taken to start together, so the last block of the cycle has them all due:
//! no other start is worse.

use crate::units::Block;
use num_integer::Integer;

/// One kind of block in a cycle.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct KindOfBlock {
    /// Share of all blocks.
    pub share: f64,
    /// Which internal sizes fall due in it: bit i for the i-th.
    pub due: u32,
}

/// Distinct blocks of a cycle.
#[derive(Debug, Clone, PartialEq)]
pub struct BurstCycle {
    /// The internal sizes above N, rising.
    pub sizes: Vec<Block>,
    /// The kinds of blocks; the worst is the last.
    pub blocks: Vec<KindOfBlock>,
    /// The cycle was longer than `LONGEST_CYCLE`: every block is taken to be the worst.
    pub capped: bool,
}

/// Blocks of one cycle that are walked; beyond this the upper bound "always all at once" is used.
pub const LONGEST_CYCLE: u64 = 1 << 16;
/// Different internal sizes that are told apart.
const MOST_SIZES: usize = 16;

/// Walks the cycle of internal blocks `internal` against a device block of `n` frames.
#[must_use]
pub fn burst_cycle(n: Block, internal: impl IntoIterator<Item = Block>) -> BurstCycle {
    let mut sizes: Vec<Block> = internal.into_iter().filter(|&m| m > n).collect();
    sizes.sort_unstable();
    sizes.dedup();
    let all_due = (1u64 << sizes.len().min(MOST_SIZES)) as u32;
    let all_due = all_due.wrapping_sub(1);
    let cycle = sizes.iter().try_fold(1u64, |sum, &m| {
        let own = u64::from(m.get() / m.get().gcd(&n.get()));
        let joint = sum.lcm(&own);
        (joint <= LONGEST_CYCLE).then_some(joint)
    });
    let Some(cycle) = cycle.filter(|_| sizes.len() <= MOST_SIZES) else {
        return BurstCycle { sizes, blocks: vec![KindOfBlock { share: 1.0, due: u32::MAX }], capped: true };
    };
    let mut counts: std::collections::BTreeMap<u32, u64> = std::collections::BTreeMap::new();
    for j in 0..cycle {
        let frames = |k: u64| k * u64::from(n.get());
        let due = sizes.iter().enumerate().filter(|(_, m)| {
            let m = u64::from(m.get());
            frames(j + 1) / m > frames(j) / m
        });
        *counts.entry(due.fold(0, |mask, (i, _)| mask | 1 << i)).or_default() += 1;
    }
    let share = |c: u64| c as f64 / cycle as f64;
    let mut blocks: Vec<KindOfBlock> =
        counts.into_iter().map(|(due, c)| KindOfBlock { share: share(c), due }).collect();
    blocks.sort_by_key(|b| b.due == all_due);
    BurstCycle { sizes, blocks, capped: false }
}

impl BurstCycle {
    /// Whether an internal block of `m` frames falls due in a block of this kind.
    #[must_use]
    pub fn is_due(&self, m: Block, kind: KindOfBlock) -> bool {
        self.capped || self.sizes.binary_search(&m).is_ok_and(|i| kind.due >> i & 1 == 1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cycle(n: u32, internal: &[u32]) -> BurstCycle {
        burst_cycle(Block::new(n), internal.iter().map(|m| Block::new(*m)))
    }

    #[test]
    fn twice_the_block_is_due_every_other_time() {
        let kind = |share, due| KindOfBlock { share, due };
        assert_eq!(cycle(128, &[256]).blocks, vec![kind(0.5, 0), kind(0.5, 1)]);
        assert_eq!(cycle(512, &[256, 512]).blocks, vec![kind(1.0, 0)]);
    }

    #[test]
    fn a_cycle_beyond_the_cap_is_bounded_from_above() {
        let p = cycle(64, &[1021, 1019, 1013, 1009]);
        assert!(p.capped && [1021, 1009].iter().all(|m| p.is_due(Block::new(*m), p.blocks[0])));
    }

    proptest! {
        /// Each size is due n/m of the time (no frame is lost), shares add up, and the last block has all due.
        #[test]
        fn every_frame_is_worked_on_once(n in 16u32..600, sizes in prop::collection::vec(1u32..2000, 0..4)) {
            let p = cycle(n, &sizes);
            prop_assume!(!p.capped);
            prop_assert!((p.blocks.iter().map(|b| b.share).sum::<f64>() - 1.0).abs() < 1e-9);
            for &m in &p.sizes {
                let share: f64 = p.blocks.iter().filter(|b| p.is_due(m, **b)).map(|b| b.share).sum();
                prop_assert!((share - f64::from(n) / f64::from(m.get())).abs() < 1e-9);
                prop_assert!(p.is_due(m, *p.blocks.last().unwrap()));
            }
        }
    }
}
