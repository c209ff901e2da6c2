//! Packets that are too late. How much later than the quickest each packet was comes in, and the time in which they were sent;
//! for any length of a receive buffer the packets an hour that come too late or never go out, with doubt. What
//! was seen is counted; beyond what was seen often, the tail goes on as a generalised Pareto law (see `stats`); and late
//! packets come in crowds, so they count for fewer than they are.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, Gamma};
use swiftloop_units::stats::{HEAVIEST, Pareto, ParetoFit, fit_pareto};

/// Packets an hour that are late or never come.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PerHourLate {
    /// Ten minutes of it show no fewer than this, in 19 of 20.
    pub low: f64,
    pub typical: f64,
    /// Ten minutes of it show no more than this, in 19 of 20.
    pub high: f64,
    /// The rate itself, over many hours, is no more than this, in 19 of 20.
    pub at_most: f64,
}

impl PerHourLate {
    /// All of it times a factor.
    #[must_use]
    pub fn times(self, factor: f64) -> Self {
        self.with(Self { low: factor, typical: factor, high: factor, at_most: factor }, |a, b| a * b)
    }

    /// The larger of both, figure by figure.
    #[must_use]
    pub fn max(self, other: Self) -> Self {
        self.with(other, f64::max)
    }

    #[must_use]
    pub fn with(self, other: Self, both: impl Fn(f64, f64) -> f64) -> Self {
        Self {
            low: both(self.low, other.low),
            typical: both(self.typical, other.typical),
            high: both(self.high, other.high),
            at_most: both(self.at_most, other.at_most),
        }
    }

    /// It can be true: in order, finite, not below zero.
    #[must_use]
    pub fn is_sound(self) -> bool {
        let ordered = 0.0 <= self.low && self.low <= self.typical && self.typical <= self.high;
        ordered && self.high.is_finite() && self.at_most >= 0.0 && self.at_most.is_finite()
    }
}

/// Lengths of the receive buffer that are looked at, in milliseconds.
#[must_use]
pub fn lengths() -> Vec<f64> {
    let steps =
        [(0.1, 1.0), (0.25, 5.0), (0.5, 10.0), (1.0, 20.0), (2.5, 50.0), (10.0, 200.0), (50.0, 500.0)];
    let mut all = vec![0.0];
    for (step, to) in steps {
        let from: f64 = all.last().copied().unwrap_or(0.0);
        let n = ((to - from) / step + 0.5) as usize;
        all.extend((1..=n).map(|k| ((from + step * k as f64) * 100.0).round() / 100.0));
    }
    all
}

/// Packets of which at least so many are beyond make a tail to fit.
const TAIL: usize = 60;
/// No more than this share of all.
const TAIL_SHARE: f64 = 0.02;
/// And no more than these.
const MOST_TAIL: usize = 480;
/// The distance of Kolmogorov and Smirnov, times the root of the count, from which on a fitted law is not that of the values
/// (Choulakian and Stephens 2001 give 0.8 to 0.9 for 1 in 20 where both parameters were fitted).
const MISFIT: f64 = 0.8;
/// In so many stretches the measurement is cut to see whether late packets come in crowds.
const STRETCHES: usize = 32;
/// The chance that a bound is wrong on its side.
const ONE_SIDE: f64 = 0.05;
/// The time for which a range is told: ten minutes.
const TOLD_FOR_HOURS: f64 = 1.0 / 6.0;

/// What a receive buffer does.
#[derive(Debug, Clone)]
pub struct Lateness {
    count: usize,
    hours: f64,
    /// How late each is that is later than the threshold, rising.
    beyond: Vec<f64>,
    threshold: f64,
    lost: usize,
    tail: Option<ParetoFit>,
    /// For how many one of the late ones counts, and one of the lost ones.
    crowd: f64,
    lost_crowd: f64,
    /// At each of [`lengths`], how many were later: for lengths below the threshold.
    counted: Vec<usize>,
}

impl Lateness {
    /// How late each packet was, in the order in which they were sent (infinite: it never came), of so many hours.
    #[must_use]
    pub fn of(late_ms: &[f64], hours: f64) -> Self {
        let lengths = lengths();
        let came = late_ms.iter().filter(|l| l.is_finite()).count();
        let mut bins = vec![0usize; lengths.len() + 1];
        for l in late_ms.iter().filter(|l| l.is_finite()) {
            bins[lengths.partition_point(|length| length < l)] += 1;
        }
        // From the far end: how many were later than each length.
        let mut counted = vec![0; lengths.len()];
        let mut later = 0;
        for k in (0..lengths.len()).rev() {
            later += bins[k + 1];
            counted[k] = later;
        }
        let mut all: Vec<f64> = late_ms.iter().copied().filter(|l| l.is_finite()).collect();
        let mut wanted = TAIL.max(((came as f64 * TAIL_SHARE) as usize).min(MOST_TAIL)).min(came);
        let (threshold, beyond, tail) = loop {
            let (threshold, beyond) = beyond(&mut all, wanted);
            let tail = fit_pareto(&beyond.iter().map(|l| l - threshold).collect::<Vec<_>>());
            // A tail that is two things in one is none: further out is only one of them.
            let fits = tail.as_ref().is_none_or(|t| misfit(t, &beyond, threshold) < MISFIT);
            if fits || wanted / 2 < TAIL {
                break (threshold, beyond, tail);
            }
            wanted /= 2;
        };
        let crowd_here = crowd(late_ms, |l| l.is_finite() && l > threshold);
        let tail = tail.map(|t| drawn(t, beyond.len() as f64 / crowd_here));
        Self {
            count: late_ms.len(),
            hours,
            threshold,
            lost: late_ms.len() - came,
            tail,
            crowd: crowd_here,
            lost_crowd: crowd(late_ms, |l| !l.is_finite()),
            beyond,
            counted,
        }
    }

