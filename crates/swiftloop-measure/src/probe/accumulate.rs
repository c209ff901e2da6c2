//! The sum over bursts, for every delay at once: scores of a channel and the places where the bursts of an output would
//! have to be come in, how certain each delay is goes out. Delays that follow one another look at scores
//! that follow one another, so burst by burst the same is done to whole rows.

use super::matched::{BIN, Matched};
use std::ops::Range;

/// Two clocks differ by no more: ordinary crystals stay below 100 ppm each.
pub const MOST_DRIFT: f64 = 250e-6;
/// No burst counts for more than this, or an eighth of the best: many that are there beat few that are loud.
const MOST_SCORE: f32 = 100.0;
/// Fewest bursts that the recording has to hold.
pub const FEWEST_HEARD: usize = 5;

/// Most that drift can move a burst that begins `after` frames into the probe, in bins.
#[must_use]
pub fn room(after: usize) -> usize {
    1 + (after as f64 * MOST_DRIFT / BIN as f64).ceil() as usize
}

/// The best score within so many bins on either side, for every bin and as many sides as drift can need.
pub struct Widened {
    /// For every radius, the best score around each bin.
    rows: Vec<Vec<f32>>,
    /// No burst counts for more.
    most: f32,
}

impl Widened {
    /// Of a channel's scores.
    #[must_use]
    pub fn new(matched: &Matched) -> Self {
        let mut all = vec![matched.bins.clone()];
        for radius in 1..=room(matched.places()) {
            let narrower = &all[radius - 1];
            let at = |i: Option<usize>| i.and_then(|i| narrower.get(i)).copied().unwrap_or(0.0);
            let wider = (0..narrower.len())
                .map(|i| narrower[i].max(at(i.checked_sub(1))).max(at(Some(i + 1))))
                .collect();
            all.push(wider);
        }
        let best = matched.bins.iter().copied().fold(0.0, f32::max);
        Self { rows: all, most: (best / 8.0).max(MOST_SCORE) }
    }

    #[must_use]
    pub fn widest(&self) -> usize {
        self.rows.len() - 1
    }

    /// How many bins there are.
    #[must_use]
    pub fn bins(&self) -> usize {
        self.rows[0].len()
    }
}

/// Where a burst would be without delay, how far drift can move it, and what noise would score there.
pub struct Expected {
    /// Bin of its beginning.
    pub bin: i64,
    /// Bins on either side.
    pub radius: usize,
    pub mean: f64,
    pub variance: f64,
}

/// Of every delay so far: what its bursts score beyond noise, the variance of that, and how many were heard.
struct DelayScores {
    sums: Vec<f32>,
    variances: Vec<f32>,
    heard: Vec<f32>,
    /// The best squared certainty (below zero when the sum is), and with how many bursts.
    best: Vec<f32>,
    bursts: Vec<u32>,
}

/// For every delay in bins at which enough bursts lie in the recording: with how many bursts it is most certain, and
/// how many standard deviations beyond noise that is. Fewer than `fewest` only count where the recording ends.
pub fn accumulate(
    wide: &Widened,
    starts: &[Expected],
    delays: Range<i64>,
    fewest: usize,
) -> impl Iterator<Item = (i64, usize, f64)> {
    let count = usize::try_from(delays.end - delays.start).unwrap_or(0);
    let mut rows = DelayScores {
        sums: vec![0.0; count],
        variances: vec![0.0; count],
        heard: vec![0.0; count],
        best: vec![f32::NEG_INFINITY; count],
        bursts: vec![0; count],
    };
    let within = |index: i64| usize::try_from(index).unwrap_or(0).min(count);
    // From here on the recording has ended before the burst.
    let mut ended = count;
    for (i, start) in starts.iter().enumerate() {
        let offset = start.bin + delays.start;
        let there = within(-offset)..within(wide.bins() as i64 - offset).min(ended);
        if i < fewest {
            settle(&mut rows, there.end..ended, i as u32);
        }
        ended = there.end;
        if !there.is_empty() {
            let at = (offset + there.start as i64) as usize;
            let scores = &wide.rows[start.radius][at..at + there.len()];
            let noise = (start.mean as f32, start.variance as f32);
            add(&mut rows, there.clone(), scores, wide.most, noise);
        }
        if i + 1 >= fewest {
            settle(&mut rows, there, i as u32 + 1);
        }
    }
    let found = rows.best.into_iter().zip(rows.bursts).enumerate();
    found.filter(|(_, (_, bursts))| *bursts > 0).map(move |(i, (square, bursts))| {
        let certainty = f64::from(square.signum()) * f64::from(square).abs().sqrt();
        (delays.start + i as i64, bursts as usize, certainty)
    })
}

