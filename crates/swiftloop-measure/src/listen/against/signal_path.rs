//! What the way does to sound when it works: a lesson of recorded and played samples comes in; the delay, and for each
//! channel the gain, part of a frame or filter, and the noise go out. The simplest way that leaves little
//! unexplained is the right one, judged by medians, so that a crackle within the lesson does not spoil it.

use crate::listen::sinc::sinc;
use swiftloop_units::fourier::{back_single, forward_single};
use swiftloop_units::stats::{cholesky, median};

/// Frames in which the way is learned.
pub const LESSON: usize = 1 << 14;
/// Taps on either side of a filter that describes a channel's way.
pub const TAPS: usize = 32;
/// Parts of a lesson; the worse half is left out of a filter, in case something broke there.
const PARTS: usize = 16;
/// What the way adds may be this share of the sound; more, and it is not understood.
const LOOSEST: f64 = 0.05;
/// A difference has to be so many standard deviations of the noise.
const DEVIATIONS: f64 = 8.0;

/// The way of one channel.
#[derive(Debug, Clone)]
pub struct ChannelPath {
    /// Filter, [`TAPS`] on either side of the middle; a single one when nothing but the gain changes.
    taps: Vec<f32>,
    /// Standard deviation of what it adds; zero when it adds nothing.
    pub noise: f64,
    /// Differences up to this mean nothing.
    pub tolerance: f32,
}

impl ChannelPath {
    /// Learns from `recorded` and what was `played`, which has [`TAPS`] more frames on either side; `step` is the
    /// smallest between two values of either. Nothing when what came back is not understood.
    #[must_use]
    pub fn learn(recorded: &[f32], played: &[f32], step: f32) -> Option<Self> {
        let step = f64::from(step);
        let mut path = Self::with(vec![0.0; 2 * TAPS + 1]);
        path.taps[TAPS] = usual_gain(recorded, &played[TAPS..TAPS + recorded.len()]);
        let mut left = path.leaves(recorded, played);
        if left > 2.0 * step {
            // A delay between two frames is the commonest way, and the surest to hold for other sounds than the lesson's.
            let shifted = Self::shifted(recorded, played);
            let mut filtered = shifted.clone();
            for _ in 0..2 {
                let good = filtered.better_half(recorded, played);
                filtered.taps = filter(recorded, played, &good);
            }
            let [by_shift, by_filter] = [&shifted, &filtered].map(|p| p.leaves(recorded, played));
            (path, left) =
                if by_filter < 0.5 * by_shift { (filtered, by_filter) } else { (shifted, by_shift) };
        }
        let loud = (dot(recorded, recorded) / recorded.len() as f64).sqrt();
        path.noise = if left > step { left } else { 0.0 };
        path.tolerance = (DEVIATIONS * path.noise).max(1.5 * step) as f32;
        (left <= LOOSEST * loud).then_some(path)
    }

    fn with(taps: Vec<f32>) -> Self {
        Self { taps, noise: 0.0, tolerance: 0.0 }
    }

    /// Frames of delay beside the whole ones: the first moment of a filter is its delay at low frequencies.
    #[must_use]
    pub fn part(&self) -> f64 {
        let weighted = |of: fn(f64) -> f64| -> f64 {
            self.taps.iter().enumerate().map(|(i, t)| f64::from(*t) * of(i as f64 - TAPS as f64)).sum()
        };
        let sum = weighted(|_| 1.0);
        if sum == 0.0 { 0.0 } else { weighted(|i| i) / sum }
    }

    /// Amplitude beside what was played.
    #[must_use]
    pub fn gain(&self) -> f64 {
        dot(&self.taps, &self.taps).sqrt()
    }

    /// What the recording should be, given what was played.
    #[must_use]
    pub fn through(&self, played: &[f32]) -> Vec<f32> {
        let simple = self.taps.iter().enumerate().all(|(i, t)| i == TAPS || *t == 0.0);
        if simple {
            return played.iter().map(|x| x * self.taps[TAPS]).collect();
        }
        let mut out = vec![0.0; played.len()];
        for (i, tap) in self.taps.iter().enumerate() {
            // out[n] += tap · played[n + TAPS − i]
            let (to, from) = (i.saturating_sub(TAPS), TAPS.saturating_sub(i));
            let count = played.len() - to - from;
            for (o, x) in out[to..to + count].iter_mut().zip(&played[from..from + count]) {
                *o += tap * x;
            }
        }
        out
    }

