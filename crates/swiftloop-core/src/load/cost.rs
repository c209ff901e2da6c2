//! What one call of a processor or one node costs, in microseconds on the reference core.

use crate::session::{Cost, Processor, State};
use crate::tables::Tables;

/// Cost of one processor per call: `call + frames × frame`, in µs on the reference core.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CallCost {
    /// Whatever the block.
    pub call_us: f64,
    /// Per frame, with oversampling and channels.
    pub frame_us: f64,
    /// Frames it works on at once, if it has a block of its own.
    pub internal: Option<u32>,
}

impl CallCost {
    /// Nothing.
    pub const FREE: Self = Self { call_us: 0.0, frame_us: 0.0, internal: None };

    /// Cost within a block of `n` frames in which an internal block falls due or not. With an internal block
    /// of at most n frames the work is spread evenly; a larger one works only when it falls due.
    #[must_use]
    pub fn in_block(self, n: u32, due: bool) -> f64 {
        let n = f64::from(n);
        match self.internal {
            Some(m) if f64::from(m) > n => {
                // Copying in and out goes on in every block.
                let copy = self.call_us * 0.1;
                if due { copy + self.call_us + f64::from(m) * self.frame_us } else { copy }
            }
            // ⌈n/m⌉ calls, not n/m: a block may hold one more when they do not divide.
            Some(m) => (n / f64::from(m)).ceil() * (self.call_us + f64::from(m) * self.frame_us),
            None => self.call_us + n * self.frame_us,
        }
    }
}

/// Cost of a processor as the session stands, for `channels` channels. Classes and figures are per pair.
#[must_use]
pub fn processor_cost(p: &Processor, channels: u32, tables: &Tables) -> CallCost {
    let (call_ns, frame_ns) = match &p.cost {
        Cost::Figures(f) => (f.per_call_ns.0, f.per_frame_ns.0),
        Cost::Class(id) => tables.cost_class(id).map_or((0.0, 0.0), |c| (c.per_call_ns.0, c.per_frame_ns.0)),
    };
    let state = match p.state {
        State::Active => 1.0,
        State::Off => tables.assume.off_but_loaded_cost.0,
        State::Unloaded => 0.0,
    };
    let pairs = f64::from(channels.div_ceil(2));
    CallCost {
        call_us: call_ns / 1000.0 * state,
        frame_us: frame_ns / 1000.0 * state * f64::from(p.oversampling) * pairs,
        internal: p.internal_block.map(|b| b.0),
    }
}

/// Cost of a node without its processors: fader, pan, meter, and the hand-over between workers.
#[must_use]
pub fn node_cost(channels: u32, tables: &Tables) -> CallCost {
    let pairs = f64::from(channels.div_ceil(2));
    CallCost {
        call_us: tables.assume.node_overhead_ns.0 / 1000.0,
        frame_us: tables.assume.plain_track_per_frame_ns.0 / 1000.0 * pairs,
        internal: None,
    }
}

#[cfg(test)]
mod tests {
    use super::CallCost;
    use crate::load::patterns;
    use proptest::prelude::*;

    proptest! {
        /// Over a whole cycle a processor with a block of its own works on every frame exactly once.
        #[test]
        fn no_frame_is_worked_on_twice(n in 16u32..512, m in 16u32..2048) {
            let cost = CallCost { call_us: 0.0, frame_us: 1.0, internal: Some(m) };
            let p = patterns(n, [m]);
            prop_assume!(!p.capped);
            let mean: f64 = p.blocks.iter().map(|b| b.0 * cost.in_block(n, p.due(m, b.1))).sum();
            // Where its block is smaller than the device's, some blocks hold one more: an upper bound.
            if m > n { prop_assert!((mean - f64::from(n)).abs() < 1e-6) } else { prop_assert!(mean >= f64::from(n) - 1e-9) }
        }

        #[test]
        fn a_larger_block_never_costs_less(n in 16u32..2048, more in 1u32..512, internal in prop::option::of(16u32..4096)) {
            let cost = CallCost { call_us: 3.0, frame_us: 0.1, internal };
            prop_assert!(cost.in_block(n + more, true) >= cost.in_block(n, true) - 1e-9 || internal.is_some_and(|m| m > n));
            prop_assert!(cost.in_block(n, true) >= cost.in_block(n, false));
        }
    }

    #[test]
    fn fewer_calls_are_cheaper_for_the_same_frames() {
        let cost = CallCost { call_us: 5.0, frame_us: 0.1, internal: None };
        assert!(cost.in_block(512, false) < 8.0 * cost.in_block(64, false));
        assert_eq!(CallCost::FREE.in_block(4096, true), 0.0);
    }
}
