//! How far the work of a block may be off. Each processor's work with its low and high figures comes in, and how well the
//! machine is known; two factors go out. The one idea: errors that have one cause add up, independent ones partly
//! cancel (propagation of uncertainty, JCGM 100:2008, 5.2). Of the error of a class half is the class's own (it is shared
//! by all of that class) and half the processor's; figures of their own err each by themselves; what the machine is off
//! by, all work is.

use crate::session::CostKnown;
use crate::units::{Factor, Micros, Range};
use serde::Serialize;
use std::collections::BTreeMap;

/// Factors on all work of a block.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct WorkDoubt {
    /// At the least.
    pub low: f64,
    /// At the most.
    pub high: f64,
}

/// The work of one processor.
#[derive(Debug, Clone, Copy)]
pub struct WorkPart {
    /// How its cost is known.
    pub known: CostKnown,
    /// Its work in the block.
    pub work: Range<Micros>,
}

/// Share of a class's variance that all of the class have in common.
const IN_COMMON: f64 = 0.5;

impl WorkDoubt {
    /// None.
    pub const NONE: Self = Self { low: 1.0, high: 1.0 };

    /// Of the processors alone; `total` is all typical work of the block, with that which nobody doubts.
    #[must_use]
    pub fn of_costs(parts: impl IntoIterator<Item = WorkPart>, total: Micros) -> Self {
        let mut common: BTreeMap<usize, (f64, f64)> = BTreeMap::new();
        let (mut less, mut more) = (0.0, 0.0);
        for part in parts {
            let (below, above) = (
                (part.work.typical() - part.work.low()).raw(),
                (part.work.high() - part.work.typical()).raw(),
            );
            let own = match part.known {
                CostKnown::Class(row) => {
                    let class = common.entry(row).or_default();
                    class.0 += below;
                    class.1 += above;
                    1.0 - IN_COMMON
                }
                CostKnown::Figures | CostKnown::Measured => 1.0,
            };
            less += own * below * below;
            more += own * above * above;
        }
        for (below, above) in common.into_values() {
            less += IN_COMMON * below * below;
            more += IN_COMMON * above * above;
        }
        if total.raw() <= 0.0 {
            return Self::NONE;
        }
        Self { low: (1.0 - less.sqrt() / total.raw()).max(0.0), high: 1.0 + more.sqrt() / total.raw() }
    }

    /// With another, independent cause: factors from `low` to `high`, one to expect.
    #[must_use]
    pub fn and(self, other: Range<Factor>) -> Self {
        let typical = other.typical().raw();
        let both = |a: f64, b: f64| a.max(1e-9).ln().hypot((b / typical).max(1e-9).ln()).exp();
        Self { low: 1.0 / both(self.low, other.low().raw()), high: both(self.high, other.high().raw()) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn part(known: CostKnown, work: f64, times: f64) -> WorkPart {
        let us = |x| Micros::new(x);
        WorkPart { known, work: Range::spanning(us(work / times), us(work), us(work * times)) }
    }

    #[test]
    fn one_processor_is_as_doubtful_as_its_class_and_many_of_one_class_half_in_variance() {
        let one = WorkDoubt::of_costs([part(CostKnown::Class(0), 10.0, 2.0)], Micros::new(10.0));
        assert!((one.high - 2.0).abs() < 1e-9 && (one.low - 0.5).abs() < 1e-9);
        let many = vec![part(CostKnown::Class(0), 1.0, 2.0); 10_000];
        let all = WorkDoubt::of_costs(many, Micros::new(10_000.0));
        assert!((all.high - 1.0 - 0.5f64.sqrt()).abs() < 1e-3, "{}", all.high);
        // Figures of their own cancel.
        let own = vec![part(CostKnown::Figures, 1.0, 2.0); 10_000];
        assert!((WorkDoubt::of_costs(own, Micros::new(10_000.0)).high - 1.01).abs() < 1e-9);
    }

    #[test]
    fn causes_that_know_nothing_of_each_other_add_up_in_squares() {
        let speed = Range::spanning(Factor::new(0.5), Factor::new(1.0), Factor::new(2.0));
        let both = WorkDoubt { low: 0.5, high: 2.0 }.and(speed);
        assert!((both.high - 2f64.powf(2f64.sqrt())).abs() < 1e-9, "{}", both.high);
        assert!((both.low * both.high - 1.0).abs() < 1e-9);
        assert_eq!(WorkDoubt::NONE.and(Range::exact(Factor::new(0.7))), WorkDoubt::NONE);
    }
}
