//! The fine reading: a burst's rough place comes in, its delay to a small part of a frame goes out. In the frequency domain a delay is a slope of phase, so the most likely delay in white noise is the one that
//! turns all of the band to the same phase. A high-pass on the way (every converter has one) turns the low end by
//! about h/ω; fitting h beside the slope keeps it from being taken for delay.

use super::recipe::{Direction, Recipe};
use std::f64::consts::TAU;
use std::sync::Arc;
use swiftloop_units::Frames;
use swiftloop_units::fourier::{Complex, RealToComplex, back_double, forward_double};

/// Silence kept on either side of a burst, in seconds: echoes later than this do not matter.
const SIDE_S: f64 = 0.06;
/// Steps of Newton's method; each doubles the figures that are right.
const STEPS: usize = 6;
/// A smaller step, in frames, changes nothing that anybody could measure: the next would be its square.
const STILL: f64 = 1e-8;

/// A burst as it came back, against the burst as it should be.
pub struct Cross {
    /// Recorded × conjugate of ideal, over the bins of the band.
    product: Vec<Complex<f64>>,
    /// |ideal|² over the same bins.
    ideal: Vec<f64>,
    /// Where the ideal burst was put, in frames of the recording.
    pub frame: f64,
}

impl Cross {
    /// Σ |ideal|² over the band.
    #[must_use]
    pub fn energy(&self) -> f64 {
        self.ideal.iter().sum()
    }
}

/// What all bursts have in common.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PhaseFit {
    /// Remaining delay in frames.
    pub delay: f64,
    /// PhaseFit of the low end, in radians² per frame.
    pub highpass: f64,
    /// Amplitude of a burst of peak 1 as it came back, with its sign.
    pub gain: f64,
}

/// Does the transforms for one recipe.
pub struct Lens {
    recipe: Recipe,
    side: usize,
    size: usize,
    bins: std::ops::Range<usize>,
    transform: Arc<dyn RealToComplex<f64>>,
}

impl Lens {
    #[must_use]
    pub fn new(recipe: Recipe) -> Self {
        let side = (SIDE_S * f64::from(recipe.rate.get())) as usize;
        let size = (recipe.burst_frames() + 2 * side + 2).next_power_of_two();
        let (low, high) = recipe.band();
        let bin = |cycles: f64| ((cycles * size as f64) as usize).min(size / 2);
        let bins = bin(low * 0.85).max(1)..bin(high * 1.02);
        Self { recipe, side, size, bins, transform: forward_double(size) }
    }

    fn transformed(&self, mut samples: Vec<f64>) -> Vec<Complex<f64>> {
        let mut spectrum = self.transform.make_output_vec();
        // The vectors have the lengths that the plan asks for.
        let _ = self.transform.process(&mut samples, &mut spectrum);
        spectrum.drain(..self.bins.start);
        spectrum.truncate(self.bins.len());
        spectrum
    }

    /// Compares what was recorded around `frame` with a burst that begins there, `stretch` recorded frames to a
    /// played one. Nothing when the recording does not hold the whole burst.
    #[must_use]
    pub fn cross(&self, samples: &[f32], direction: Direction, frame: f64, stretch: f64) -> Option<Cross> {
        let length = (self.recipe.burst_frames() as f64 * stretch).ceil();
        if !(frame >= 0.0 && frame + length <= samples.len() as f64) {
            return None;
        }
        let from = frame.floor() as i64 - self.side as i64;
        let count = length as usize + 2 * self.side;
        let at = |i: usize| usize::try_from(from + i as i64).ok().and_then(|n| samples.get(n)).copied();
        let mut recorded = vec![0.0; self.size];
        let mut ideal = vec![0.0; self.size];
        for i in 0..count.min(self.size) {
            let edge = (i.min(count - 1 - i) as f64 / self.side as f64).min(1.0);
            let fade = 0.5 - 0.5 * (edge * std::f64::consts::PI).cos();
            recorded[i] = f64::from(at(i).unwrap_or(0.0)) * fade;
            ideal[i] = self.recipe.burst(direction, ((from + i as i64) as f64 - frame) / stretch);
        }
        let (recorded, ideal) = (self.transformed(recorded), self.transformed(ideal));
        let product = recorded.iter().zip(&ideal).map(|(r, x)| r * x.conj()).collect();
        Some(Cross { product, ideal: ideal.iter().map(Complex::norm_sqr).collect(), frame })
    }

