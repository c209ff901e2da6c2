//! Blocks that do not divide: the program's own block, and processors with a block of their own, are served whenever
//! enough frames have come together. The sizes come in; the distinct blocks of the whole cycle, how many calls each size
//! gets in them, and the order in which they come go out. What has been served after `F` frames is
//! `⌊F / size⌋` calls, so a block's calls are the difference of two such floors, and over a cycle no frame is lost or
//! charged twice. All blocks are taken to start together, so the last block of the cycle has the most of every
//! size due: no other start is worse.

use num_integer::Integer;
use std::collections::BTreeMap;
use swiftloop_units::Block;

/// One kind of block in a cycle.
#[derive(Debug, Clone, PartialEq)]
pub struct KindOfBlock {
    /// Share of all blocks.
    pub share: f64,
    /// What is served in it.
    pub served: Served,
}

/// What a block of the device serves.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Served {
    /// Calls of processors without a block of their own: one, or as many as the program's own blocks are ready.
    pub calls: u32,
    /// Frames in these calls.
    pub frames: u32,
    /// Calls of each internal size, in their order.
    pub internal: Vec<u32>,
}

/// Distinct blocks of a cycle.
#[derive(Debug, Clone, PartialEq)]
pub struct BurstCycle {
    /// Frames of one call of a processor without a block of its own.
    pub call: Block,
    /// The internal sizes, rising.
    pub sizes: Vec<Block>,
    /// The kinds of blocks; the worst is the last.
    pub blocks: Vec<KindOfBlock>,
    /// The kind with the least of every size: the first of the cycle.
    pub least: usize,
    /// The kind of every block in turn; empty when the cycle is too long to be walked.
    pub order: Vec<usize>,
    /// The cycle was too long: shares are those of its beginning, and the worst block is kept in mind.
    pub capped: bool,
}

/// Blocks of one cycle that are walked.
pub const LONGEST_CYCLE: u64 = 1 << 14;
/// Blocks that are looked at of a cycle that is longer.
const SAMPLE: u64 = 1 << 12;

/// Walks the cycle of a device block of `n` frames through the program's own block, if it has one, and the blocks of
/// processors, `internal`.
#[must_use]
pub fn burst_cycle(n: Block, own: Option<Block>, internal: impl IntoIterator<Item = Block>) -> BurstCycle {
    let mut sizes: Vec<Block> = internal.into_iter().collect();
    sizes.sort_unstable();
    sizes.dedup();
    let call = own.unwrap_or(n);
    let cycle = sizes.iter().chain([&call]).try_fold(1u64, |sum, &m| {
        let alone = u64::from(m.get() / m.get().gcd(&n.get()));
        let joint = sum.lcm(&alone);
        (joint <= LONGEST_CYCLE).then_some(joint)
    });
    let walked = cycle.unwrap_or(SAMPLE);
    let per_call = u64::from(call.get());
    // Frames that the program has worked on when so many device blocks have come.
    let calls_by = |blocks: u64| blocks * u64::from(n.get()) / per_call;
    let served = |j: u64| {
        let (from, to) = (calls_by(j), calls_by(j + 1));
        let of = |m: &Block| {
            let m = u64::from(m.get());
            (to * per_call / m - from * per_call / m) as u32
        };
        Served {
            calls: (to - from) as u32,
            frames: ((to - from) * per_call) as u32,
            internal: sizes.iter().map(of).collect(),
        }
    };
    let most = Served {
        calls: n.get().div_ceil(call.get()),
        frames: n.get().div_ceil(call.get()) * call.get(),
        internal: sizes
            .iter()
            .map(|m| (n.get().div_ceil(call.get()) * call.get()).div_ceil(m.get()))
            .collect(),
    };
    let all: Vec<Served> = (0..walked).map(served).collect();
    let mut counts: BTreeMap<&Served, u64> = BTreeMap::new();
    for one in &all {
        *counts.entry(one).or_default() += 1;
    }
    let share = |c: u64| c as f64 / walked as f64;
    let mut blocks: Vec<KindOfBlock> =
        counts.into_iter().map(|(s, c)| KindOfBlock { share: share(c), served: s.clone() }).collect();
    // What the beginning of a long cycle does not show comes once in all of it, if at all.
    if !blocks.iter().any(|b| b.served == most) {
        blocks.push(KindOfBlock { share: 0.0, served: most.clone() });
    }
    blocks.sort_by_key(|b| b.served == most);
    let place = |s: &Served| blocks.iter().position(|b| b.served == *s).unwrap_or(0);
    let least = all.first().map_or(0, place);
    let order = if cycle.is_some() { all.iter().map(place).collect() } else { Vec::new() };
    BurstCycle { call, sizes, blocks, least, order, capped: cycle.is_none() }
}

