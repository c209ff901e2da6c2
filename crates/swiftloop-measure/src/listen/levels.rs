//! What is no crackle but worth a word: direct current, and peaks between the frames that pass full scale.

use super::sinc::sinc;
use std::sync::LazyLock;

#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Levels {
    /// Mean of all samples.
    pub dc_offset: f64,
    pub peak: f64,
    /// Highest value between samples, where a sample comes near full scale; else the highest sample.
    pub true_peak: f64,
    /// Samples at full scale.
    pub full_scale: u64,
    /// Samples at the very value of the highest, either way up.
    pub at_peak: u64,
}

/// Samples below this are not looked at between the frames: they cannot hide a peak over full scale unless the signal
/// has hardly anything but its highest octave.
const NEAR: f32 = 0.8;
/// Frames on either side that make a value between two.
const REACH: usize = 12;

/// Of the frames around one, for the quarters before and after it. Loud music asks for them again and again.
static WEIGHTS: LazyLock<[[f64; 2 * REACH + 1]; 4]> = LazyLock::new(|| {
    [-0.5, -0.25, 0.25, 0.5]
        .map(|part: f64| std::array::from_fn(|k| sinc(part - (k as f64 - REACH as f64), REACH)))
});

impl Levels {
    /// Of a stretch; `samples` must not be empty to say anything.
    #[must_use]
    pub fn of(samples: &[f32]) -> Self {
        let (total, peak) = sum_and_peak(samples);
        let mut levels = Self {
            dc_offset: total / samples.len().max(1) as f64,
            peak: f64::from(peak),
            true_peak: f64::from(peak),
            full_scale: 0,
            at_peak: at_magnitude(samples, peak),
        };
        if peak >= NEAR {
            levels.full_scale = samples.iter().filter(|x| x.abs() >= 0.999_96).count() as u64;
            levels.true_peak = levels.true_peak.max(between(samples));
        }
        levels
    }

    /// Many samples stand at one common extreme below full scale: something holds the sound there, a limiter or a clip that
    /// was turned down afterwards.
    #[must_use]
    pub fn held_below_full_scale(&self) -> bool {
        /// Loud music comes to its highest value once or twice.
        const MANY: u64 = 12;
        /// In quieter sound few values are left to be had.
        const LOUD: f64 = 0.1;
        self.at_peak >= MANY && self.peak > LOUD && self.full_scale == 0
    }

    /// Two stretches together, of so many samples each.
    #[must_use]
    pub fn with(self, own: u64, other: Self, others: u64) -> Self {
        let all = (own + others).max(1) as f64;
        Self {
            dc_offset: (self.dc_offset * own as f64 + other.dc_offset * others as f64) / all,
            peak: self.peak.max(other.peak),
            true_peak: self.true_peak.max(other.true_peak),
            full_scale: self.full_scale + other.full_scale,
            at_peak: match self.peak.total_cmp(&other.peak) {
                std::cmp::Ordering::Greater => self.at_peak,
                std::cmp::Ordering::Less => other.at_peak,
                std::cmp::Ordering::Equal => self.at_peak + other.at_peak,
            },
        }
    }
}

/// Sum of all samples, and the highest magnitude.
#[multiversion::multiversion(targets("x86_64+avx2+fma"))]
fn sum_and_peak(samples: &[f32]) -> (f64, f32) {
    let mut peaks = [0.0f32; 8];
    let mut total = 0.0f64;
    // Sums of short pieces: a float would lose the small against the large.
    for piece in samples.chunks(1024) {
        let mut sums = [0.0f32; 8];
        let eights = piece.chunks_exact(8);
        let rest = eights.remainder();
        for eight in eights {
            for i in 0..8 {
                sums[i] += eight[i];
                let magnitude = eight[i].abs();
                peaks[i] = if magnitude > peaks[i] { magnitude } else { peaks[i] };
            }
        }
        total += f64::from(sums.iter().sum::<f32>() + rest.iter().sum::<f32>());
        peaks[0] = rest.iter().fold(peaks[0], |m, x| m.max(x.abs()));
    }
    (total, peaks.iter().fold(0.0f32, |m, x| m.max(*x)))
}

/// Samples of just this magnitude.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn at_magnitude(samples: &[f32], magnitude: f32) -> u64 {
    // Short pieces: a count of 32 bits takes as many at once as samples do.
    samples
        .chunks(1 << 16)
        .map(|p| u64::from(p.iter().map(|x| u32::from(x.abs() == magnitude)).sum::<u32>()))
        .sum()
}

/// The highest value at quarters between frames, where both neighbours are not far from full scale.
fn between(samples: &[f32]) -> f64 {
    let mut highest = 0.0f64;
    for n in REACH..samples.len().saturating_sub(REACH) {
        if samples[n].abs() < NEAR
            || samples[n - 1].abs() > samples[n].abs() && samples[n + 1].abs() > samples[n].abs()
        {
            continue;
        }
        let around = &samples[n - REACH..=n + REACH];
        for weights in WEIGHTS.iter() {
            let sum: f64 = around.iter().zip(weights).map(|(x, weight)| f64::from(*x) * weight).sum();
            highest = highest.max(sum.abs());
        }
    }
    highest
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_quarter_of_the_rate_hides_its_peak_between_the_frames() {
        let x: Vec<f32> = (0..400)
            .map(|n| 0.9 * (std::f32::consts::FRAC_PI_2 * (n as f32 + 0.5)).sin() * std::f32::consts::SQRT_2)
            .collect();
        let levels = Levels::of(&x);
        assert!(
            (levels.peak - 0.9).abs() < 1e-3
                && (levels.true_peak - 0.9 * std::f64::consts::SQRT_2).abs() < 0.02,
            "{levels:?}"
        );
    }

    #[test]
    fn what_is_held_below_full_scale_is_told() {
        let wave = |n: usize| (n as f32 * 0.013).sin();
        let clipped: Vec<f32> = (0..9000).map(|n| (1.4 * wave(n)).clamp(-0.6, 0.6)).collect();
        let both = Levels::of(&clipped[..4000]).with(4000, Levels::of(&clipped[4000..]), 5000);
        assert!(both.held_below_full_scale() && both.at_peak == Levels::of(&clipped).at_peak, "{both:?}");
        let free: Vec<f32> = (0..9000).map(|n| 0.6 * wave(n)).collect();
        assert!(!Levels::of(&free).held_below_full_scale());
    }

    #[test]
    fn dc_offset_is_the_mean_of_everything() {
        let (a, b) = (Levels::of(&[0.1; 3000]), Levels::of(&[0.4; 1000]));
        assert!((a.with(3000, b, 1000).dc_offset - 0.175).abs() < 1e-6);
    }
}
