//! How far the work of a block may be off. Each processor's work with its low and high figures comes in, and how well the
//! machine is known; a factor on all work for every possible rig goes out. Errors that have one cause
//! lean together, independent ones partly cancel (propagation of uncertainty, JCGM 100:2008, 5.2). Of the error of a
//! class half is the class's own (it is shared by all of that class) and half the processor's; figures of their own err each
//! by themselves; what the machine is off by, all work is.

use crate::doubt::{Cause, Rigs, SpreadShape, lean_at};
use crate::session::CostKnown;
use serde::Serialize;
use std::collections::BTreeMap;
use swiftloop_units::{Factor, Micros, Range};

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
    rest: f64,
    /// Factors on all of it, each with its cause.
    factors: Vec<(Cause, Range<Factor>, SpreadShape)>,
    /// How much dearer what was measured alone is in a chain, beside what is typical.
    paced: Option<Range<Factor>>,
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
    /// They were measured alone, and have in common how much dearer they are in a chain.
    alone: bool,
}

#[derive(Debug, Clone, Copy, Default)]
struct GroupSums {
    low: f64,
    typical: f64,
    high: f64,
    squares: f64,
    count: usize,
}

impl GroupSums {
    fn change(&mut self, work: Range<Micros>, by: f64) {
        let typical = work.typical().raw();
        self.low += by * work.low().raw();
        self.typical += by * typical;
        self.high += by * work.high().raw();
        self.squares += by * typical * typical;
    }

    /// As many processors as would cancel as much, were they alike: no fewer than one, and no more than there are.
    fn alike(&self) -> f64 {
        (self.typical * self.typical / self.squares.max(f64::MIN_POSITIVE)).clamp(1.0, self.count as f64)
    }
}

/// The work of many processors, summed up by how their costs are known. One can be taken out again: few differ
/// between one state of a session and the next.
#[derive(Debug, Clone, Default)]
pub struct WorkSums(BTreeMap<CostGroup, GroupSums>);

/// Costs that err together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum CostGroup {
    Own,
    Alone,
    Class(usize),
}

impl WorkSums {
    /// Adds a processor; one without work has no doubt either.
    pub fn add(&mut self, part: WorkPart) {
        if part.work.typical().raw() > 0.0 {
            let sums = self.0.entry(part.group()).or_default();
            sums.change(part.work, 1.0);
            sums.count += 1;
        }
    }

    /// Takes out one that was added.
    pub fn take(&mut self, part: WorkPart) {
        if part.work.typical().raw() <= 0.0 {
            return;
        }
        if let Some(sums) = self.0.get_mut(&part.group()) {
            sums.change(part.work, -1.0);
            sums.count = sums.count.saturating_sub(1);
            // What is left of none is only what rounding leaves.
            if sums.count == 0 {
                self.0.remove(&part.group());
            }
        }
    }
}

impl FromIterator<WorkPart> for WorkSums {
    fn from_iter<T: IntoIterator<Item = WorkPart>>(parts: T) -> Self {
        let mut sums = Self::default();
        parts.into_iter().for_each(|part| sums.add(part));
        sums
    }
}

impl WorkPart {
    fn group(&self) -> CostGroup {
        match self.known {
            CostKnown::Class(row) => CostGroup::Class(row),
            CostKnown::Figures | CostKnown::Measured => CostGroup::Own,
            CostKnown::Alone => CostGroup::Alone,
        }
    }
}

impl WorkSpread {
    /// Of the processors; `total` is all typical work of the block, with that which nobody doubts.
    #[must_use]
    pub fn of(WorkSums(sums): WorkSums, total: Micros) -> Self {
        let all = total.raw().max(sums.values().map(|s| s.typical).sum());
        if all <= 0.0 {
            return Self { rest: 1.0, ..Self::default() };
        }
        let group = |(kind, sum): (CostGroup, GroupSums)| {
            let alike = sum.alike();
            let causes = match kind {
                CostGroup::Class(row) => vec![
                    (Cause::Class(row), IN_COMMON.sqrt()),
                    (Cause::WithinClass(row), ((1.0 - IN_COMMON) / alike).sqrt()),
                ],
                CostGroup::Own => vec![(Cause::Figures, (1.0 / alike).sqrt())],
                CostGroup::Alone => vec![(Cause::Alone, (1.0 / alike).sqrt())],
            };
            let log = |to: f64| (to / sum.typical).max(1e-3).ln();
            Group {
                share: sum.typical / all,
                less: -log(sum.low),
                more: log(sum.high),
                causes,
                alone: kind == CostGroup::Alone,
            }
        };
        let groups: Vec<Group> = sums.into_iter().filter(|(_, s)| s.typical > 0.0).map(group).collect();
        Self {
            rest: 1.0 - groups.iter().map(|g| g.share).sum::<f64>(),
            groups,
            factors: Vec::new(),
            paced: None,
        }
    }

    /// With a factor on all work that has a cause of its own.
    #[must_use]
    pub fn and(mut self, cause: Cause, factor: Range<Factor>, spread: SpreadShape) -> Self {
        if factor.spread().raw() > 0.0 {
            self.factors.push((cause, factor, spread));
        }
        self
    }

    /// With what was measured alone so much dearer in a chain, beside what is typical.
    #[must_use]
    pub fn paced(mut self, times: Range<Factor>) -> Self {
        let typical = times.typical().raw();
        self.paced = (typical > 0.0 && times.spread().raw() > 0.0).then(|| times.times(1.0 / typical));
        self
    }

