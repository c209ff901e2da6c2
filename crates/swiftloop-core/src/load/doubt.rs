//! How far the work of a block may be off. Each processor's work with its low and high figures comes in, and how well the
//! machine is known; a factor on all work for every possible rig goes out. The one idea: errors that have one cause
//! lean together, independent ones partly cancel (propagation of uncertainty, JCGM 100:2008, 5.2). Of the error of a
//! class half is the class's own (it is shared by all of that class) and half the processor's; figures of their own err each
//! by themselves; what the machine is off by, all work is.

use crate::doubt::{Cause, Rigs, Spread, lean_at};
use crate::session::CostKnown;
use crate::units::{Factor, Micros, Range};
use serde::Serialize;
use std::collections::BTreeMap;

/// Factors on all work of a block: nine of ten rigs lie above the first, and nine of ten under the second.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct WorkDoubt {
    /// Most do not take less.
    pub low: f64,
    /// Most do not take more.
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

/// How the work of a block spreads.
#[derive(Debug, Clone, Default)]
pub struct WorkSpread {
    groups: Vec<Group>,
    /// What nobody doubts.
    rest: f64,
    /// Factors on all of it, each with its cause.
    factors: Vec<(Cause, Range<Factor>, Spread)>,
}

/// Processors whose costs are known in the same way.
#[derive(Debug, Clone)]
struct Group {
    /// Share of all work.
    share: f64,
    /// Logarithms of low and high beside typical.
    less: f64,
    more: f64,
    /// How far each cause moves it.
    causes: Vec<(Cause, f64)>,
}

#[derive(Default)]
struct Sums {
    low: f64,
    typical: f64,
    high: f64,
    squares: f64,
}

impl WorkSpread {
    /// Of the processors; `total` is all typical work of the block, with that which nobody doubts.
    #[must_use]
    pub fn of(parts: impl IntoIterator<Item = WorkPart>, total: Micros) -> Self {
        let mut sums: BTreeMap<Option<usize>, Sums> = BTreeMap::new();
        for part in parts {
            let of = match part.known {
                CostKnown::Class(row) => Some(row),
                CostKnown::Figures | CostKnown::Measured => None,
            };
            let sum = sums.entry(of).or_default();
            let typical = part.work.typical().raw();
            sum.low += part.work.low().raw();
            sum.typical += typical;
            sum.high += part.work.high().raw();
            sum.squares += typical * typical;
        }
        let all = total.raw().max(sums.values().map(|s| s.typical).sum());
        if all <= 0.0 {
            return Self { rest: 1.0, ..Self::default() };
        }
        let group = |(class, sum): (Option<usize>, Sums)| {
            // As many processors as would cancel as much, were they alike.
            let alike = sum.typical * sum.typical / sum.squares;
            let causes = match class {
                Some(row) => vec![
                    (Cause::Class(row), IN_COMMON.sqrt()),
                    (Cause::WithinClass(row), ((1.0 - IN_COMMON) / alike).sqrt()),
                ],
                None => vec![(Cause::Figures, (1.0 / alike).sqrt())],
            };
            let log = |to: f64| (to / sum.typical).max(1e-3).ln();
            Group { share: sum.typical / all, less: -log(sum.low), more: log(sum.high), causes }
        };
        let groups: Vec<Group> = sums.into_iter().filter(|(_, s)| s.typical > 0.0).map(group).collect();
        Self { rest: 1.0 - groups.iter().map(|g| g.share).sum::<f64>(), groups, factors: Vec::new() }
    }

    /// With a factor on all work that has a cause of its own.
    #[must_use]
    pub fn and(mut self, cause: Cause, factor: Range<Factor>, spread: Spread) -> Self {
        if factor.spread().raw() > 0.0 {
            self.factors.push((cause, factor, spread));
        }
        self
    }

