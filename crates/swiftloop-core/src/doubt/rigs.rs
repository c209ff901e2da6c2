//! Possible rigs. A cause comes in; for every rig how far it leans from its typical figure goes out, from −1 (the low figure)
//! to 1 (the high one). The draws of a cause are strata of equal chance in a shuffled order (Latin hypercube,
//! McKay, Beckman and Conover 1979), so that each cause by itself is drawn evenly, however few rigs there are.
//!
//! Between typical and high (and low) lies a triangle: near the typical figure is likelier than near the edge, and half of
//! all rigs lie on each side of it.

use super::Cause;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use swiftloop_units::{Quantity, Range, Share};

/// Rigs that are drawn where nothing was seen yet, and where something was: then many of them hardly count.
const DRAWN: (usize, usize) = (512, 4096);

/// Possible rigs with their weights.
#[derive(Debug)]
pub struct Rigs {
    count: usize,
    /// Sums to one; none while all count alike.
    weights: Option<Vec<f64>>,
    leans: Mutex<BTreeMap<Cause, Arc<[f64]>>>,
}

/// How a figure spreads between typical and high.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SpreadShape {
    Even,
    /// By factors: for what is positive and known to a factor.
    Factor,
}

/// How far a figure leans at the share `u` of all rigs that lie below: −1 for its low figure, 1 for its high one.
#[must_use]
pub fn lean(u: f64) -> f64 {
    if u < 0.5 { (2.0 * u.max(0.0)).sqrt() - 1.0 } else { 1.0 - (2.0 * (1.0 - u.min(1.0))).sqrt() }
}

/// The figure that leans so far.
#[must_use]
pub fn lean_at<T: Quantity>(range: Range<T>, lean: f64, spread: SpreadShape) -> f64 {
    let (low, typical, high) = (range.low().raw(), range.typical().raw(), range.high().raw());
    let to = if lean < 0.0 { low } else { high };
    match spread {
        SpreadShape::Factor if typical > 0.0 && to > 0.0 => typical * (to / typical).powf(lean.abs()),
        SpreadShape::Even | SpreadShape::Factor => typical + (to - typical) * lean.abs(),
    }
}

impl Default for Rigs {
    fn default() -> Self {
        Self::drawn(DRAWN.0)
    }
}

impl Rigs {
    fn drawn(count: usize) -> Self {
        Self { count, weights: None, leans: Mutex::default() }
    }

    #[cfg(test)]
    pub(crate) fn of(count: usize) -> Self {
        Self::drawn(count)
    }

    /// As many as it takes where something was seen.
    #[must_use]
    pub fn many() -> Self {
        Self::drawn(DRAWN.1)
    }

    /// The same rigs, weighed by the logarithms of how likely each foretells what was seen.
    #[must_use]
    pub fn weighed(self, log_likelihood: &[f64]) -> Self {
        let most = log_likelihood.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let raw: Vec<f64> = log_likelihood.iter().map(|l| (l - most).exp()).collect();
        let sum: f64 = raw.iter().sum();
        let weights = (sum.is_finite() && sum > 0.0).then(|| raw.into_iter().map(|w| w / sum).collect());
        Self { weights, ..self }
    }

    /// How many there are.
    #[must_use]
    pub fn count(&self) -> usize {
        self.count
    }

    /// How many count, as if all that do counted alike (Kish 1965).
    #[must_use]
    pub fn effective(&self) -> f64 {
        match &self.weights {
            None => self.count as f64,
            Some(weights) => 1.0 / weights.iter().map(|w| w * w).sum::<f64>(),
        }
    }

    /// What rig `i` counts for; all together for one.
    #[must_use]
    pub fn weight(&self, i: usize) -> f64 {
        self.weights.as_ref().map_or(1.0 / self.count as f64, |w| w[i])
    }

    /// How far `cause` leans in every rig.
    #[must_use]
    pub fn leans(&self, cause: Cause) -> Arc<[f64]> {
        let mut known = self.leans.lock().unwrap_or_else(PoisonError::into_inner);
        let drawn = || {
            let mut strata: Vec<f64> =
                (0..self.count).map(|k| lean((k as f64 + 0.5) / self.count as f64)).collect();
            fastrand::Rng::with_seed(cause.seed()).shuffle(&mut strata);
            strata.into()
        };
        Arc::clone(known.entry(cause).or_insert_with(drawn))
    }

    /// The share of rigs for which something holds.
    #[must_use]
    pub fn share(&self, holds: impl Fn(usize) -> bool) -> Share {
        let all = (0..self.count).filter(|&i| holds(i));
        Share::new(match &self.weights {
            None => all.count() as f64 / self.count as f64,
            Some(weights) => all.map(|i| weights[i]).sum::<f64>().clamp(0.0, 1.0),
        })
    }

