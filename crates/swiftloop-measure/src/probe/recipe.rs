//! The test signal, as a recipe: from a rate, a number of outputs, a number of bursts and a level follow the
//! moment and the direction of every burst. Whoever reads the recording rebuilds the same recipe, so the file needs
//! no label: the pauses tell the output, the order of rising and falling sweeps tells the level.
//!
//! Why sweeps: a linear sweep fills its band evenly (sharpest delay for its length), stays at the allowed peak all
//! the time (most energy without clipping), keeps its shape under clock drift, and losing a piece of it costs a
//! piece of the band instead of the delay. Why uneven pauses: a regular train of bursts looks like itself a burst later.

use std::f64::consts::TAU;
use swiftloop_units::{Decibels, Frames, Hz};

/// Fewest bursts: the first two tell rising from falling, the next six the level.
pub const FEWEST_BURSTS: usize = 8;
pub const MOST_BURSTS: usize = 64;
/// Most outputs in one probe.
pub const MOST_CHANNELS: usize = 32;
/// Most outputs that are told apart without the probe file at hand.
pub const CHANNELS_UNTOLD: usize = 8;
/// Loudest peak below full scale that is allowed: resampling on the way can add to a peak.
pub const LOUDEST_DB: i32 = -1;
/// Quietest peak: six bits of decibels.
pub const QUIETEST_DB: i32 = -63;

const BURST_S: f64 = 0.25;
const SLOT_S: f64 = 0.6;
const SPREAD_S: f64 = 0.1;
const LEAD_S: f64 = 0.25;
const TAIL_S: f64 = 1.0;
const LOWEST_HZ: f64 = 300.0;
const HIGHEST_HZ: f64 = 20_000.0;
/// The band ends here at low rates: converters fall off towards half the rate.
const HIGHEST_SHARE: f64 = 0.42;
/// Share of a burst that fades at its high end: the spectrum falls off as gently, which keeps the compressed pulse
/// free of side lobes, so that an echo does not pull at the first arrival.
const FADE_HIGH: f64 = 0.1;
/// The same at the low end: short, since the lowest frequencies tell a high-pass on the way from a delay.
const FADE_LOW: f64 = 0.02;

/// What a probe is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Recipe {
    /// Rate it is played at.
    pub rate: Hz,
    /// Outputs, each with its own pattern.
    pub channels: usize,
    /// Bursts on each output.
    pub bursts: usize,
    /// Peak level in whole decibels below full scale (−1 … −63).
    pub level_db: i32,
}

/// Which way a sweep runs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Direction {
    /// From low to high.
    Rising,
    /// From high to low.
    Falling,
}

/// Why a recipe cannot be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BadRecipe {
    Channels,
    Bursts,
    Level,
}

impl Recipe {
    /// Checks the figures.
    ///
    /// ```
    /// use swiftloop_measure::probe::{Recipe, read};
    /// use swiftloop_units::workers::OneByOne;
    /// use swiftloop_units::Hz;
    ///
    /// let recipe = Recipe::new(Hz::new(48_000), 1, 8, -12).expect("one output, eight bursts, 12 dB below full");
    /// // What comes back: the same, 400 frames later and half as loud.
    /// let late = std::iter::repeat_n(0.0, 400).chain(recipe.render()[0].iter().map(|x| x * 0.5)).collect();
    /// let reading = read(&[late], Hz::new(48_000), None, &OneByOne).expect("a clean recording");
    /// let trip = reading.channels[0].latency.typical();
    /// assert!((trip.raw() - 400.0).abs() < 0.01);
    /// ```
    ///
    /// # Errors
    /// [`BadRecipe`] names the figure that cannot be.
    pub fn new(rate: Hz, channels: usize, bursts: usize, level_db: i32) -> Result<Self, BadRecipe> {
        if !(1..=MOST_CHANNELS).contains(&channels) {
            return Err(BadRecipe::Channels);
        }
        if !(FEWEST_BURSTS..=MOST_BURSTS).contains(&bursts) {
            return Err(BadRecipe::Bursts);
        }
        if !(QUIETEST_DB..=LOUDEST_DB).contains(&level_db) {
            return Err(BadRecipe::Level);
        }
        Ok(Self { rate, channels, bursts, level_db })
    }