    /// For how many independent events one late packet counts.
    #[must_use]
    pub fn crowd(&self) -> f64 {
        self.crowd
    }

    #[must_use]
    pub fn count(&self) -> usize {
        self.count
    }

    /// How many of them were later than this, or never came.
    #[must_use]
    pub fn seen(&self, buffer_ms: f64) -> u64 {
        let later = if buffer_ms >= self.threshold {
            self.beyond.len() - self.beyond.partition_point(|l| *l <= buffer_ms)
        } else {
            let at = lengths().iter().position(|l| *l >= buffer_ms).unwrap_or(0);
            self.counted.get(at).copied().unwrap_or(0)
        };
        (later + self.lost) as u64
    }

    /// Packets an hour that come too late or never: to expect, and the most and the least that the rate may be.
    fn rate(&self, buffer_ms: f64) -> (f64, f64, f64) {
        let late = if buffer_ms >= self.threshold {
            self.tail_rate(buffer_ms)
        } else {
            self.counted_rate(self.seen(buffer_ms) as f64 - self.lost as f64, self.crowd)
        };
        let lost = self.counted_rate(self.lost as f64, self.lost_crowd);
        (late.0 + lost.0, late.1 + lost.1, late.2 + lost.2)
    }

    /// So many, as a rate with bounds (Garwood 1936), where one counts for several.
    fn counted_rate(&self, seen: f64, crowd: f64) -> (f64, f64, f64) {
        if seen <= 0.0 {
            return (0.0, 0.0, 0.0);
        }
        let per_hour = crowd / self.hours.max(1e-9);
        let k = (seen / crowd).max(0.5);
        (
            seen / self.hours.max(1e-9),
            quantile(k, ONE_SIDE) * per_hour,
            quantile(k + 1.0, 1.0 - ONE_SIDE) * per_hour,
        )
    }

    fn tail_rate(&self, buffer_ms: f64) -> (f64, f64, f64) {
        let seen = (self.beyond.len() - self.beyond.partition_point(|l| *l <= buffer_ms)) as f64;
        let Some(fit) = &self.tail else {
            // Too few to tell how they go on: where none was later, as many may come as go unseen in this time.
            let (typical, low, high) = self.counted_rate(seen, self.crowd);
            let unseen = quantile(1.0, 1.0 - ONE_SIDE) / self.hours.max(1e-9);
            return (typical, low, if seen > 0.0 { high } else { unseen });
        };
        let x = buffer_ms - self.threshold;
        let above = self.beyond.len() as f64;
        let independent = (above / self.crowd).max(4.0);
        let per_hour = above / self.hours.max(1e-9);
        let typical = per_hour * fit.tail.survival(x);
        // Where the fitted law has an end, what lies beyond it is as rare as what goes unseen in twenty times as long.
        let unseen = quantile(1.0, 1.0 - ONE_SIDE) / self.hours.max(1e-9) / 20.0;
        let count = 1.645 / independent.sqrt();
        let (least, most) = around(fit.tail, independent, x);
        let mut bounds = (
            typical,
            per_hour * least * (-count).exp(),
            (per_hour * most * count.exp()).max(unseen * most.sqrt()),
        );
        // What was counted has a say as long as there is enough of it.
        if seen >= 10.0 {
            let own = self.counted_rate(seen, self.crowd);
            bounds = (f64::midpoint(typical, own.0), bounds.1.min(own.1), bounds.2.max(own.2));
        }
        bounds
    }

    /// Packets an hour that come too late or never, as ten minutes of it will show them in 9 of 10.
    #[must_use]
    pub fn per_hour(&self, buffer_ms: f64) -> PerHourLate {
        let (typical, least, most) = self.rate(buffer_ms);
        let crowd = if buffer_ms >= self.threshold && self.lost > 0 {
            self.crowd.max(self.lost_crowd)
        } else {
            self.crowd
        };
        let low = told(least, crowd, ONE_SIDE);
        let high = told(most, crowd, 1.0 - ONE_SIDE);
        PerHourLate { low: low.min(typical), typical, high: high.max(typical), at_most: most.max(typical) }
    }
}

