//! Matched filter: a recorded channel comes in; out comes, for every frame, how much what begins there looks like a
//! rising and like a falling burst. Correlation divided by the energy on the spot, so that a loud
//! disturbance counts no more than a quiet one, times the burst's length, so that noise scores about 1 at any level.

use super::recipe::{Direction, Recipe};
use swiftloop_units::fourier::{Complex, back_single, forward_single};
use swiftloop_units::stats::{median, quantile};

/// Frames that share one bin of the coarse search.
pub const BIN: usize = 64;

/// Median over bins of the best score in white noise: 128 places and as many between them.
const WHITE_MEDIAN: f32 = 8.0;

/// Scores of one recorded channel.
pub struct Matched {
    /// Correlation with a rising burst that begins at each frame.
    pub rising: Vec<f32>,
    /// The same with a falling one.
    pub falling: Vec<f32>,
    /// What turns a squared correlation into a score, for each frame.
    scale: Vec<f32>,
    unit: f64,
    /// The best score of either direction in each bin.
    pub bins: Vec<f32>,
}

impl Matched {
    /// Filters a channel; empty when it is shorter than a burst.
    #[must_use]
    pub fn new(samples: &[f32], recipe: &Recipe) -> Self {
        let burst = recipe.burst_frames();
        let places = (samples.len() + 1).saturating_sub(burst);
        let shape = |d| (0..burst).map(|n| recipe.burst(d, n as f64) as f32).collect::<Vec<f32>>();
        let (up, down) = (shape(Direction::Rising), shape(Direction::Falling));
        let own: f64 = up.iter().map(|x| f64::from(*x).powi(2)).sum();
        let (rising, falling) = correlate(samples, &up, &down, places);
        let scale = scales(samples, burst, places, own);
        let mut bins: Vec<f32> = (0..places)
            .step_by(BIN)
            .map(|from| {
                let mut squares = [0.0f32; BIN];
                for all in [&rising, &falling] {
                    highest(all, from, &mut squares);
                }
                squares.iter().zip(&scale[from..]).map(|(square, scale)| square * scale).fold(0.0, f32::max)
            })
            .collect();
        // Noise that is not white, or music, fills the probe's band more than white noise does: measure by its own.
        let middle = median(bins.iter().map(|b| f64::from(*b))) as f32;
        let own_noise = (middle / WHITE_MEDIAN).max(1.0);
        let mut scale = scale;
        for value in bins.iter_mut().chain(&mut scale) {
            *value /= own_noise;
        }
        let unit = quantile(scale.iter().step_by(BIN).map(|s| f64::from(*s)), 0.1).sqrt();
        Self { rising, falling, scale, unit, bins }
    }

    /// Frames at which a burst can begin.
    #[must_use]
    pub fn places(&self) -> usize {
        self.scale.len()
    }

    /// How much what begins at `frame` looks like a burst: about 1 in noise, the burst's length at the most.
    #[must_use]
    pub fn score(&self, direction: Direction, frame: usize) -> f64 {
        f64::from(self.correlation(direction)[frame].powi(2) * self.scale[frame])
    }

    /// What turns a correlation into standard deviations of noise, where the recording is loud.
    #[must_use]
    pub fn unit(&self) -> f64 {
        self.unit
    }

    #[must_use]
    pub fn correlation(&self, direction: Direction) -> &[f32] {
        match direction {
            Direction::Rising => &self.rising,
            Direction::Falling => &self.falling,
        }
    }

    /// The best place and direction within `radius` of `around`.
    #[must_use]
    pub fn peak(&self, around: i64, radius: usize) -> Option<(usize, Direction, f64)> {
        let radius = radius as i64;
        let from = usize::try_from((around - radius).max(0)).ok()?;
        let to = usize::try_from(around + radius + 1).ok()?.min(self.places());
        let both = |n| [Direction::Rising, Direction::Falling].map(|d| (n, d, self.score(d, n)));
        (from..to).flat_map(both).max_by(|a, b| a.2.total_cmp(&b.2))
    }
}