    /// The recipe that makes these samples, give or take two of their smallest steps: how a probe file is recognised.
    #[must_use]
    pub fn of(channels: &[Vec<f32>], rate: Hz, step: f32) -> Option<Self> {
        let peak = channels.iter().flatten().fold(0.0f32, |m, x| m.max(x.abs()));
        let level = Decibels::of_amplitude(f64::from(peak)).raw().round() as i32;
        let length = channels.first().map_or(0, Vec::len);
        let made =
            |bursts| Self::new(rate, channels.len(), bursts, level).ok().filter(|r| r.length() == length);
        let recipe = (FEWEST_BURSTS..=MOST_BURSTS).find_map(made)?;
        let near = |(a, b): (&f32, &f32)| (a - b).abs() <= 2.0 * step;
        recipe.render().iter().zip(channels).all(|(a, b)| a.iter().zip(b).all(near)).then_some(recipe)
    }

    fn frames(&self, seconds: f64) -> usize {
        (seconds * f64::from(self.rate.get())).round() as usize
    }

    /// Length of one burst.
    #[must_use]
    pub fn burst_frames(&self) -> usize {
        self.frames(BURST_S)
    }

    /// How far a burst may be moved within its slot: less than the pause that follows it.
    #[must_use]
    pub fn spread_frames(&self) -> usize {
        self.frames(SPREAD_S)
    }

    /// Frame at which burst `burst` of output `channel` begins.
    #[must_use]
    pub fn start(&self, channel: usize, burst: usize) -> usize {
        let key = ((self.channels as u64) << 32) | ((channel as u64) << 16) | burst as u64;
        let shift = scramble(key) % self.spread_frames().max(1) as u64;
        self.frames(LEAD_S) + (burst * self.channels + channel) * self.frames(SLOT_S) + shift as usize
    }

    /// Length of the whole signal with the silence at its end, in which long loops still arrive.
    #[must_use]
    pub fn length(&self) -> usize {
        self.frames(LEAD_S) + self.bursts * self.channels * self.frames(SLOT_S) + self.frames(TAIL_S)
    }

    /// Which way burst `burst` runs: up, down, then the level, bit by bit, again and again.
    #[must_use]
    pub fn direction(&self, burst: usize) -> Direction {
        let rises = match burst {
            0 => true,
            1 => false,
            n => (self.level_db.unsigned_abs() >> ((n - 2) % 6)) & 1 == 1,
        };
        if rises { Direction::Rising } else { Direction::Falling }
    }

    /// The peak as an amplitude.
    #[must_use]
    pub fn peak(&self) -> f64 {
        Decibels::new(f64::from(self.level_db)).amplitude()
    }

    /// The lowest and highest frequency of the sweep, in cycles per frame.
    #[must_use]
    pub fn band(&self) -> (f64, f64) {
        let rate = f64::from(self.rate.get());
        (LOWEST_HZ / rate, (HIGHEST_HZ / rate).min(HIGHEST_SHARE))
    }

    /// A burst of peak 1, `at` frames after its beginning; the time may be fractional, zero outside the burst.
    #[must_use]
    pub fn burst(&self, direction: Direction, at: f64) -> f64 {
        let length = self.burst_frames() as f64;
        let at = if direction == Direction::Falling { length - at } else { at };
        if at <= 0.0 || at >= length {
            return 0.0;
        }
        let (low, high) = self.band();
        let phase = low * at + (high - low) * at * at / (2.0 * length);
        let edge = (at / (FADE_LOW * length)).min((length - at) / (FADE_HIGH * length)).min(1.0);
        let window = 0.5 - 0.5 * (edge * std::f64::consts::PI).cos();
        window * (phase.fract() * TAU).sin()
    }