    /// All bursts as one, each turned by what is already known of its own delay.
    #[must_use]
    pub fn sum(&self, all: &[(&Cross, f64)]) -> Cross {
        let mut total = Cross {
            product: vec![Complex::default(); self.bins.len()],
            ideal: vec![0.0; self.bins.len()],
            frame: 0.0,
        };
        for (cross, delay) in all {
            for ((sum, value), turn) in total.product.iter_mut().zip(&cross.product).zip(self.turns(*delay)) {
                *sum += value * turn;
            }
            for (sum, value) in total.ideal.iter_mut().zip(&cross.ideal) {
                *sum += value;
            }
        }
        total
    }

    /// Radians per frame of bin `k` of the band.
    fn omega(&self, k: usize) -> f64 {
        (self.bins.start + k) as f64 * TAU / self.size as f64
    }

    /// How high the correlation stands `delay` frames after the place of the cross, beside what a burst of gain 1
    /// would give.
    #[must_use]
    pub fn height(&self, cross: &Cross, delay: f64) -> f64 {
        let each = cross.product.iter().zip(self.turns(delay));
        each.map(|(z, turn)| (z * turn).re).sum::<f64>() / cross.energy()
    }

    /// What `delay` frames turn each bin of the band by, each from the one before: a sine and a cosine cost more.
    fn turns(&self, delay: f64) -> impl Iterator<Item = Complex<f64>> {
        let step = Complex::from_polar(1.0, TAU / self.size as f64 * delay);
        let first = Complex::from_polar(1.0, self.omega(0) * delay);
        std::iter::successors(Some(first), move |turn| Some(turn * step))
    }

    /// Standard deviation of the correlation's height in white noise of deviation 1, beside a burst of gain 1.
    #[must_use]
    pub fn noise_sd(&self, cross: &Cross) -> f64 {
        (self.size as f64 / (2.0 * cross.energy())).sqrt()
    }

    /// The correlation at whole frames between two delays.
    #[must_use]
    pub fn profile(&self, cross: &Cross, from: f64, to: f64) -> Vec<(f64, f64)> {
        let back = back_double(self.size);
        let mut spectrum = back.make_input_vec();
        spectrum[self.bins.clone()].copy_from_slice(&cross.product);
        if let Some(last) = spectrum.last_mut() {
            last.im = 0.0;
        }
        let mut heights = back.make_output_vec();
        let _ = back.process(&mut spectrum, &mut heights);
        let scale = 0.5 / cross.energy();
        let wrap = |d: i64| heights[d.rem_euclid(self.size as i64) as usize] * scale;
        (from.ceil() as i64..=to.floor() as i64).map(|d| (d as f64, wrap(d))).collect()
    }

    /// The place of the highest correlation, of either sign, within `radius` frames.
    #[must_use]
    pub fn highest(&self, cross: &Cross, radius: f64) -> f64 {
        let steps = (radius / 0.125) as i32;
        let places = (-steps..=steps).map(|i| f64::from(i) * 0.125);
        let best = places.map(|d| (d, self.height(cross, d).abs())).max_by(|a, b| a.1.total_cmp(&b.1));
        best.map_or(0.0, |b| b.0)
    }

    /// The most likely delay and highpass, from near by.
    #[must_use]
    pub fn phase(&self, cross: &Cross, near: f64, fixed_highpass: Option<f64>) -> PhaseFit {
        let (mut delay, mut highpass) = (near, fixed_highpass.unwrap_or(0.0));
        let mut gain = 0.0;
        for _ in 0..STEPS {
            // Slopes and curvatures of Σ Re(product · e^{i(ω·delay + highpass/ω)}).
            let (mut d, mut h, mut dd, mut dh, mut hh) = (0.0, 0.0, 0.0, 0.0, 0.0);
            for (k, z) in cross.product.iter().enumerate() {
                let omega = self.omega(k);
                let turned = z * Complex::from_polar(1.0, omega * delay + highpass / omega);
                d += omega * turned.im;
                h += turned.im / omega;
                dd += omega * omega * turned.re;
                dh += turned.re;
                hh += turned.re / (omega * omega);
            }
            gain = dh;
            let (step_delay, step_highpass) = if fixed_highpass.is_none() {
                let whole = dd * hh - dh * dh;
                if whole == 0.0 { break } else { ((d * hh - h * dh) / whole, (h * dd - d * dh) / whole) }
            } else if dd == 0.0 {
                break;
            } else {
                (d / dd, 0.0)
            };
            delay -= step_delay.clamp(-0.5, 0.5);
            highpass -= step_highpass.clamp(-0.05, 0.05);
            if step_delay.abs() < STILL && step_highpass.abs() < STILL {
                break;
            }
        }
        PhaseFit { delay, highpass, gain: gain / cross.energy() }
    }

    /// Takes an echo, `later` frames after the burst and `strength` of it, out of a comparison.
    pub fn without_echo(&self, cross: &mut Cross, gain: f64, echo: SecondArrival) {
        let strength = gain * echo.ratio;
        for (k, (z, x)) in cross.product.iter_mut().zip(&cross.ideal).enumerate() {
            *z -= Complex::from_polar(strength * x, -self.omega(k) * echo.later.raw());
        }
    }

