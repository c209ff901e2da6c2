//! What one call of a processor or one node costs on the reference core.

use super::burst::{BurstCycle, Served};
use crate::session::{Processor, ProcessorCost, State};
use crate::tables::Tables;
use swiftloop_units::{Block, Micros, Nanos, Range};

/// Cost of one processor per call: `call + frames × per frame`, on the reference core.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CallCost {
    pub call: Micros,
    /// Per frame, with oversampling and channels.
    pub per_frame: Micros,
    /// Frames it works on at once, if it has a block of its own.
    pub internal: Option<Block>,
    /// What each such block takes, where the other figures are those of every call; else all of its work is done in its own
    /// blocks.
    pub burst: Option<Micros>,
}

/// A cost with its doubt.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CostRange {
    pub low: CallCost,
    pub typical: CallCost,
    pub high: CallCost,
}

impl CostRange {
    pub const FREE: Self = Self { low: CallCost::FREE, typical: CallCost::FREE, high: CallCost::FREE };
}

/// Share of a call that copying in and out costs in every block of a processor whose own block is larger.
const COPYING: f64 = 0.1;

impl CallCost {
    pub const FREE: Self =
        Self { call: Micros::new(0.0), per_frame: Micros::new(0.0), internal: None, burst: None };

    /// Cost within a block of this kind.
    #[must_use]
    pub fn in_block(self, cycle: &BurstCycle, served: &Served) -> Micros {
        self.so_often(Turns::of(self.internal, cycle, served))
    }

    /// Cost of so many calls and frames.
    #[must_use]
    #[inline]
    pub fn so_often(self, turns: Turns) -> Micros {
        match self.burst {
            None => self.call * turns.calls + self.per_frame * turns.frames,
            Some(burst) => self.call * turns.every.0 + self.per_frame * turns.every.1 + burst * turns.bursts,
        }
    }

    /// With the call and each frame so many times as dear.
    #[must_use]
    pub fn times(self, call: f64, per_frame: f64) -> Self {
        let burst = self.burst.map(|b| b * per_frame);
        Self { call: self.call * call, per_frame: self.per_frame * per_frame, internal: self.internal, burst }
    }
}

/// How often a processor's turn comes in one kind of block.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Turns {
    /// Calls; copying in and out is a part of one.
    pub calls: f64,
    /// Frames in them.
    pub frames: f64,
    /// Calls and frames of every processor, whatever its own block.
    pub every: (f64, f64),
    /// Blocks of its own in it.
    pub bursts: f64,
}

impl Turns {
    /// Of a processor with a block of its own, `internal`, or without.
    #[must_use]
    pub fn of(internal: Option<Block>, cycle: &BurstCycle, served: &Served) -> Self {
        let every = (f64::from(served.calls), f64::from(served.frames));
        let Some(m) = internal else {
            return Self { calls: every.0, frames: every.1, every, bursts: 0.0 };
        };
        let copying = if m > cycle.call { COPYING * every.0 } else { 0.0 };
        let calls = f64::from(cycle.calls_of(m, served));
        Self { calls: calls + copying, frames: calls * f64::from(m.get()), every, bursts: calls }
    }
}

/// Cost of a processor as the session stands, for `channels` channels; `cost` is per pair.
#[must_use]
pub fn processor_cost(p: &Processor, cost: ProcessorCost, channels: u32, tables: &Tables) -> CostRange {
    let state = match p.state {
        State::Active => 1.0,
        State::Off => tables.assume.off_but_loaded_cost.raw(),
        State::Unloaded => 0.0,
    };
    // As many as the channels need, each called by itself; or one for all pairs.
    let (many, each_call) = match cost.channels {
        Some(n) => (f64::from(channels.div_ceil(n.max(1))), f64::from(channels.div_ceil(n.max(1)))),
        None => (pairs(channels), 1.0),
    };
    let pick = |which: fn(Range<Nanos>) -> Nanos| CallCost {
        call: Micros::from(which(cost.per_call)) * (state * each_call),
        per_frame: Micros::from(which(cost.per_frame)) * (state * f64::from(p.oversampling) * many),
        internal: p.internal_block,
        burst: cost.burst.map(|b| Micros::from(b) * (state * f64::from(p.oversampling) * many)),
    };
    CostRange { low: pick(Range::low), typical: pick(Range::typical), high: pick(Range::high) }
}