    /// The mean over all rigs.
    #[must_use]
    pub fn mean(&self, of: impl Fn(usize) -> f64) -> f64 {
        (0..self.count).map(|i| self.weight(i) * of(i)).sum()
    }

    /// The least value that a share `q` of rigs does not exceed.
    #[must_use]
    pub fn at_most(&self, values: &[f64], q: f64) -> f64 {
        let Some(weights) = &self.weights else {
            let place = ((q * values.len() as f64 - 1e-9).ceil() as usize).clamp(1, values.len()) - 1;
            let mut sorted = values.to_vec();
            return *sorted.select_nth_unstable_by(place, f64::total_cmp).1;
        };
        // Halves, and halves of the half that holds it: nobody asks for the order of all.
        let mut all: Vec<(f64, f64)> = values.iter().copied().zip(weights.iter().copied()).collect();
        let (mut part, mut below) = (&mut all[..], 0.0);
        while part.len() > 1 {
            let middle = part.len() / 2;
            part.select_nth_unstable_by(middle, |a, b| a.0.total_cmp(&b.0));
            let (lower, upper) = part.split_at_mut(middle);
            let sum: f64 = below + lower.iter().map(|l| l.1).sum::<f64>();
            if sum >= q - 1e-9 {
                part = lower;
            } else {
                (part, below) = (upper, sum);
            }
        }
        part.first().map_or(f64::NAN, |one| one.0)
    }

    /// The largest value that a share `q` of rigs reaches.
    #[must_use]
    pub fn at_least(&self, values: &[f64], q: f64) -> f64 {
        let turned: Vec<f64> = values.iter().map(|v| -v).collect();
        -self.at_most(&turned, q)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use swiftloop_units::Ms;

    #[test]
    fn each_cause_is_drawn_evenly_and_no_two_go_together() {
        let rigs = Rigs::default();
        let causes = [
            Cause::WakeUps,
            Cause::Speed,
            Cause::Class(0),
            Cause::Class(1),
            Cause::WithinClass(0),
            Cause::Order,
        ];
        for cause in causes {
            let leans = rigs.leans(cause);
            assert_eq!(leans.iter().filter(|l| **l < 0.0).count(), rigs.count() / 2);
            for u in [0.1, 0.25, 0.6, 0.9] {
                assert!((rigs.share(|i| leans[i] <= lean(u)).raw() - u).abs() < 0.002);
            }
        }
        for (k, &a) in causes.iter().enumerate() {
            for &b in &causes[..k] {
                let (x, y) = (rigs.leans(a), rigs.leans(b));
                let (both, own) = (rigs.mean(|i| x[i] * y[i]), rigs.mean(|i| x[i] * x[i]));
                assert!((both / own).abs() < 0.12, "{a:?} {b:?} {}", both / own);
            }
        }
    }

    #[test]
    fn a_figure_leans_between_its_bounds() {
        let range = Range::spanning(Ms::new(2.0), Ms::new(6.0), Ms::new(18.0));
        assert_eq!([-1.0, 0.0, 1.0].map(|l| lean_at(range, l, SpreadShape::Even)), [2.0, 6.0, 18.0]);
        assert!((lean_at(range, 0.5, SpreadShape::Factor) - 6.0 * 3f64.sqrt()).abs() < 1e-9);
        assert_eq!([0.0, 0.5, 1.0].map(lean), [-1.0, 0.0, 1.0]);
    }

    #[test]
    fn shares_and_the_values_that_reach_them_agree_with_weights_too() {
        let values: Vec<f64> = (0..4096).map(|i| f64::from((i * 37) % 4096)).collect();
        let weighed = Rigs::many().weighed(&(0..4096).map(|i| f64::from(i % 7) * 0.3).collect::<Vec<_>>());
        for rigs in [Rigs::many(), weighed] {
            for q in [0.1, 0.5, 0.9] {
                let v = rigs.at_most(&values, q);
                assert!(rigs.share(|i| values[i] <= v).raw() >= q - 1e-9);
                assert!(rigs.share(|i| values[i] < v).raw() < q);
                let v = rigs.at_least(&values, q);
                assert!(rigs.share(|i| values[i] >= v).raw() >= q - 1e-9);
                assert!(rigs.share(|i| values[i] > v).raw() < q);
            }
        }
        assert!((Rigs::many().effective() - 4096.0).abs() < 1e-6);
    }
}