    fn difference(&self, recorded: &[f32], played: &[f32]) -> Vec<f32> {
        self.through(played)[TAPS..].iter().zip(recorded).map(|(e, r)| r - e).collect()
    }

    /// Standard deviation of the difference, by the median of magnitudes: a few crackles do not move it.
    fn leaves(&self, recorded: &[f32], played: &[f32]) -> f64 {
        1.4826 * median(self.difference(recorded, played).iter().map(|x| f64::from(x.abs())))
    }

    /// A delay of a part of a frame, the one that fits best.
    fn shifted(recorded: &[f32], played: &[f32]) -> Self {
        let with = |part: f64| {
            let taps = (0..=2 * TAPS).map(|i| sinc(i as f64 - TAPS as f64 - part, TAPS) as f32).collect();
            let mut path = Self::with(taps);
            let expected = path.through(played);
            let gain = usual_gain(recorded, &expected[TAPS..TAPS + recorded.len()]);
            path.taps.iter_mut().for_each(|t| *t *= gain);
            path
        };
        let error = |part: &f64| with(*part).leaves(recorded, played);
        let best_of = |parts: Vec<f64>| {
            parts.iter().map(|p| (*p, error(p))).min_by(|a, b| a.1.total_cmp(&b.1)).map_or(0.0, |b| b.0)
        };
        let mut step = 0.125;
        let mut best = best_of((-6..=6).map(|i| f64::from(i) * step).collect());
        // Each round looks at both sides of the best, half as far as the one before.
        for _ in 0..13 {
            step /= 2.0;
            best = best_of(vec![best, best - step, best + step]);
        }
        with(best)
    }

    /// Where the parts of a lesson begin in which recorded and expected agree best.
    fn better_half(&self, recorded: &[f32], played: &[f32]) -> Vec<usize> {
        let difference = self.difference(recorded, played);
        let size = recorded.len() / PARTS;
        let error = |at: usize| dot(&difference[at..at + size], &difference[at..at + size]);
        let mut parts: Vec<(f64, usize)> = (0..PARTS).map(|i| (error(i * size), i * size)).collect();
        parts.sort_by(|a, b| a.0.total_cmp(&b.0));
        parts.truncate(PARTS / 2);
        parts.into_iter().map(|p| p.1).collect()
    }
}

/// Where in `field` the `piece` lies, and how alike they are there (1: the same but for gain). Nothing in silence.
#[must_use]
pub fn place(field: &[f32], piece: &[f32]) -> Option<(f64, usize)> {
    let energy = dot(piece, piece);
    if energy < 1e-9 {
        return None;
    }
    let size = (field.len() + piece.len()).next_power_of_two();
    let (forward, back) = (forward_single(size), back_single(size));
    let spectrum = |samples: &[f32]| {
        let (mut time, mut out) = (forward.make_input_vec(), forward.make_output_vec());
        time[..samples.len()].copy_from_slice(samples);
        // The plan's own vectors always have the right lengths.
        let _ = forward.process(&mut time, &mut out);
        out
    };
    let mut product: Vec<_> =
        spectrum(field).iter().zip(&spectrum(piece)).map(|(a, b)| a * b.conj() / size as f32).collect();
    for edge in [0, size / 2] {
        product[edge].im = 0.0;
    }
    let mut correlation = back.make_output_vec();
    let _ = back.process(&mut product, &mut correlation);
    let places = field.len() + 1 - piece.len();
    let at = (0..places).max_by(|a, b| correlation[*a].abs().total_cmp(&correlation[*b].abs()))?;
    let there = &field[at..at + piece.len()];
    let own = dot(there, there);
    Some((dot(there, piece).abs() / (own * energy).sqrt().max(1e-30), at))
}

/// Energy of a stretch.
#[must_use]
pub fn energy(samples: &[f32]) -> f64 {
    dot(samples, samples)
}