/// Cost of a node without its processors: fader, pan, meter, and the hand-over between workers.
#[must_use]
pub fn node_cost(channels: u32, tables: &Tables) -> CallCost {
    CallCost {
        call: tables.assume.node_overhead_ns.into(),
        per_frame: Micros::from(tables.assume.plain_track_per_frame_ns) * pairs(channels),
        internal: None,
        burst: None,
    }
}

fn pairs(channels: u32) -> f64 {
    f64::from(channels.div_ceil(2))
}

#[cfg(test)]
mod tests {
    use super::CallCost;
    use crate::load::burst_cycle;
    use proptest::prelude::*;
    use swiftloop_units::{Block, Micros};

    fn cost(call: f64, per_frame: f64, internal: Option<u32>) -> CallCost {
        CallCost {
            call: Micros::new(call),
            per_frame: Micros::new(per_frame),
            internal: internal.map(Block::new),
            burst: None,
        }
    }

    /// Mean and worst of a whole cycle.
    fn over_cycle(cost: CallCost, n: u32, own: Option<u32>) -> (f64, f64) {
        let c = burst_cycle(Block::new(n), own.map(Block::new), cost.internal);
        let each: Vec<f64> = c.blocks.iter().map(|b| cost.in_block(&c, &b.served).raw()).collect();
        let mean = c.blocks.iter().zip(&each).map(|(b, us)| b.share * us).sum();
        (mean, each.last().copied().unwrap())
    }

    proptest! {
        /// Over a whole cycle every frame is worked on exactly once, whatever the blocks.
        #[test]
        fn no_frame_is_worked_on_twice(n in 16u32..512, m in prop::option::of(16u32..1024), own in prop::option::of(16u32..512)) {
            prop_assume!(!burst_cycle(Block::new(n), own.map(Block::new), m.map(Block::new)).capped);
            let (mean, worst) = over_cycle(cost(0.0, 1.0, m), n, own);
            prop_assert!((mean - f64::from(n)).abs() < 1e-6, "{}", mean);
            prop_assert!(worst >= mean - 1e-9);
        }

        /// Twice the block never takes a larger share of the time.
        #[test]
        fn doubling_a_block_never_raises_the_mean(
            n in 16u32..600, call in 0.0f64..50.0, frame in 0.0f64..2.0, m in prop::option::of(16u32..1500), own in prop::option::of(16u32..600),
        ) {
            let cost = cost(call, frame, m);
            let capped = |n| burst_cycle(Block::new(n), own.map(Block::new), m.map(Block::new)).capped;
            prop_assume!(!capped(n) && !capped(2 * n));
            prop_assert!(over_cycle(cost, 2 * n, own).0 <= 2.0 * over_cycle(cost, n, own).0 + 1e-6);
        }
    }

    #[test]
    fn fewer_calls_are_cheaper_for_the_same_frames() {
        let cost = cost(5.0, 0.1, None);
        assert!(over_cycle(cost, 512, None).0 < 8.0 * over_cycle(cost, 64, None).0);
        assert_eq!(over_cycle(CallCost::FREE, 4096, None), (0.0, 0.0));
    }

    #[test]
    fn four_hundred_and_eighty_in_five_hundred_and_twelve() {
        // 13 µs a frame: 480 frames take 6240 µs; one block in fifteen holds two of them.
        let (mean, worst) = over_cycle(cost(0.0, 13.0, Some(480)), 512, None);
        assert!((mean - 512.0 * 13.0).abs() < 1e-6 && (worst - 2.0 * 6240.0).abs() < 1e-9);
    }
}