    /// The factor on all work in every rig; its median is about one.
    #[must_use]
    pub fn factors(&self, rigs: &Rigs) -> Vec<f64> {
        let mut all = vec![self.rest.max(0.0); rigs.count()];
        for group in self.groups.iter() {
            let drawn: Vec<_> = group.causes.iter().map(|(cause, by)| (rigs.leans(*cause), *by)).collect();
            for (i, sum) in all.iter_mut().enumerate() {
                let lean: f64 = drawn.iter().map(|(leans, by)| leans[i] * by).sum();
                *sum += group.share * (lean * if lean < 0.0 { group.less } else { group.more }).exp();
            }
        }
        for (cause, range, spread) in &self.factors {
            let typical = range.typical().raw();
            let leans = rigs.leans(*cause);
            if let (Spread::Factor, true) = (*spread, range.low().raw() > 0.0) {
                // The same as below by one exponential for each, where most of the time goes.
                let log = |to: f64| (to / typical).ln();
                let (less, more) = (-log(range.low().raw()), log(range.high().raw()));
                for (sum, lean) in all.iter_mut().zip(leans.iter()) {
                    *sum *= (lean * if *lean < 0.0 { less } else { more }).exp();
                }
                continue;
            }
            for (sum, lean) in all.iter_mut().zip(leans.iter()) {
                *sum *= lean_at(*range, *lean, *spread) / typical;
            }
        }
        all
    }

    /// Nothing is in doubt.
    #[must_use]
    pub fn is_exact(&self) -> bool {
        self.factors.is_empty() && self.groups.iter().all(|g| g.less <= 0.0 && g.more <= 0.0)
    }
}

impl WorkDoubt {
    /// Of the factors of all rigs.
    #[must_use]
    pub fn of(factors: &[f64], rigs: &Rigs) -> Self {
        Self { low: rigs.at_least(factors, 0.9), high: rigs.at_most(factors, 0.9) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn part(known: CostKnown, work: f64, times: f64) -> WorkPart {
        let us = |x| Micros::new(x);
        WorkPart { known, work: Range::spanning(us(work / times), us(work), us(work * times)) }
    }

    fn variance(spread: &WorkSpread) -> f64 {
        let rigs = Rigs::default();
        let logs: Vec<f64> = spread.factors(&rigs).iter().map(|f| f.ln()).collect();
        let mean = rigs.mean(|i| logs[i]);
        rigs.mean(|i| (logs[i] - mean).powi(2))
    }

    #[test]
    fn one_processor_is_as_doubtful_as_its_class_and_many_of_one_class_half_in_variance() {
        // The variance of a triangle on both sides, from −1 to 1, is a sixth.
        let whole = 2f64.ln().powi(2) / 6.0;
        let one = WorkSpread::of([part(CostKnown::Class(0), 10.0, 2.0)], Micros::new(10.0));
        assert!((variance(&one) / whole - 1.0).abs() < 0.1, "{}", variance(&one) / whole);
        let many = WorkSpread::of(vec![part(CostKnown::Class(0), 1.0, 2.0); 10_000], Micros::new(10_000.0));
        assert!((variance(&many) / whole - 0.5).abs() < 0.02);
        // Figures of their own cancel.
        let own = WorkSpread::of(vec![part(CostKnown::Figures, 1.0, 2.0); 10_000], Micros::new(10_000.0));
        assert!(variance(&own) < 1e-3 * whole);
        let exact = WorkSpread::of([part(CostKnown::Figures, 1.0, 1.0)], Micros::new(2.0));
        assert!(exact.is_exact() && exact.factors(&Rigs::default()).iter().all(|f| (f - 1.0).abs() < 1e-12));
    }

    #[test]
    fn causes_that_know_nothing_of_each_other_add_up_in_squares() {
        let speed = Range::spanning(Factor::new(0.5), Factor::new(1.0), Factor::new(2.0));
        let one = WorkSpread::of([part(CostKnown::Class(0), 10.0, 2.0)], Micros::new(10.0));
        let both = one.clone().and(Cause::Speed, speed, Spread::Factor);
        assert!((variance(&both) / variance(&one) - 2.0).abs() < 0.3, "{}", variance(&both) / variance(&one));
    }
}
