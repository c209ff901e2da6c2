//! The pace of work: how long a block takes beside undisturbed work, as a law; and chances over it. A delay's law and a
//! pace come in, `P(delay + work × pace > t)` goes out. What is asked for is an integral of a smooth function
//! with a few kinks (where the pace alone is too slow, and where the delay's law changes its form), so it is cut at the
//! kinks and each piece is taken by Gauss and Legendre, in steps as short as the function falls.

/// How long work takes beside undisturbed work.
#[derive(Debug, Clone, PartialEq)]
pub enum Pace {
    /// The logarithm is normal, with this standard deviation and the median one.
    LogNormal(f64),
    /// As it was seen: shares of blocks and their pace, rising.
    Seen(Vec<(f64, f64)>),
}

/// A law of delays: how likely a longer one is.
pub trait DelayLaw {
    /// Logarithm of P(delay > x); zero below zero.
    fn log_later_than(&self, x: f64) -> f64;
    /// How fast that falls at x.
    fn fall(&self, x: f64) -> f64;
    /// Where it changes its form, rising, zero first.
    fn kinks(&self) -> impl Iterator<Item = f64>;
    /// The longest that it can be, if it is bounded.
    fn longest(&self) -> Option<f64> {
        None
    }
    /// P(delay > x); one below zero.
    fn later_than(&self, x: f64) -> f64 {
        if x < 0.0 { 1.0 } else { self.log_later_than(x).exp() }
    }
}

/// Nodes and weights of Gauss and Legendre on 0 to 1 (Abramowitz and Stegun 1964, table 25.4, n = 3).
const GAUSS: [(f64, f64); 3] = [
    (0.112_701_665_379_258, 0.277_777_777_777_778),
    (0.5, 0.444_444_444_444_444),
    (0.887_298_334_620_742, 0.277_777_777_777_778),
];
/// Nodes and weights of Gauss and Hermite for a standard normal variable (the same, table 25.10, n = 5).
const HERMITE: [(f64, f64); 3] = [
    (0.0, 0.533_333_333_333_333),
    (1.355_626_179_974_266, 0.222_075_922_005_613),
    (2.856_970_013_872_806, 0.011_257_411_327_721),
];
/// Standard deviations beyond which nothing is left that counts.
const FARTHEST: f64 = 38.0;
/// So far below the mean nothing is missed.
const LOWEST: f64 = -6.5;
/// The longest step of the walk.
const STEP: f64 = 1.0;
/// A piece that adds less than this share of what there is ends the walk.
const NOTHING: f64 = 3e-4;
/// Below this chance nothing is worth being exact about.
const NEVER: f64 = 1e-290;
/// Half the logarithm of 2π.
const LOG_DENSITY: f64 = 0.918_938_533_204_673;

impl Pace {
    /// Standard deviation of the pace, nearly: of its logarithm.
    #[must_use]
    pub fn spread(&self) -> f64 {
        match self {
            Self::LogNormal(sd) => *sd,
            Self::Seen(paces) => {
                let mean: f64 = paces.iter().map(|p| p.0 * p.1).sum();
                paces.iter().map(|p| p.0 * (p.1 - mean).powi(2)).sum::<f64>().sqrt()
            }
        }
    }

    /// With less variance, by `variance`, where it has that much: what a grid adds.
    #[must_use]
    pub fn less(&self, variance: f64) -> Self {
        match self {
            Self::LogNormal(sd) => Self::LogNormal((sd * sd - variance).max(0.0).sqrt()),
            Self::Seen(_) => self.clone(),
        }
    }

    /// P(`work` × pace > `t`).
    #[must_use]
    pub fn longer_than(&self, work: f64, t: f64) -> f64 {
        let longer = |pace: f64| f64::from(u8::from(work * pace > t));
        match self {
            Self::Seen(paces) => paces.iter().map(|&(share, pace)| share * longer(pace)).sum(),
            Self::LogNormal(sd) if *sd < 1e-9 || work <= 0.0 => longer(1.0),
            Self::LogNormal(_) if t <= 0.0 => 1.0,
            Self::LogNormal(sd) => above((t / work).ln() / sd),
        }
    }