    /// The samples of every output.
    #[must_use]
    pub fn render(&self) -> Vec<Vec<f32>> {
        let (length, burst) = (self.length(), self.burst_frames());
        let shape =
            |d| (0..burst).map(|n| (self.peak() * self.burst(d, n as f64)) as f32).collect::<Vec<_>>();
        let (rising, falling) = (shape(Direction::Rising), shape(Direction::Falling));
        let mut all = vec![vec![0.0; length]; self.channels];
        for (channel, samples) in all.iter_mut().enumerate() {
            for i in 0..self.bursts {
                let from = self.start(channel, i);
                let shape = if self.direction(i) == Direction::Rising { &rising } else { &falling };
                samples[from..from + burst].copy_from_slice(shape);
            }
        }
        all
    }

    /// The least standard deviation that any unbiased reading of one burst's delay can have (Cramér and Rao), when the
    /// burst arrives with amplitude `gain` (peak of the shape 1) in white noise of standard deviation `noise`:
    /// `noise / (gain · √Σ x′²)`.
    #[must_use]
    pub fn bound(&self, gain: f64, noise: f64) -> Frames {
        Frames::new(noise / (gain.abs() * self.slope_energy().sqrt()))
    }

    /// Σ x′² over a burst of peak 1, per frame squared.
    fn slope_energy(&self) -> f64 {
        const STEP: f64 = 1e-3;
        let slope = |n: usize| {
            let at = n as f64;
            let ahead = self.burst(Direction::Rising, at + STEP);
            (ahead - self.burst(Direction::Rising, at - STEP)) / (2.0 * STEP)
        };
        (0..self.burst_frames()).map(|n| slope(n).powi(2)).sum()
    }
}

/// Mixes the bits of a number (the finaliser of Steele, Lea and Flood, 2014): the same everywhere, for ever.
fn scramble(key: u64) -> u64 {
    let mut z = key.wrapping_add(0x9e37_79b9_7f4a_7c15);
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^ (z >> 31)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn recipe(channels: usize) -> Recipe {
        Recipe::new(Hz::new(48000), channels, 8, -12).unwrap()
    }

    #[test]
    fn outputs_never_sound_together_and_never_clip() {
        let all = recipe(3).render();
        for n in 0..all[0].len() {
            assert!(all.iter().filter(|c| c[n] != 0.0).count() <= 1);
            assert!(all.iter().all(|c| f64::from(c[n].abs()) <= recipe(3).peak() + 1e-7));
        }
    }

    #[test]
    fn pauses_between_bursts_are_uneven_and_differ_between_outputs() {
        let r = recipe(2);
        let pauses = |c| (1..8).map(|i| r.start(c, i) - r.start(c, i - 1)).collect::<Vec<_>>();
        let (first, second) = (pauses(0), pauses(1));
        assert!(first.iter().all(|p| second.iter().all(|q| p.abs_diff(*q) > 1)));
        assert!(first.windows(2).all(|w| w[0] != w[1]));
    }

    #[test]
    fn a_probe_is_recognised_by_its_samples_and_nothing_else_is() {
        for made in [recipe(1), Recipe::new(Hz::new(44_100), 3, 11, -30).unwrap()] {
            let mut samples = made.render();
            assert_eq!(Recipe::of(&samples, made.rate, 1e-6), Some(made));
            samples[0][made.start(0, 3) + 1000] += 0.01;
            assert_eq!(Recipe::of(&samples, made.rate, 1e-6), None);
        }
    }

    #[test]
    fn the_level_stands_in_the_order_of_directions() {
        for level in QUIETEST_DB..=LOUDEST_DB {
            let r = Recipe::new(Hz::new(44100), 1, 8, level).unwrap();
            let bits = (2..8).map(|i| u32::from(r.direction(i) == Direction::Rising) << (i - 2)).sum::<u32>();
            assert_eq!(bits, level.unsigned_abs());
        }
    }
}
