//! What one call of a processor or one node costs on the reference core.

use crate::session::{CostFigures, Processor, State};
use crate::tables::Tables;
use crate::units::{Block, Micros};

/// Cost of one processor per call: `call + frames × per frame`, on the reference core.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CallCost {
    /// Whatever the block.
    pub call: Micros,
    /// Per frame, with oversampling and channels.
    pub per_frame: Micros,
    /// Frames it works on at once, if it has a block of its own.
    pub internal: Option<Block>,
}

/// Share of a call that copying in and out costs in blocks in which a larger internal block does not fall due.
const COPYING: f64 = 0.1;

impl CallCost {
    /// Nothing.
    pub const FREE: Self = Self { call: Micros::new(0.0), per_frame: Micros::new(0.0), internal: None };

    /// Cost within a block of `n` frames in which an internal block falls due or not. With an internal block
    /// of at most n frames the work is spread evenly; a larger one works only when it falls due.
    #[must_use]
    pub fn in_block(self, n: Block, due: bool) -> Micros {
        let of = |frames: Block| self.per_frame * f64::from(frames.get());
        match self.internal {
            Some(m) if m > n => {
                let copy = self.call * COPYING;
                if due { copy + self.call + of(m) } else { copy }
            }
            // ⌈n/m⌉ calls, not n/m: a block may hold one more when they do not divide.
            Some(m) => (self.call + of(m)) * f64::from(n.get().div_ceil(m.get())),
            None => self.call + of(n),
        }
    }
}

/// Cost of a processor as the session stands, for `channels` channels; `cost` is per pair.
#[must_use]
pub fn processor_cost(p: &Processor, cost: CostFigures, channels: u32, tables: &Tables) -> CallCost {
    let state = match p.state {
        State::Active => 1.0,
        State::Off => tables.assume.off_but_loaded_cost.raw(),
        State::Unloaded => 0.0,
    };
    CallCost {
        call: Micros::from(cost.per_call_ns) * state,
        per_frame: Micros::from(cost.per_frame_ns) * (state * f64::from(p.oversampling) * pairs(channels)),
        internal: p.internal_block,
    }
}

/// Cost of a node without its processors: fader, pan, meter, and the hand-over between workers.
#[must_use]
pub fn node_cost(channels: u32, tables: &Tables) -> CallCost {
    CallCost {
        call: tables.assume.node_overhead_ns.into(),
        per_frame: Micros::from(tables.assume.plain_track_per_frame_ns) * pairs(channels),
        internal: None,
    }
}

fn pairs(channels: u32) -> f64 {
    f64::from(channels.div_ceil(2))
}

#[cfg(test)]
mod tests {
    use super::CallCost;
    use crate::load::burst_cycle;
    use crate::units::{Block, Micros};
    use proptest::prelude::*;

    fn cost(call: f64, per_frame: f64, internal: Option<u32>) -> CallCost {
        CallCost {
            call: Micros::new(call),
            per_frame: Micros::new(per_frame),
            internal: internal.map(Block::new),
        }
    }

    fn in_block(cost: CallCost, n: u32, due: bool) -> f64 {
        cost.in_block(Block::new(n), due).raw()
    }

    proptest! {
        /// Over a whole cycle a processor with a block of its own works on every frame exactly once.
        #[test]
        fn no_frame_is_worked_on_twice(n in 16u32..512, m in 16u32..2048) {
            let cost = cost(0.0, 1.0, Some(m));
            let p = burst_cycle(Block::new(n), [Block::new(m)]);
            prop_assume!(!p.capped);
            let each = |b: &crate::load::KindOfBlock| b.share * in_block(cost, n, p.is_due(Block::new(m), *b));
            let mean: f64 = p.blocks.iter().map(each).sum();
            // Where its block is smaller than the device's, some blocks hold one more: an upper bound.
            if m > n { prop_assert!((mean - f64::from(n)).abs() < 1e-6) } else { prop_assert!(mean >= f64::from(n) - 1e-9) }
        }

        #[test]
        fn a_larger_block_never_costs_less(n in 16u32..2048, more in 1u32..512, internal in prop::option::of(16u32..4096)) {
            let cost = cost(3.0, 0.1, internal);
            prop_assert!(in_block(cost, n + more, true) >= in_block(cost, n, true) - 1e-9 || internal.is_some_and(|m| m > n));
            prop_assert!(in_block(cost, n, true) >= in_block(cost, n, false));
        }
    }

    #[test]
    fn fewer_calls_are_cheaper_for_the_same_frames() {
        let cost = cost(5.0, 0.1, None);
        assert!(in_block(cost, 512, false) < 8.0 * in_block(cost, 64, false));
        assert_eq!(in_block(CallCost::FREE, 4096, true), 0.0);
    }
}