    /// The factor on all work in every rig; its median is about one.
    #[must_use]
    pub fn factors(&self, rigs: &Rigs) -> Vec<f64> {
        let mut all = vec![self.rest.max(0.0); rigs.count()];
        for group in self.groups.iter() {
            let drawn: Vec<_> = group.causes.iter().map(|(cause, by)| (rigs.leans(*cause), *by)).collect();
            let paced = self.paced.filter(|_| group.alone).map(|range| (rigs.leans(Cause::Paced), range));
            for (i, sum) in all.iter_mut().enumerate() {
                let lean: f64 = drawn.iter().map(|(leans, by)| leans[i] * by).sum();
                let dearer = paced
                    .as_ref()
                    .map_or(1.0, |(leans, range)| lean_at(*range, leans[i], SpreadShape::Factor));
                *sum +=
                    group.share * dearer * (lean * if lean < 0.0 { group.less } else { group.more }).exp();
            }
        }
        for (cause, range, spread) in &self.factors {
            let typical = range.typical().raw();
            let leans = rigs.leans(*cause);
            if let (SpreadShape::Factor, true) = (*spread, range.low().raw() > 0.0) {
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
        let paced = self.paced.is_some() && self.groups.iter().any(|g| g.alone);
        self.factors.is_empty() && !paced && self.groups.iter().all(|g| g.less <= 0.0 && g.more <= 0.0)
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

    fn one_part(known: CostKnown, work: f64, times: f64) -> WorkSums {
        [part(known, work, times)].into_iter().collect()
    }

    fn ten_thousand(known: CostKnown) -> WorkSums {
        std::iter::repeat_n(part(known, 1.0, 2.0), 10_000).collect()
    }

    /// However many there are, what they have in common does not cancel; and nobody else has it.
    #[test]
    fn what_was_measured_alone_is_dearer_together() {
        let rigs = Rigs::default();
        let range = Range::spanning(Factor::new(1.0), Factor::new(1.35), Factor::new(2.1));
        let width = |known: CostKnown, count: usize| {
            let sums: WorkSums = std::iter::repeat_n(part(known, 1.0, 1.0), count).collect();
            let spread = WorkSpread::of(sums, Micros::new(count as f64)).paced(range);
            let doubt = WorkDoubt::of(&spread.factors(&rigs), &rigs);
            (spread.is_exact(), doubt.high / doubt.low)
        };
        let (one, many) = (width(CostKnown::Alone, 1), width(CostKnown::Alone, 1000));
        assert!(!one.0 && one.1 > 1.3 && one.1 < 2.1, "{one:?}");
        assert!((one.1 / many.1 - 1.0).abs() < 1e-9, "{one:?} {many:?}");
        assert_eq!(width(CostKnown::Measured, 10), (true, 1.0));
        // Half of the work known otherwise: half of the doubt, about.
        let both: WorkSums =
            [part(CostKnown::Alone, 1.0, 1.0), part(CostKnown::Measured, 1.0, 1.0)].into_iter().collect();
        let spread = WorkSpread::of(both, Micros::new(2.0)).paced(range);
        let doubt = WorkDoubt::of(&spread.factors(&rigs), &rigs);
        assert!(doubt.high / doubt.low < one.1, "{doubt:?}");
    }

    #[test]
    fn what_is_taken_out_leaves_nothing_behind() {
        let mut random = fastrand::Rng::with_seed(5);
        let known = [CostKnown::Class(0), CostKnown::Class(1), CostKnown::Figures];
        let any =
            |r: &mut fastrand::Rng| part(known[r.usize(0..3)], 0.01 * 1e4f64.powf(r.f64()), 1.0 + r.f64());
        for _ in 0..50 {
            let stays: Vec<WorkPart> = (0..random.usize(0..6)).map(|_| any(&mut random)).collect();
            let goes: Vec<WorkPart> = (0..random.usize(0..40)).map(|_| any(&mut random)).collect();
            let mut sums: WorkSums = goes.iter().chain(&stays).copied().collect();
            goes.iter().for_each(|g| sums.take(*g));
            let total = Micros::new(300.0);
            let rigs = Rigs::default();
            let (said, plain) =
                (WorkSpread::of(sums, total), WorkSpread::of(stays.into_iter().collect(), total));
            assert_eq!(said.is_exact(), plain.is_exact());
            for (a, b) in said.factors(&rigs).iter().zip(plain.factors(&rigs)) {
                assert!((a / b - 1.0).abs() < 1e-6, "{a} {b}");
            }
        }
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
        let one = WorkSpread::of(one_part(CostKnown::Class(0), 10.0, 2.0), Micros::new(10.0));
        assert!((variance(&one) / whole - 1.0).abs() < 0.1, "{}", variance(&one) / whole);
        let many = WorkSpread::of(ten_thousand(CostKnown::Class(0)), Micros::new(10_000.0));
        assert!((variance(&many) / whole - 0.5).abs() < 0.02);
        // Figures of their own cancel.
        let own = WorkSpread::of(ten_thousand(CostKnown::Figures), Micros::new(10_000.0));
        assert!(variance(&own) < 1e-3 * whole);
        let exact = WorkSpread::of(one_part(CostKnown::Figures, 1.0, 1.0), Micros::new(2.0));
        assert!(exact.is_exact() && exact.factors(&Rigs::default()).iter().all(|f| (f - 1.0).abs() < 1e-12));
    }

    #[test]
    fn causes_that_know_nothing_of_each_other_add_up_in_squares() {
        let speed = Range::spanning(Factor::new(0.5), Factor::new(1.0), Factor::new(2.0));
        let one = WorkSpread::of(one_part(CostKnown::Class(0), 10.0, 2.0), Micros::new(10.0));
        let both = one.clone().and(Cause::Speed, speed, SpreadShape::Factor);
        assert!((variance(&both) / variance(&one) - 2.0).abs() < 0.3, "{}", variance(&both) / variance(&one));
    }
}