    /// P(delay + `work` × pace > `t`).
    #[must_use]
    pub fn later_than(&self, delay: &impl DelayLaw, work: f64, t: f64) -> f64 {
        match self {
            Self::Seen(paces) => {
                paces.iter().map(|&(share, pace)| share * delay.later_than(t - work * pace)).sum()
            }
            Self::LogNormal(sd) if *sd < 1e-9 || work <= 0.0 => delay.later_than(t - work),
            Self::LogNormal(sd) => log_normal(delay, *sd, work, t),
        }
    }
}

/// P(a standard normal variable > z).
fn above(z: f64) -> f64 {
    0.5 * statrs::function::erf::erfc(z / std::f64::consts::SQRT_2)
}

/// The integral over a log-normal pace of a delay's law.
struct OverPace<'d, D> {
    delay: &'d D,
    sd: f64,
    work: f64,
    t: f64,
    /// Paces at the nodes of a whole step and at its end, as shares of that at its beginning.
    whole: [f64; 4],
}

/// What lies in the bulk of the paces, and up to where.
struct Bulk {
    sum: f64,
    up_to: f64,
}

fn log_normal<D: DelayLaw>(delay: &D, sd: f64, work: f64, t: f64) -> f64 {
    if t <= 0.0 {
        return 1.0;
    }
    let over = OverPace { delay, sd, work, t, whole: shares(sd, STEP) };
    let top = over.room(0.0);
    let last = delay.kinks().last().map_or(top, |x| over.room(x));
    let bulk = over.bulk(last);
    let mut sum = above(top) + bulk.as_ref().map_or(0.0, |b| b.sum);
    let mut upper = top.min(FARTHEST);
    for kink in delay.kinks().skip(1) {
        let lower = over.room(kink).max(LOWEST);
        over.piece(upper, lower, &mut sum);
        upper = lower.min(upper);
    }
    let lowest = delay.longest().map_or(LOWEST, |x| over.room(x)).max(LOWEST);
    match bulk {
        Some(bulk) => over.piece(upper, bulk.up_to, &mut sum),
        None => over.tail(upper, lowest, &mut sum),
    }
    sum.clamp(NEVER, 1.0)
}

/// Paces at the nodes of a step and at its end, as shares of that at its beginning.
fn shares(sd: f64, step: f64) -> [f64; 4] {
    let at = |x: f64| (-sd * step * x).exp();
    [at(GAUSS[0].0), at(GAUSS[1].0), at(GAUSS[2].0), at(1.0)]
}