impl BurstCycle {
    /// Calls that an internal block of `m` frames gets in a block of this kind.
    #[must_use]
    pub fn calls_of(&self, m: Block, served: &Served) -> u32 {
        self.sizes.binary_search(&m).map_or(0, |i| served.internal[i])
    }

    #[must_use]
    pub fn worst(&self) -> usize {
        self.blocks.len() - 1
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cycle(n: u32, own: Option<u32>, internal: &[u32]) -> BurstCycle {
        burst_cycle(Block::new(n), own.map(Block::new), internal.iter().map(|m| Block::new(*m)))
    }

    fn shares(c: &BurstCycle) -> Vec<(f64, Vec<u32>)> {
        c.blocks.iter().map(|b| (b.share, b.served.internal.clone())).collect()
    }

    #[test]
    fn twice_the_block_is_due_every_other_time() {
        assert_eq!(shares(&cycle(128, None, &[256])), [(0.5, vec![0]), (0.5, vec![1])]);
        assert_eq!(shares(&cycle(512, None, &[256, 512])), [(1.0, vec![2, 1])]);
        // 480 in 512: fourteen of fifteen blocks hold one call, the last holds two.
        assert_eq!(shares(&cycle(512, None, &[480])), [(14.0 / 15.0, vec![1]), (1.0 / 15.0, vec![2])]);
    }

    #[test]
    fn the_programs_own_block_is_served_when_it_is_full() {
        let c = cycle(64, Some(100), &[]);
        let all: Vec<(f64, u32)> = c.blocks.iter().map(|b| (b.share, b.served.frames)).collect();
        assert_eq!(all, [(0.36, 0), (0.64, 100)]);
    }

    #[test]
    fn the_beginning_of_a_long_cycle_stands_for_all_and_the_worst_is_kept() {
        let c = cycle(64, None, &[1021, 1019, 1013, 1009]);
        assert!(c.capped && c.order.is_empty());
        assert_eq!(c.blocks[c.worst()].served.internal, [1, 1, 1, 1]);
        for (i, m) in [1009.0, 1013.0, 1019.0, 1021.0].into_iter().enumerate() {
            let share: f64 = c.blocks.iter().map(|b| b.share * f64::from(b.served.internal[i])).sum();
            assert!((share / (64.0 / m) - 1.0).abs() < 0.01, "{share}");
        }
    }

    proptest! {
        /// Each size gets n/m calls in the mean (no frame is lost), shares add up, no block gets more than the last.
        #[test]
        fn every_frame_is_worked_on_once(
            n in 16u32..600,
            own in prop::option::of(16u32..600),
            sizes in prop::collection::vec(1u32..2000, 0..4),
        ) {
            let c = cycle(n, own, &sizes);
            prop_assume!(!c.capped);
            prop_assert!((c.blocks.iter().map(|b| b.share).sum::<f64>() - 1.0).abs() < 1e-9);
            let frames: f64 = c.blocks.iter().map(|b| b.share * f64::from(b.served.frames)).sum();
            prop_assert!((frames - f64::from(n)).abs() < 1e-6);
            let worst = &c.blocks[c.worst()].served;
            for &m in &c.sizes {
                let calls = |s: &Served| c.calls_of(m, s);
                let mean: f64 = c.blocks.iter().map(|b| b.share * f64::from(calls(&b.served))).sum();
                prop_assert!((mean - f64::from(n) / f64::from(m.get())).abs() < 1e-9);
                prop_assert!(c.blocks.iter().all(|b| calls(&b.served) <= calls(worst)));
                prop_assert!(c.blocks.iter().all(|b| calls(&b.served) >= calls(&c.blocks[c.least].served)));
            }
            prop_assert_eq!(c.order.len() as u64 as f64 * f64::from(n) % f64::from(c.call.get()), 0.0);
        }
    }
}