fn dot(a: &[f32], b: &[f32]) -> f64 {
    a.iter().zip(b).map(|(x, y)| f64::from(*x) * f64::from(*y)).sum()
}

/// The median ratio of recorded to played where the sound is loud.
fn usual_gain(recorded: &[f32], played: &[f32]) -> f32 {
    let loud = (dot(played, played) / played.len().max(1) as f64).sqrt() as f32;
    let pairs = recorded.iter().zip(played).filter(|(_, p)| p.abs() > loud);
    median(pairs.map(|(r, p)| f64::from(r / p))) as f32
}

/// The filter of [`TAPS`] on either side that turns `played` into `recorded` with the least square error, over the parts
/// of the lesson that begin at `parts`.
fn filter(recorded: &[f32], played: &[f32], parts: &[usize]) -> Vec<f32> {
    let size = 2 * TAPS + 1;
    let count = recorded.len() / PARTS;
    // Tap i multiplies played[n + 2·TAPS − i] (played begins TAPS earlier).
    let lagged = |i: usize, at: usize| &played[2 * TAPS - i + at..2 * TAPS - i + at + count];
    let over = |of: &dyn Fn(usize) -> f64| parts.iter().map(|at| of(*at)).sum::<f64>();
    // Every pair by itself: taking them to depend on their distance alone would leave an error of the stretches' ends.
    let auto = |i: usize, j: usize| over(&|at| dot(lagged(i, at), lagged(j, at)));
    let cross: Vec<f64> =
        (0..size).map(|i| over(&|at| dot(&recorded[at..at + count], lagged(i, at)))).collect();
    let lower: Vec<Vec<f64>> = (0..size).map(|i| (0..=i).map(|j| auto(i, j)).collect()).collect();
    let mut matrix: Vec<Vec<f64>> =
        (0..size).map(|i| (0..size).map(|j| lower[i.max(j)][i.min(j)]).collect()).collect();
    let loudest = lower.iter().filter_map(|row| row.last()).copied().fold(0.0, f64::max);
    for (i, row) in matrix.iter_mut().enumerate() {
        // What the sound does not excite stays at zero.
        row[i] += loudest * 1e-7 + 1e-30;
    }
    cholesky(matrix, cross).iter().map(|t| *t as f32).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn noise(count: usize, seed: u64) -> Vec<f32> {
        let mut random = fastrand::Rng::with_seed(seed);
        (0..count).map(|_| random.f32() - 0.5).collect()
    }

    #[test]
    fn a_gain_is_learned_to_the_bit_though_a_part_is_torn_out() {
        let played = noise(LESSON + 2 * TAPS, 1);
        let mut recorded: Vec<f32> = played[TAPS..TAPS + LESSON].iter().map(|x| -0.5 * x).collect();
        recorded[3000..5000].fill(0.0);
        let path = ChannelPath::learn(&recorded, &played, 1e-7).unwrap();
        assert_eq!((path.taps[TAPS], path.noise), (-0.5, 0.0));
        assert!((path.gain() - 0.5).abs() < 1e-6 && path.part().abs() < 1e-9);
    }

    #[test]
    fn a_filter_is_learned_and_something_else_is_not() {
        let played = noise(LESSON + 2 * TAPS, 2);
        let at = |n: usize| played[n + TAPS];
        let recorded: Vec<f32> = (0..LESSON).map(|n| 0.6 * at(n) + 0.3 * played[n + TAPS - 1]).collect();
        let path = ChannelPath::learn(&recorded, &played, 1e-7).unwrap();
        assert!((path.taps[TAPS] - 0.6).abs() < 1e-3 && (path.taps[TAPS + 1] - 0.3).abs() < 1e-3);
        assert!(ChannelPath::learn(&noise(LESSON, 3), &played, 1e-7).is_none());
    }

    #[test]
    fn a_piece_is_found_in_its_field() {
        let field = noise(9000, 4);
        let (likeness, at) = place(&field, &field[4321..6000]).unwrap();
        assert!(likeness > 0.999 && at == 4321);
        assert!(place(&field, &[0.0; 500]).is_none());
    }
}