/// The least and the most that the survival beyond `x` may be: over the ellipse that holds the shape and scale of a tail fitted to
/// `n` values (asymptotic covariance, Smith 1987).
fn around(tail: Pareto, n: f64, x: f64) -> (f64, f64) {
    const ANGLES: usize = 24;
    let bend = 1.0 + tail.shape;
    let shape_error = bend / n.sqrt();
    // Given the shape the scale is known better than by itself.
    let scale_error = tail.scale * (1.0 + 2.0 * tail.shape).max(0.05).sqrt() / n.sqrt();
    let survivals = (0..ANGLES).map(|k| {
        let angle = k as f64 * std::f64::consts::TAU / ANGLES as f64;
        let off = 1.645 * shape_error * angle.cos();
        let scale = tail.scale * (1.0 - off / bend) + 1.645 * scale_error * angle.sin();
        Pareto { shape: (tail.shape + off).min(HEAVIEST), scale: scale.max(tail.scale * 0.05) }.survival(x)
    });
    survivals.fold((1.0, 0.0), |(least, most): (f64, f64), s| (least.min(s), most.max(s)))
}

/// A tail whose shape is drawn towards what lines have, as far as the values leave it open: queues of many streams have
/// exponential tails or slightly heavier ones. The scale goes with the shape as their covariance says.
fn drawn(fit: ParetoFit, n: f64) -> ParetoFit {
    const USUAL: (f64, f64) = (0.05, 0.2);
    let own = (1.0 + fit.tail.shape).powi(2) / n.max(1.0);
    let pull = own / (own + USUAL.1 * USUAL.1);
    let shape = fit.tail.shape + (USUAL.0 - fit.tail.shape) * pull;
    let scale = fit.tail.scale * (1.0 - (shape - fit.tail.shape) / (1.0 + fit.tail.shape)).max(0.05);
    ParetoFit { tail: Pareto { shape, scale }, ..fit }
}

/// What lies beyond so many packets from the far end, rising, and from where on.
fn beyond(all: &mut [f64], wanted: usize) -> (f64, Vec<f64>) {
    let threshold = if wanted == 0 || wanted >= all.len() {
        0.0
    } else {
        let at = all.len() - wanted - 1;
        *all.select_nth_unstable_by(at, f64::total_cmp).1
    };
    let mut beyond: Vec<f64> = all.iter().copied().filter(|l| *l > threshold).collect();
    beyond.sort_by(f64::total_cmp);
    (threshold, beyond)
}

/// How far a fitted tail is from the values it was fitted to.
fn misfit(fit: &ParetoFit, beyond: &[f64], threshold: f64) -> f64 {
    let n = beyond.len() as f64;
    let distance = beyond.iter().enumerate().map(|(k, l)| {
        let below = 1.0 - fit.tail.survival(l - threshold);
        (below - k as f64 / n).abs().max((below - (k as f64 + 1.0) / n).abs())
    });
    distance.fold(0.0, f64::max) * n.sqrt()
}

/// What is seen of a rate within ten minutes, as a rate, at a share of all such stretches; packets come in crowds.
fn told(per_hour: f64, crowd: f64, share: f64) -> f64 {
    let expected = per_hour * TOLD_FOR_HOURS / crowd;
    if expected > 500.0 {
        let z = if share < 0.5 { -1.645 } else { 1.645 };
        return (expected + z * expected.sqrt()).max(0.0) * crowd / TOLD_FOR_HOURS;
    }
    at_share(expected, share) * crowd / TOLD_FOR_HOURS
}

/// The least number that a share of all counts (Poisson) does not exceed.
fn at_share(expected: f64, share: f64) -> f64 {
    let mut one = (-expected).exp();
    let (mut sum, mut k) = (one, 0.0);
    while sum < share && k < 1000.0 {
        k += 1.0;
        one *= expected / k;
        sum += one;
    }
    k
}

fn quantile(shape: f64, share: f64) -> f64 {
    Gamma::new(shape.max(1e-6), 1.0).map_or(f64::INFINITY, |g| g.inverse_cdf(share))
}

/// For how many independent events one counts: how much more the counts of stretches differ than those of events that come by
/// themselves (index of dispersion, Fisher 1925), and how long unbroken runs of them are.
fn crowd(all: &[f64], is: impl Fn(f64) -> bool) -> f64 {
    let stretch = all.len().div_ceil(STRETCHES).max(1);
    let counts: Vec<f64> =
        all.chunks(stretch).map(|part| part.iter().filter(|l| is(**l)).count() as f64).collect();
    let n = counts.len() as f64;
    let mean = counts.iter().sum::<f64>() / n.max(1.0);
    if mean * n < 2.0 || n < 2.0 {
        return 1.0;
    }
    let variance = counts.iter().map(|c| (c - mean).powi(2)).sum::<f64>() / (n - 1.0);
    let (mut runs, mut squares, mut run) = (0.0, 0.0, 0.0f64);
    for l in all.iter().copied().map(&is).chain([false]) {
        if l {
            run += 1.0;
        } else if run > 0.0 {
            runs += run;
            squares += run * run;
            run = 0.0;
        }
    }
    // Mean length of the run that a late packet is in.
    let in_run = if runs > 0.0 { squares / runs } else { 1.0 };
    // Of 32 stretches the index wavers by a quarter by itself.
    let index = variance / mean;
    let index = if index < 1.5 { 1.0 } else { index };
    index.max(in_run).max(1.0)
}