#[multiversion::multiversion(targets("x86_64+avx2+fma"))]
fn add(rows: &mut DelayScores, there: Range<usize>, scores: &[f32], most: f32, noise: (f32, f32)) {
    let sums = rows.sums[there.clone()].iter_mut().zip(&mut rows.variances[there.clone()]);
    for (((sum, variance), heard), score) in sums.zip(&mut rows.heard[there]).zip(scores) {
        *sum += if *score < most { *score } else { most } - noise.0;
        *variance += noise.1;
        *heard += 1.0;
    }
}

/// So many bursts may have been all.
#[multiversion::multiversion(targets("x86_64+avx2+fma"))]
fn settle(rows: &mut DelayScores, there: Range<usize>, count: u32) {
    let sums = rows.sums[there.clone()].iter().zip(&rows.variances[there.clone()]);
    let best = rows.best[there.clone()].iter_mut().zip(&mut rows.bursts[there.clone()]);
    for (((sum, variance), heard), (best, bursts)) in sums.zip(&rows.heard[there]).zip(best) {
        let square = sum * sum.abs() / variance;
        let better = *heard >= FEWEST_HEARD as f32 && square > *best;
        *best = if better { square } else { *best };
        *bursts = if better { count } else { *bursts };
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// One delay by itself, burst by burst, as the definition says it.
    fn alone(wide: &Widened, starts: &[Expected], delay: i64, fewest: usize) -> Option<(usize, f64)> {
        let mut best: Option<(usize, f64)> = None;
        let there = |s: &&Expected| (0..wide.bins() as i64).contains(&(s.bin + delay));
        let last = starts.iter().position(|s| s.bin + delay >= wide.bins() as i64).unwrap_or(starts.len());
        for count in last.min(fewest)..=last {
            let heard: Vec<&Expected> = starts[..count].iter().filter(there).collect();
            let beyond = |s: &&Expected| {
                f64::from(wide.rows[s.radius][(s.bin + delay) as usize].min(wide.most)) - s.mean
            };
            let certainty =
                heard.iter().map(beyond).sum::<f64>() / heard.iter().map(|s| s.variance).sum::<f64>().sqrt();
            if heard.len() >= FEWEST_HEARD && best.is_none_or(|b| certainty > b.1) {
                best = Some((count, certainty));
            }
        }
        best
    }

    #[test]
    fn rows_say_what_each_delay_says_by_itself() {
        let mut random = fastrand::Rng::with_seed(4);
        for bins in [30usize, 90, 400] {
            let row = || (0..bins).map(|_| 30.0 * random.f32()).collect::<Vec<f32>>();
            let wide = Widened { rows: std::iter::repeat_with(row).take(3).collect(), most: 25.0 };
            let expected =
                |i: usize| Expected { bin: 11 * i as i64 + 2, radius: i % 3, mean: 12.0, variance: 6.0 };
            let starts: Vec<Expected> = (0..20).map(expected).collect();
            for fewest in [8, 20] {
                let all: Vec<_> = accumulate(&wide, &starts, -40..bins as i64, fewest).collect();
                let want =
                    (-40..bins as i64).filter_map(|d| alone(&wide, &starts, d, fewest).map(|w| (d, w)));
                let want: Vec<_> = want.collect();
                assert_eq!(all.len(), want.len());
                for ((delay, bursts, certainty), (d, (count, sure))) in all.into_iter().zip(want) {
                    assert_eq!((delay, bursts), (d, count));
                    assert!((certainty - sure).abs() < 1e-3, "{certainty} {sure}");
                }
            }
        }
    }
}