    /// Standard deviation of the noise, over the whole band up to half the rate if it is white, in a stretch
    /// without any burst: what lies in the probe's band, scaled up.
    #[must_use]
    pub fn noise(&self, pause: &[f32]) -> f64 {
        let count = pause.len().min(self.size);
        if count < 64 {
            return 0.0;
        }
        let mut windowed = vec![0.0; self.size];
        let mut energy = 0.0;
        for (i, x) in pause.iter().take(count).enumerate() {
            let window = 0.5 - 0.5 * (TAU * (i as f64 + 0.5) / count as f64).cos();
            windowed[i] = f64::from(*x) * window;
            energy += window * window;
        }
        let power: f64 = self.transformed(windowed).iter().map(Complex::norm_sqr).sum();
        (power / self.bins.len() as f64 / energy).sqrt()
    }
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SecondArrival {
    pub later: Frames,
    /// Beside the first: an amplitude, below zero when inverted against it.
    pub ratio: f64,
}

#[cfg(test)]
mod tests {
    use super::*;
    use swiftloop_units::Hz;

    fn lens() -> Lens {
        Lens::new(Recipe::new(Hz::new(48_000), 1, 8, -12).unwrap())
    }

    /// A burst of amplitude `gain` that begins at `frame`, between frames if need be.
    fn burst(lens: &Lens, direction: Direction, frame: f64, gain: f64) -> Vec<f32> {
        (0..40_000).map(|n| (gain * lens.recipe.burst(direction, f64::from(n) - frame)) as f32).collect()
    }

    #[test]
    fn turns_made_one_from_the_other_are_those_of_sines_and_cosines() {
        let lens = lens();
        for delay in [-40.0, -0.37, 0.0, 1e-6, 2500.25] {
            for (k, turn) in lens.turns(delay).take(lens.bins.len()).enumerate() {
                let exact = Complex::from_polar(1.0, lens.omega(k) * delay);
                assert!((turn - exact).norm() < 1e-9, "{delay} {k}");
            }
        }
    }

    #[test]
    fn the_delay_between_two_frames_and_the_sign_come_out() {
        let lens = lens();
        for (late, gain) in [(0.0, 1.0), (0.25, 0.5), (-0.4, -0.01), (0.499, -1.0)] {
            for direction in [Direction::Rising, Direction::Falling] {
                let samples = burst(&lens, direction, 9000.0 + late, gain);
                let cross = lens.cross(&samples, direction, 9000.0, 1.0).unwrap();
                let near = lens.highest(&cross, 1.0);
                assert!((near - late).abs() <= 0.07, "{late}: {near}");
                let read = lens.phase(&cross, near, Some(0.0));
                // What is left is the rounding of samples to floats.
                assert!((read.delay - late).abs() < 1e-5, "{late}: {read:?}");
                assert!((read.gain / gain - 1.0).abs() < 1e-4, "{gain}: {read:?}");
                assert!((lens.height(&cross, late) / gain - 1.0).abs() < 1e-4);
            }
        }
    }

    #[test]
    fn many_bursts_as_one_are_each_turned_by_their_own_delay() {
        let lens = lens();
        let late = [0.3, -0.2, 0.05];
        let crosses: Vec<Cross> = late
            .iter()
            .map(|l| {
                lens.cross(&burst(&lens, Direction::Rising, 9000.0 + l, 1.0), Direction::Rising, 9000.0, 1.0)
            })
            .collect::<Option<_>>()
            .unwrap();
        let all: Vec<(&Cross, f64)> = crosses.iter().zip(late).collect();
        let read = lens.phase(&lens.sum(&all), 0.0, None);
        assert!(read.delay.abs() < 1e-5 && (read.gain - 1.0).abs() < 1e-4, "{read:?}");
        let straight: Vec<(&Cross, f64)> = crosses.iter().map(|c| (c, 0.0)).collect();
        assert!(lens.phase(&lens.sum(&straight), 0.0, None).gain < 0.999);
    }

    #[test]
    fn a_burst_that_is_not_all_there_is_none() {
        let lens = lens();
        let samples = burst(&lens, Direction::Rising, 9000.0, 1.0);
        let length = lens.recipe.burst_frames() as f64;
        assert!(lens.cross(&samples, Direction::Rising, -0.5, 1.0).is_none());
        assert!(lens.cross(&samples, Direction::Rising, 40_000.0 - length + 0.5, 1.0).is_none());
        assert!(lens.cross(&samples, Direction::Rising, 40_000.0 - length, 1.0).is_some());
    }
}
