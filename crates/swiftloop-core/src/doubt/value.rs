//! What a measurement is worth: what it would show in every possible rig comes in, and how one decides among rigs that
//! still agree with it; the chance that it changes the decision goes out. The one idea (Strong, Oakley and Brennan 2014, by
//! their binning): rigs that would show nearly the same are one bin; within each one decides anew, as if the measurement
//! had shown that.

use super::Rigs;

/// Bins of a measurement: fine enough that a bin is nearly one reading, coarse enough that each holds rigs enough to tell
/// nine of ten.
const BINS: usize = 10;

/// What a measurement is worth.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Value {
    /// Chance that it changes the setting.
    pub setting: f64,
    /// Chance that it changes the setting or the verdict.
    pub any: f64,
}

#[must_use]
pub fn counting(rigs: &Rigs) -> Vec<usize> {
    (0..rigs.count()).filter(|&i| rigs.weight(i) > 0.0).collect()
}

/// What a measurement would show, rig by rig: rigs in the order of what they show, cut into bins of about equal weight. What shows the
/// same stays together.
#[derive(Debug)]
pub struct WouldShow<'r> {
    rigs: &'r Rigs,
    order: Vec<usize>,
    /// Where each bin ends.
    ends: Vec<usize>,
}

impl<'r> WouldShow<'r> {
    /// Of a measurement that shows `signal`.
    #[must_use]
    pub fn of(rigs: &'r Rigs, signal: &[f64]) -> Self {
        let mut order = counting(rigs);
        order.sort_by(|&a, &b| signal[a].total_cmp(&signal[b]));
        let (mut ends, mut sum) = (Vec::new(), 0.0);
        for (k, &i) in order.iter().enumerate() {
            sum += rigs.weight(i);
            let last = k + 1 == order.len();
            let same = !last && signal[order[k + 1]] == signal[i];
            if last || sum >= 1.0 / BINS as f64 - 1e-9 && !same {
                ends.push(k + 1);
                sum = 0.0;
            }
        }
        Self { rigs, order, ends }
    }

    fn bins(&self) -> impl Iterator<Item = &[usize]> {
        let begins = std::iter::once(0).chain(self.ends.iter().copied());
        begins.zip(&self.ends).map(|(from, to)| &self.order[from..*to])
    }

    /// The chance that it changes what is decided `now`: `decide` says which setting one takes and what one says of it, among the
    /// rigs for which its question is true.
    pub fn chance_of_change<S: PartialEq, V: PartialEq>(
        &self,
        now: &(S, V),
        decide: impl Fn(&[usize]) -> (S, V),
    ) -> Value {
        let (mut setting, mut any) = (0.0, 0.0);
        for bin in self.bins() {
            let weight: f64 = bin.iter().map(|&i| self.rigs.weight(i)).sum();
            let then = decide(bin);
            if then.0 != now.0 {
                setting += weight;
            }
            if then != *now {
                any += weight;
            }
        }
        Value { setting, any }
    }

    /// Whether something that is so in some rigs has to do with it: its shares differ from bin to bin by more than chance makes
    /// them (Pearson's test, one in a thousand).
    #[must_use]
    pub fn goes_with(&self, is_so: impl Fn(usize) -> bool) -> bool {
        /// Of a squared normal sum with nine degrees of freedom (Abramowitz and Stegun 1964, table 26.8).
        const ONE_IN_A_THOUSAND: f64 = 27.877;
        let rigs = self.rigs;
        let all = rigs.share(&is_so).raw();
        if all <= 0.0 || all >= 1.0 {
            return false;
        }
        let squares = self.bins().map(|bin| {
            let weight: f64 = bin.iter().map(|&i| rigs.weight(i)).sum();
            let so: f64 = bin.iter().filter(|&&i| is_so(i)).map(|&i| rigs.weight(i)).sum();
            weight * (so / weight - all).powi(2)
        });
        squares.sum::<f64>() * rigs.effective() / (all * (1.0 - all)) > ONE_IN_A_THOUSAND
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::doubt::Cause;

    /// Two settings; which is better turns on a draw that a measurement shows, or does not.
    #[test]
    fn agrees_with_counting_by_hand() {
        let rigs = Rigs::default();
        let (x, y) = (rigs.leans(Cause::WakeUps), rigs.leans(Cause::Speed));
        // The first works where x is below its 80th percentile, the second everywhere, and one takes the first if it works in 9
        // of 10.
        let works: Vec<bool> = x.iter().map(|l| *l < super::super::lean(0.8)).collect();
        let decide = |of: &[usize]| {
            let share = of.iter().filter(|&&i| works[i]).count() as f64 / of.len() as f64;
            if share >= 0.9 { (1, 1) } else { (2, 1) }
        };
        // Seen exactly, the first is taken in eight of ten bins.
        let worth =
            |signal: &[f64]| WouldShow::of(&rigs, signal).chance_of_change(&decide(&counting(&rigs)), decide);
        let told = worth(&x);
        assert!((told.setting - 0.8).abs() < 0.11 && told.any == told.setting, "{told:?}");
        // Something else tells nothing, but for what few rigs in a bin pretend.
        assert!(worth(&y).setting < 0.2);
        let goes_with = |signal: &[f64]| WouldShow::of(&rigs, signal).goes_with(|i| works[i]);
        assert!(goes_with(&x) && !goes_with(&y));
        assert_eq!(worth(&vec![0.0; 512]), Value { setting: 0.0, any: 0.0 });
    }

    /// A measurement with four readings, three settings that work in some rigs: every reading looked at by itself.
    #[test]
    fn agrees_with_brute_force_where_there_are_few_readings() {
        let mut random = fastrand::Rng::with_seed(7);
        'cases: for _ in 0..200 {
            let logs: Vec<f64> = (0..64).map(|_| random.f64()).collect();
            let rigs = Rigs::of(64).weighed(&logs);
            let signal: Vec<f64> = (0..64).map(|_| f64::from(random.u8(0..4))).collect();
            let works: Vec<[bool; 3]> =
                (0..64).map(|_| [random.bool(), random.u8(0..4) > 0, random.u8(0..9) > 0]).collect();
            let decide = |of: &[usize]| {
                let all: f64 = of.iter().map(|&i| rigs.weight(i)).sum();
                let share = |k: usize| {
                    of.iter().filter(|&&i| works[i][k]).map(|&i| rigs.weight(i)).sum::<f64>() / all
                };
                // The first that works in most of them; and how well.
                let best = (0..3).find(|k| share(*k) >= 0.75).unwrap_or(2);
                (best, share(best) >= 0.75)
            };
            let all: Vec<usize> = (0..64).collect();
            let now = decide(&all);
            let (mut setting, mut any) = (0.0, 0.0);
            for reading in 0..4 {
                let of: Vec<usize> =
                    all.iter().copied().filter(|&i| signal[i] == f64::from(reading)).collect();
                let weight: f64 = of.iter().map(|&i| rigs.weight(i)).sum();
                if weight < 0.1 {
                    // Too few to stand alone: left to what bins make of them.
                    continue 'cases;
                }
                let then = decide(&of);
                setting += if then.0 == now.0 { 0.0 } else { weight };
                any += if then == now { 0.0 } else { weight };
            }
            let said = WouldShow::of(&rigs, &signal).chance_of_change(&now, decide);
            assert!(
                (said.setting - setting).abs() < 1e-9 && (said.any - any).abs() < 1e-9,
                "{said:?} {setting} {any}"
            );
        }
    }
}
