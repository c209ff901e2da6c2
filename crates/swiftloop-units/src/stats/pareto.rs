//! The generalised Pareto distribution: the law of what lies beyond a high threshold, whatever the law of the
//! whole (Pickands 1975, Balkema and de Haan 1974). Its survival function, its inverse, and a
//! maximum-likelihood fit with asymptotic intervals (Smith 1987).

/// A generalised Pareto distribution of excesses over a threshold.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pareto {
    /// Shape ξ: below zero a bounded tail, zero the exponential, above zero a heavy tail.
    pub shape: f64,
    /// Scale σ, above zero, in the unit of the excess.
    pub scale: f64,
}

/// Shapes nearer to zero than this are the exponential: beyond double precision's reach to tell apart.
const EXPONENTIAL: f64 = 1e-9;

impl Pareto {
    #[must_use]
    pub fn survival(self, x: f64) -> f64 {
        self.log_survival(x).exp()
    }

    /// Logarithm of P(excess > x).
    #[must_use]
    pub fn log_survival(self, x: f64) -> f64 {
        if x <= 0.0 {
            return 0.0;
        }
        let z = x / self.scale;
        if self.shape.abs() < EXPONENTIAL {
            return -z;
        }
        let base = 1.0 + self.shape * z;
        if base <= 0.0 { f64::NEG_INFINITY } else { -base.ln() / self.shape }
    }

    /// The excess that is passed with probability `p` (the inverse of [`Pareto::survival`]).
    #[must_use]
    pub fn quantile_above(self, p: f64) -> f64 {
        if self.shape.abs() < EXPONENTIAL {
            return -self.scale * p.ln();
        }
        self.scale * ((-self.shape * p.ln()).exp() - 1.0) / self.shape
    }
}

/// A fitted tail with 95 % intervals.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ParetoFit {
    /// The most likely tail.
    pub tail: Pareto,
    /// 95 % interval of the shape.
    pub shape_interval: (f64, f64),
    /// 95 % interval of the scale.
    pub scale_interval: (f64, f64),
}

/// No tail is fitted heavier: from 1 on it has no mean, and no rate of dropouts follows from it.
pub const HEAVIEST: f64 = 0.95;

/// Fits excesses over a threshold by maximum likelihood. Grimshaw's reduction: with θ = ξ/σ fixed, the best
/// shape is `mean ln(1 + θx)`, so one dimension is left to search. Nothing for fewer than 20 excesses or when
/// all are zero. Intervals are asymptotic, for shapes above −½; the shape is held above that, and below
/// [`HEAVIEST`].
#[must_use]
pub fn fit_pareto(excesses: &[f64]) -> Option<ParetoFit> {
    let n = excesses.len();
    let mean = excesses.iter().sum::<f64>() / n as f64;
    let largest = excesses.iter().copied().fold(0.0, f64::max);
    if n < 20 || !mean.is_finite() || mean <= 0.0 || excesses.iter().any(|x| *x < 0.0) {
        return None;
    }
    let shape_at = |theta: f64| excesses.iter().map(|x| (theta * x).ln_1p()).sum::<f64>() / n as f64;
    // Profile log-likelihood per observation: −ln σ − (1 + 1/ξ)·ξ, with σ = ξ/θ.
    let profile = |theta: f64| {
        if theta.abs() * mean < 1e-7 {
            return -mean.ln() - 1.0;
        }
        let shape = shape_at(theta);
        if shape <= -0.5 || shape > HEAVIEST || shape / theta <= 0.0 {
            f64::NEG_INFINITY
        } else {
            -(shape / theta).ln() - shape - 1.0
        }
    };
    // θ runs from just above −1/max (the support's end) to a very heavy tail; the grid finds the hill,
    // golden section its top.
    let (lowest, highest) = (-0.999_999 / largest, 20.0 / mean);
    let steps = 400;
    let grid = |i: usize| {
        let u = i as f64 / f64::from(steps);
        if u < 0.5 { lowest * (1.0 - 2.0 * u).powi(2) } else { highest * (2.0 * u - 1.0).powi(3) }
    };
    let top = (0..=steps as usize).max_by(|&a, &b| profile(grid(a)).total_cmp(&profile(grid(b))))?;
    let (mut a, mut b) = (grid(top.saturating_sub(1)), grid((top + 1).min(steps as usize)));
    let ratio = (5f64.sqrt() - 1.0) / 2.0;
    for _ in 0..80 {
        let (left, right) = (b - ratio * (b - a), a + ratio * (b - a));
        if profile(left) < profile(right) { a = left } else { b = right }
    }
    let theta = (a + b) / 2.0;
    let tail = if theta.abs() * mean < 1e-7 {
        Pareto { shape: 0.0, scale: mean }
    } else {
        let shape = shape_at(theta);
        Pareto { shape, scale: shape / theta }
    };
    let z = 1.96 / (n as f64).sqrt();
    let shape_half = z * (1.0 + tail.shape);
    let scale_half = z * tail.scale * (2.0 * (1.0 + tail.shape)).sqrt();
    Some(ParetoFit {
        tail,
        shape_interval: (tail.shape - shape_half, tail.shape + shape_half),
        scale_interval: ((tail.scale - scale_half).max(0.0), tail.scale + scale_half),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A reproducible stream of uniform numbers in (0, 1].
    fn uniforms(seed: u64) -> impl Iterator<Item = f64> {
        let mut random = fastrand::Rng::with_seed(seed);
        std::iter::repeat_with(move || 1.0 - random.f64())
    }

    #[test]
    fn shape_zero_is_the_exponential_exactly() {
        let tail = Pareto { shape: 0.0, scale: 25.0 };
        for x in [0.0, 1.0, 25.0, 400.0] {
            assert_eq!(tail.survival(x), (-x / 25.0).exp());
        }
    }

    proptest! {
        #[test]
        fn survival_falls_and_its_inverse_inverts(shape in -0.4f64..0.8, scale in 1.0f64..200.0, p in 1e-9f64..1.0) {
            let tail = Pareto { shape, scale };
            let x = tail.quantile_above(p);
            prop_assert!((tail.survival(x) / p - 1.0).abs() < 1e-6);
            prop_assert!(tail.survival(x + 1.0) <= tail.survival(x));
        }
    }

    #[test]
    fn a_known_tail_is_found_within_the_stated_interval_as_often_as_stated() {
        let (mut hits, mut trials) = (0, 0);
        for (i, &shape) in [-0.2, 0.0, 0.15, 0.4].iter().enumerate() {
            for seed in 0..50u64 {
                let truth = Pareto { shape, scale: 30.0 };
                let draws: Vec<f64> =
                    uniforms(seed * 977 + i as u64).take(800).map(|u| truth.quantile_above(u)).collect();
                let found = fit_pareto(&draws).unwrap();
                let inside = |x: f64, (a, b): (f64, f64)| usize::from(a <= x && x <= b);
                hits += inside(shape, found.shape_interval) + inside(30.0, found.scale_interval);
                trials += 2;
            }
        }
        let share = hits as f64 / trials as f64;
        assert!((0.91..=0.99).contains(&share), "95 % intervals held in {share:.3} of {trials}");
    }

    #[test]
    fn too_little_is_not_fitted() {
        assert!(fit_pareto(&[1.0; 19]).is_none());
        assert!(fit_pareto(&[0.0; 50]).is_none());
    }
}