/// Raises each square to that of the correlation at its place from `from` on, or half a frame later: a burst that falls
/// between two frames would lose almost half its score.
#[multiversion::multiversion(targets("x86_64+avx2+fma"))]
fn highest(correlation: &[f32], from: usize, squares: &mut [f32; BIN]) {
    // A frame before and two after the bin's own; outside there is nothing.
    let mut near = [0.0f32; BIN + 3];
    let first = from.saturating_sub(1);
    let there = &correlation[first..(from + BIN + 2).min(correlation.len())];
    near[usize::from(from == 0)..][..there.len()].copy_from_slice(there);
    for (i, square) in squares.iter_mut().enumerate() {
        let [a, b, c, d] = [near[i], near[i + 1], near[i + 2], near[i + 3]];
        let between = (9.0 * (b + c) - a - d) / 16.0;
        let highest = (b * b).max(between * between);
        *square = if highest > *square { highest } else { *square };
    }
}

/// burst / (energy on the spot × energy of the burst), for every place.
fn scales(samples: &[f32], burst: usize, places: usize, own: f64) -> Vec<f32> {
    let square = |x: &f32| f64::from(*x).powi(2);
    let mut energy: f64 = samples.iter().take(burst).map(square).sum();
    // Digital silence has no energy to divide by: nothing quieter than a bit of 24 counts.
    let least = burst as f64 * 1e-15;
    let mut scales = vec![0.0f32; places];
    let mut energies = [0.0f64; BIN];
    for (from, scales) in (0..).step_by(BIN).zip(scales.chunks_mut(BIN)) {
        // One after the other, and then all at once.
        let leaving = &samples[from..];
        let coming = samples[from + burst..].iter().chain(std::iter::repeat(&0.0));
        for ((now, old), new) in energies.iter_mut().zip(leaving).zip(coming) {
            *now = energy;
            energy += square(new) - square(old);
        }
        for (scale, energy) in scales.iter_mut().zip(&energies) {
            *scale = (burst as f64 / (energy.max(least) * own)) as f32;
        }
    }
    scales
}

/// Correlates with both shapes at once, block by block in the frequency domain (overlap and save).
fn correlate(samples: &[f32], up: &[f32], down: &[f32], places: usize) -> (Vec<f32>, Vec<f32>) {
    let size = (up.len() * 4).next_power_of_two();
    let step = size - up.len() + 1;
    let (forward, back) = (forward_single(size), back_single(size));
    let mut block = forward.make_input_vec();
    let spectrum_of = |shape: &[f32]| {
        let (mut input, mut spectrum) = (forward.make_input_vec(), forward.make_output_vec());
        input[..shape.len()].copy_from_slice(shape);
        // The plan's own vectors always have the right lengths.
        let _ = forward.process(&mut input, &mut spectrum);
        spectrum.iter().map(|z| z.conj() / size as f32).collect::<Vec<Complex<f32>>>()
    };
    let shapes = [spectrum_of(up), spectrum_of(down)];
    let mut found = [Vec::with_capacity(places), Vec::with_capacity(places)];
    let mut spectrum = forward.make_output_vec();
    let mut product = forward.make_output_vec();
    for from in (0..places).step_by(step) {
        let there = &samples[from..(from + size).min(samples.len())];
        block[..there.len()].copy_from_slice(there);
        block[there.len()..].fill(0.0);
        let _ = forward.process(&mut block, &mut spectrum);
        for (shape, found) in shapes.iter().zip(&mut found) {
            for ((p, s), x) in product.iter_mut().zip(&spectrum).zip(shape) {
                *p = s * x;
            }
            // Real input on both sides: the outermost bins are real up to rounding.
            for edge in [0, size / 2] {
                product[edge].im = 0.0;
            }
            let _ = back.process(&mut product, &mut block);
            found.extend_from_slice(&block[..step.min(places - from)]);
        }
    }
    let [rising, falling] = found;
    (rising, falling)
}

#[cfg(test)]
mod tests {
    use super::*;
    use swiftloop_units::Hz;

    #[test]
    fn agrees_with_the_sum_it_stands_for() {
        let recipe = Recipe::new(Hz::new(8000), 1, 8, -12).unwrap();
        let mut random = fastrand::Rng::with_seed(1);
        let samples: Vec<f32> = (0..40_000).map(|_| random.f32() - 0.5).collect();
        let matched = Matched::new(&samples, &recipe);
        for at in [0usize, 1, 5000, 38_000] {
            for d in [Direction::Rising, Direction::Falling] {
                let sum: f64 = (0..recipe.burst_frames())
                    .map(|n| f64::from(samples[at + n]) * recipe.burst(d, n as f64))
                    .sum();
                assert!((sum - f64::from(matched.correlation(d)[at])).abs() < 1e-2, "{sum}");
            }
        }
    }
}
