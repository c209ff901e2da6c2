//! A loop through converters and a driver: what is played comes back later, with everything an interface does to it.

use super::gauss;
use swiftloop_units::{Block, Decibels, Ppm};

/// What the interface does.
#[derive(Debug, Clone, Copy)]
pub struct SimulatedInterface {
    /// The buffer it is set to.
    pub block: Block,
    /// Blocks that the driver holds, in and out together.
    pub blocks: f64,
    /// Converters, safety frames and transport, in and out together; may have a fraction.
    pub fixed_frames: f64,
    /// How much faster its input clock runs than its output clock.
    pub drift: Ppm,
    /// Level of what comes back.
    pub gain: Decibels,
    /// It turns the signal upside down.
    pub inverted: bool,
    /// Noise of the input, as a level below full scale.
    pub noise: Decibels,
    /// Every start adds up to so many frames.
    pub start_jitter_frames: u32,
}

/// What came back, and the truth about it.
#[derive(Debug, Clone)]
pub struct SimulatedTake {
    pub samples: Vec<f32>,
    /// Its round trip in frames at the beginning.
    pub round_trip_frames: f64,
}

impl SimulatedInterface {
    /// An interface with this buffer that holds three blocks and 40.4 frames, upright, 6 dB down, quiet.
    #[must_use]
    pub fn with_block(block: Block) -> Self {
        Self {
            block,
            blocks: 3.0,
            fixed_frames: 40.4,
            drift: Ppm::new(0.0),
            gain: Decibels::new(-6.0),
            inverted: false,
            noise: Decibels::new(-90.0),
            start_jitter_frames: 0,
        }
    }

    /// Plays `played` and records as long, from the same moment; `seed` decides noise and the start.
    #[must_use]
    pub fn record(&self, played: &[f32], seed: u64) -> SimulatedTake {
        let mut random = fastrand::Rng::with_seed(seed);
        let late = f64::from(random.u32(0..=self.start_jitter_frames));
        let trip = self.blocks * f64::from(self.block.get()) + self.fixed_frames + late;
        let gain = self.gain.amplitude() * if self.inverted { -1.0 } else { 1.0 };
        let noise = self.noise.amplitude();
        let stretch = 1.0 + self.drift.raw() * 1e-6;
        let mut way = Interpolator::default();
        let samples = (0..played.len())
            .map(|n| {
                let heard = gain * way.at(played, (n as f64 - trip) / stretch);
                ((heard + noise * gauss(&mut random)) as f32).clamp(-1.0, 1.0)
            })
            .collect();
        SimulatedTake { samples, round_trip_frames: trip }
    }
}

/// Frames on either side that make a value between two.
const REACH: i64 = 32;
/// Two places between frames that differ by less are one: as far as a float tells them apart a minute into a recording.
const SAME: f64 = 1e-9;

/// The signal between its frames: a windowed sinc over 64 of them, right to some 100 dB up to 0.45 of the rate. Where clocks do not
/// drift all places lie alike between their frames, and have the same weights.
#[derive(Default)]
struct Interpolator {
    part: Option<f64>,
    weights: Vec<f64>,
}

impl Interpolator {
    fn at(&mut self, samples: &[f32], at: f64) -> f64 {
        let whole = at.floor();
        let part = at - whole;
        let frame = whole as i64;
        if part < 1e-12 {
            return usize::try_from(frame).ok().and_then(|n| samples.get(n)).map_or(0.0, |x| f64::from(*x));
        }
        if self.part.is_none_or(|known| (known - part).abs() > SAME) {
            self.part = Some(part);
            self.weights = (1 - REACH..=REACH).map(|k| weight(part, k)).collect();
        }
        let around = (frame + 1 - REACH..).zip(&self.weights);
        around
            .filter_map(|(n, weight)| {
                let x = usize::try_from(n).ok().and_then(|n| samples.get(n))?;
                Some(f64::from(*x) * weight)
            })
            .sum()
    }
}

/// What the frame so far away counts for at a place `part` of the way between two.
fn weight(part: f64, k: i64) -> f64 {
    let t = part - k as f64;
    let sine = (std::f64::consts::PI * part).sin() / std::f64::consts::PI;
    let window = (std::f64::consts::PI * t / (2.0 * REACH as f64)).cos().powi(2);
    let sign = if k % 2 == 0 { 1.0 } else { -1.0 };
    sign * sine / t * window
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sine_between_frames_is_the_sine() {
        let wave = |t: f64| (std::f64::consts::TAU * 0.21 * t).sin();
        let samples: Vec<f32> = (0..400).map(|n| wave(f64::from(n)) as f32).collect();
        for at in [200.25, 210.5, 199.9] {
            assert!((Interpolator::default().at(&samples, at) - wave(at)).abs() < 1e-3, "{at}");
        }
    }

    #[test]
    fn what_is_played_comes_back_after_the_round_trip() {
        let mut played = vec![0.0; 2000];
        played[100] = 0.5;
        let quiet = SimulatedInterface {
            fixed_frames: 40.0,
            noise: Decibels::new(-200.0),
            inverted: true,
            ..SimulatedInterface::with_block(Block::new(64))
        };
        let take = quiet.record(&played, 1);
        let loudest = (0..2000).max_by(|a, b| take.samples[*a].abs().total_cmp(&take.samples[*b].abs()));
        assert_eq!((loudest, take.round_trip_frames), (Some(332), 232.0));
        assert!(take.samples[332] < -0.2);
    }
}