impl<D: DelayLaw> OverPace<'_, D> {
    /// The pace, as a standard normal variable, at which the delay has just x of room left.
    fn room(&self, x: f64) -> f64 {
        if x < self.t { ((self.t - x) / self.work).ln() / self.sd } else { f64::NEG_INFINITY }
    }

    /// How fast the delay's law rises with z where the work takes `pace`.
    fn steep(&self, pace: f64) -> f64 {
        self.delay.fall((self.t - pace).max(0.0)) * pace * self.sd
    }

    fn steep_at(&self, z: f64) -> f64 {
        self.steep(self.work * (self.sd * z).exp())
    }

    /// Adds the law's tail from `upper` down to `lower`. It may fall all the way; or fall, and rise again to the bulk of the
    /// paces.
    fn tail(&self, upper: f64, lower: f64, sum: &mut f64) {
        /// Where to look for a rise, as shares of the way to the mean.
        const LOOK: [f64; 5] = [1.0, 0.8, 0.6, 0.4, 0.2];
        let rises = |z: &f64| self.steep_at(*z) < *z;
        let Some(from) = LOOK.iter().map(|share| share * upper).find(rises) else {
            return self.walk(upper, lower, sum);
        };
        self.walk(upper, from, sum);
        self.piece(from, lower, sum);
    }

    /// Adds a piece in which there is one peak: from somewhat above that.
    fn piece(&self, upper: f64, lower: f64, sum: &mut f64) {
        /// So far above its peak it begins; and so many times as far as it takes to fall to a third.
        const ABOVE: (f64, f64) = (5.0, 9.0);
        if upper <= lower {
            return;
        }
        let rising = |z: f64| z - self.steep_at(z);
        if rising(upper) <= 0.0 {
            return self.walk(upper, lower, sum);
        }
        let still = rising(lower);
        if still > 0.0 {
            return self.walk(upper.min(lower + ABOVE.1 / still), lower, sum);
        }
        let (mut low, mut high) = (lower, upper);
        for _ in 0..6 {
            let middle = (low + high) / 2.0;
            if rising(middle) > 0.0 { high = middle } else { low = middle }
        }
        self.walk(upper.min(high + ABOVE.0), lower, sum);
    }

    /// Adds the integral from `upper` down to `lower`, in steps as short as the whole falls, to the end of what counts.
    fn walk(&self, upper: f64, lower: f64, sum: &mut f64) {
        let mut z = upper;
        let mut pace = self.work * (self.sd * z).exp();
        while z > lower {
            let fall = self.steep(pace) - z;
            let step = (2.0 / fall.abs().max(1e-9)).clamp(0.02, STEP).min(z - lower);
            let paces = if step < STEP { shares(self.sd, step) } else { self.whole };
            let mut part = 0.0;
            for (&(x, weight), share) in GAUSS.iter().zip(paces) {
                let at = z - step * x;
                let log = self.delay.log_later_than(self.t - pace * share) - 0.5 * at * at - LOG_DENSITY;
                part += weight * log.exp();
            }
            part *= step;
            *sum += part;
            z -= step;
            pace *= paces[3];
            if fall > 0.0 && part < NOTHING * *sum {
                return;
            }
        }
    }

    /// The bulk of the paces, where it lies in the law's tail, far from where that changes its form: by Gauss and Hermite
    /// around the peak, as wide as the whole is there. Nothing when a kink is too near.
    fn bulk(&self, last_kink: f64) -> Option<Bulk> {
        /// In widths of the peak.
        const NEAR: f64 = 3.3;
        let mut peak = 0.0;
        for _ in 0..5 {
            if peak + NEAR > last_kink {
                return None;
            }
            peak = self.steep_at(peak);
        }
        // Where the normal density falls as fast as the delay's law rises; and how sharp that is.
        let (below, at, over) = (self.steep_at(peak - 0.5), self.steep_at(peak), self.steep_at(peak + 0.5));
        let sharp = 1.0 - (over - below);
        let width = 1.0 / sharp.max(0.1).sqrt();
        if sharp < 0.6 || (at - peak).abs() > 0.1 || peak + NEAR * width > last_kink {
            return None;
        }
        let of = |u: f64| {
            let z = peak + width * u;
            let delay = self.delay.log_later_than(self.t - self.work * (self.sd * z).exp());
            (delay - 0.5 * z * z + 0.5 * u * u).exp()
        };
        let pair = |&(u, weight): &(f64, f64)| weight * if u == 0.0 { of(0.0) } else { of(u) + of(-u) };
        Some(Bulk { sum: width * HERMITE.iter().map(pair).sum::<f64>(), up_to: peak + NEAR * width })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use swiftloop_units::stats::Pareto;

    /// A body through its median and a Pareto tail, as classes of machines have it.
    struct Class {
        median: f64,
        threshold: f64,
        share: f64,
        tail: Pareto,
    }

    impl DelayLaw for Class {
        fn log_later_than(&self, x: f64) -> f64 {
            if x < 0.0 {
                0.0
            } else if x < self.median {
                0.5f64.ln() * x / self.median
            } else if x < self.threshold {
                let t = (x - self.median) / (self.threshold - self.median);
                0.5f64.ln() + (self.share / 0.5).ln() * t
            } else {
                (self.share * self.tail.survival(x - self.threshold)).ln()
            }
        }
        fn fall(&self, x: f64) -> f64 {
            if x < self.median {
                2f64.ln() / self.median
            } else if x < self.threshold {
                (0.5 / self.share).ln() / (self.threshold - self.median)
            } else {
                1.0 / (self.tail.scale + self.tail.shape * (x - self.threshold))
            }
        }
        fn longest(&self) -> Option<f64> {
            let bounded = self.tail.shape < 0.0;
            bounded.then(|| self.threshold - self.tail.scale / self.tail.shape)
        }
        fn kinks(&self) -> impl Iterator<Item = f64> {
            [0.0, self.median, self.threshold].into_iter()
        }
    }

    /// Many small steps of the middle: slow, and as plain as can be.
    fn by_steps(delay: &impl DelayLaw, sd: f64, work: f64, t: f64) -> f64 {
        let top = ((t / work).ln() / sd).min(38.0);
        let n = 400_000;
        let h = (top + 12.0) / f64::from(n);
        let at = |i: u32| {
            let z = -12.0 + (f64::from(i) + 0.5) * h;
            (-0.5 * z * z).exp() / std::f64::consts::TAU.sqrt()
                * delay.later_than(t - work * (sd * z).exp())
                * h
        };
        above((t / work).ln() / sd) + (0..n).map(at).sum::<f64>()
    }

    #[test]
    fn agrees_with_plain_quadrature_everywhere() {
        let mut random = fastrand::Rng::with_seed(13);
        let mut worst: f64 = 1.0;
        for _ in 0..300 {
            let between = |r: &mut fastrand::Rng, a: f64, b: f64| a * (b / a).powf(r.f64());
            let median = between(&mut random, 3.0, 90.0);
            let class = Class {
                median,
                threshold: median * between(&mut random, 3.0, 8.0),
                share: between(&mut random, 2e-5, 2e-2),
                tail: Pareto { shape: random.f64() * 0.4 - 0.1, scale: between(&mut random, 12.0, 240.0) },
            };
            let (sd, t) = (between(&mut random, 0.005, 0.15), between(&mut random, 300.0, 40_000.0));
            let work = t * between(&mut random, 0.3, 1.05);
            let (said, truth) =
                (Pace::LogNormal(sd).later_than(&class, work, t), by_steps(&class, sd, work, t));
            if truth > 1e-20 {
                worst = worst.max((said / truth).max(truth / said));
            }
        }
        assert!(worst < 1.02, "off by {worst}");
        println!("off by a factor of {worst:.4} at the most");
    }

    #[test]
    fn the_staircase_is_gone() {
        // 455.6 an hour was said at 0.87, 0.88 and 0.89 of the block; it rises all the way.
        let class =
            Class { median: 8.0, threshold: 60.0, share: 1e-4, tail: Pareto { shape: 0.05, scale: 25.0 } };
        let rate =
            |load: f64| Pace::LogNormal(0.02).later_than(&class, load * 2667.0, 2667.0) * 3.6e9 / 2667.0;
        let all: Vec<f64> = (80..100).map(|l| rate(f64::from(l) / 100.0)).collect();
        assert!(all.windows(2).all(|w| w[1] > 1.2 * w[0]), "{all:?}");
    }

    #[test]
    fn without_delay_only_the_pace_counts() {
        let said = Pace::LogNormal(0.1).longer_than(90.0, 100.0);
        assert!((said / above((100.0f64 / 90.0).ln() / 0.1) - 1.0).abs() < 1e-12, "{said}");
        let seen = Pace::Seen(vec![(0.9, 1.0), (0.1, 1.2)]);
        assert_eq!(seen.longer_than(90.0, 100.0), 0.1);
        assert_eq!(Pace::LogNormal(0.0).longer_than(90.0, 100.0), 0.0);
    }
}
