//! Finished music, as it leaves a studio: sequenced notes that start from one frame to the next, drums from one sample, strings,
//! beds of chords; mixed, limited or clipped, faded, turned up after rounding, dithered or not, resampled, coded with loss.
//! None of it holds a crackle, so every event that is heard in it is invented.

use std::f64::consts::{PI, TAU};

/// What was done to it after mixing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Treatment {
    /// Rounded to 24 bits.
    Plain,
    /// Rounded to 16 bits with dither; digital silence at both ends.
    Dithered16,
    /// Faded out in 16-bit steps, then turned up and stored in 24 bits.
    FadedThenTurnedUp,
    /// Held by a limiter whose ceiling lies below full scale.
    Limited,
    /// Clipped flat below full scale.
    Clipped,
    /// From another rate.
    Resampled,
    /// By a transform in blocks whose lines are rounded coarsely.
    Coded,
    /// Silence with dither, between two pieces.
    DitheredSilence,
}

impl Treatment {
    pub const ALL: [Self; 8] = [
        Self::Plain,
        Self::Dithered16,
        Self::FadedThenTurnedUp,
        Self::Limited,
        Self::Clipped,
        Self::Resampled,
        Self::Coded,
        Self::DitheredSilence,
    ];

    /// The step that the file says its samples have.
    pub fn step(self) -> f32 {
        if self == Self::Dithered16 { 1.0 / 32_768.0 } else { 1.0 / 8_388_608.0 }
    }
}

/// What is played.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Song {
    /// Plucked strings on a grid, each starting from one frame to the next.
    SequencedStrings,
    /// Machine drums: clicks, noise, tuned thumps, all on a grid.
    MachineDrums,
    /// Oscillators with corners, gated on a grid, over a bed.
    Synthesisers,
    /// All of it.
    Everything,
}

impl Song {
    pub const ALL: [Self; 4] =
        [Self::SequencedStrings, Self::MachineDrums, Self::Synthesisers, Self::Everything];
}

const RATE: f64 = 48_000.0;

/// A string that is plucked at full swing from its first frame (Karplus and Strong 1983).
fn pluck(out: &mut [f64], at: usize, hz: f64, gain: f64, random: &mut fastrand::Rng) {
    let period = (RATE / hz).round().max(2.0) as usize;
    let mut line: Vec<f64> = (0..period).map(|_| random.f64() * 2.0 - 1.0).collect();
    let keep = 0.985 + 0.013 * random.f64();
    let mut last = 0.0;
    for (n, y) in out[at..].iter_mut().take(RATE as usize * 2).enumerate() {
        let i = n % period;
        let x = line[i];
        *y += gain * x;
        line[i] = keep * 0.5 * (x + last);
        last = x;
    }
}

fn drum(out: &mut [f64], at: usize, kind: u8, gain: f64, random: &mut fastrand::Rng) {
    let (mut low, tuned) = (0.0, 50.0 + 120.0 * random.f64());
    for (n, y) in out[at..].iter_mut().take(RATE as usize / 2).enumerate() {
        let t = n as f64 / RATE;
        let noise = random.f64() * 2.0 - 1.0;
        low += 0.2 * (noise - low);
        *y += gain
            * match kind {
                // A thump that falls in pitch, with a click of one frame at its head.
                0 => {
                    (TAU * (tuned * t + 40.0 * (1.0 - (-t * 40.0).exp()) / 40.0)).cos() * (-t * 9.0).exp()
                        + if n == 0 { 0.6 } else { 0.0 }
                }
                // A snare: noise from the first frame.
                1 => (0.7 * noise + 0.5 * (TAU * 190.0 * t).cos()) * (-t * 22.0).exp(),
                // A hat: noise less its low part.
                2 => (noise - low) * (-t * 90.0).exp(),
                // A stick: a few frames.
                _ => noise * (-t * 900.0).exp(),
            };
    }
}

fn synth(out: &mut [f64], at: usize, length: usize, hz: f64, gain: f64, shape: u8) {
    let end = (at + length).min(out.len());
    for (n, y) in out[at..end].iter_mut().enumerate() {
        let phase = (hz * n as f64 / RATE).fract();
        let wave = match shape {
            0 => 2.0 * phase - 1.0,
            1 => {
                if phase < 0.5 {
                    1.0
                } else {
                    -1.0
                }
            }
            2 => 1.0 - 4.0 * (phase - 0.5).abs(),
            _ => (TAU * phase).sin(),
        };
        // Gated: on from one frame to the next, and off within a millisecond.
        let left = (end - at - n) as f64 / RATE;
        *y += gain * wave * (left / 0.001).min(1.0) * (-(n as f64) / RATE * 3.0).exp();
    }
}

/// Two channels of a mix, so many seconds long.
pub fn mix(song: Song, seconds: usize, seed: u64) -> Vec<Vec<f64>> {
    let mut random = fastrand::Rng::with_seed(seed);
    let frames = seconds * RATE as usize;
    let mut out = vec![vec![0.0; frames]; 2];
    let grid = [6000, 5513, 4800, 7200, 5625][random.usize(0..5)];
    let notes = [110.0, 130.8, 146.8, 164.8, 196.0, 220.0, 261.6, 329.6, 440.0, 659.3];
    let (strings, drums, synths) = match song {
        Song::SequencedStrings => (true, false, false),
        Song::MachineDrums => (false, true, false),
        Song::Synthesisers => (false, false, true),
        Song::Everything => (true, true, true),
    };
    for (step, at) in (0..frames).step_by(grid).enumerate() {
        let pan = random.f64();
        let mut place = |f: &mut dyn FnMut(&mut [f64], f64, &mut fastrand::Rng)| {
            let seed = random.u64(..);
            for (channel, share) in [(0, 1.0 - 0.7 * pan), (1, 0.3 + 0.7 * pan)] {
                f(&mut out[channel], share, &mut fastrand::Rng::with_seed(seed));
            }
        };
        let (hz, level) =
            (notes[(step * 7 + seed as usize) % 10], 0.08 + 0.2 * ((step * 31) % 17) as f64 / 17.0);
        if strings && step % 2 == 0 {
            place(&mut |c, share, r| pluck(c, at, hz, level * share, r));
        }
        if drums {
            let kind = [0, 2, 1, 2, 0, 3, 1, 2][step % 8];
            place(&mut |c, share, r| drum(c, at, kind, (level + 0.15) * share, r));
        }
        if synths && step % 3 == 0 {
            let shape = (seed % 4) as u8;
            place(&mut |c, share, _| synth(c, at, grid * 2, hz * 0.5, level * 0.5 * share, shape));
        }
    }
    // A room, so that not everything is dry: six echoes and a bed of noise far below.
    let quiet = 10f64.powf(-(50.0 + 35.0 * random.f64()) / 20.0);
    for channel in &mut out {
        for (delay, gain) in [(1103, 0.2), (2311, 0.13), (3907, 0.09), (5003, 0.05)] {
            for n in delay..frames {
                channel[n] += gain * channel[n - delay] * 0.5;
            }
        }
        channel.iter_mut().for_each(|x| *x += quiet * (random.f64() - 0.5));
    }
    out
}

/// What leaves the studio.
pub fn treated(mut mix: Vec<Vec<f64>>, treatment: Treatment, seed: u64) -> Vec<Vec<f32>> {
    let mut random = fastrand::Rng::with_seed(seed ^ 0x5eed);
    let frames = mix[0].len();
    let peak = mix.iter().flatten().fold(0.0f64, |m, x| m.max(x.abs())).max(1e-9);
    let fade = 3 * RATE as usize;
    let ends = |channel: &mut Vec<f64>| {
        for n in 0..fade.min(frames) {
            let gain = (n as f64 / fade as f64).powi(2);
            channel[frames - 1 - n] *= gain;
        }
    };
    let step16 = 1.0 / 32_768.0;
    let step24 = 1.0 / 8_388_608.0;
    let mut tpdf = move || random.f64() - random.f64();
    for channel in &mut mix {
        channel.iter_mut().for_each(|x| *x *= 0.85 / peak);
        ends(channel);
        match treatment {
            Treatment::Plain => {}
            Treatment::Dithered16 => {
                for (n, x) in channel.iter_mut().enumerate() {
                    let silent = n < 20_000 || n + 30_000 > frames;
                    *x = if silent { 0.0 } else { (*x / step16 + tpdf()).round() * step16 };
                }
            }
            Treatment::FadedThenTurnedUp => {
                channel.iter_mut().for_each(|x| *x = (*x * 0.3 / step16).round() * step16 * 2.83);
            }
            Treatment::Limited => {
                // The gain falls at once and comes back slowly; what is over is held at the ceiling.
                let (ceiling, mut gain) = (0.63, 1.0f64);
                for x in channel.iter_mut() {
                    *x *= 2.6;
                    let wanted = (ceiling / x.abs().max(1e-9)).min(1.0);
                    gain = if wanted < gain {
                        gain + 0.3 * (wanted - gain)
                    } else {
                        gain + 0.0002 * (wanted - gain)
                    };
                    *x = (*x * gain).clamp(-ceiling, ceiling);
                }
            }
            Treatment::Clipped => channel.iter_mut().for_each(|x| *x = (*x * 5.0).clamp(-0.7, 0.7)),
            Treatment::Resampled => *channel = resampled(channel, 44_100.0 / 48_000.0),
            Treatment::Coded => *channel = coded(channel),
            Treatment::DitheredSilence => {
                let middle = frames / 3..2 * frames / 3;
                let from = middle.start;
                for (n, x) in channel[middle].iter_mut().enumerate() {
                    *x *= (1.0 - n as f64 / 40_000.0).max(0.0);
                }
                channel[from..].iter_mut().for_each(|x| *x = (*x / step16 + tpdf()).round() * step16);
            }
        }
    }
    let step = if treatment == Treatment::Dithered16 { step16 } else { step24 };
    mix.iter()
        .map(|c| c.iter().map(|x| ((x / step).round() * step).clamp(-1.0, 1.0) as f32).collect())
        .collect()
}

/// By a windowed sinc, 32 frames to either side.
fn resampled(x: &[f64], ratio: f64) -> Vec<f64> {
    let cut = ratio.min(1.0) * 0.97;
    let count = (x.len() as f64 * ratio) as usize;
    (0..count)
        .map(|m| {
            let at = m as f64 / ratio;
            let first = (at as usize).saturating_sub(31);
            (first..(first + 64).min(x.len()))
                .map(|n| {
                    let d = at - n as f64;
                    let window = 0.5 + 0.5 * (PI * d / 33.0).clamp(-PI, PI).cos();
                    let s = if d.abs() < 1e-9 { cut } else { (PI * cut * d).sin() / (PI * d) };
                    x[n] * s * window
                })
                .sum()
        })
        .collect()
}

/// A lapped transform (MDCT, sine window) of 256 lines whose lines are rounded to a share of the loudest of their band.
fn coded(x: &[f64]) -> Vec<f64> {
    const M: usize = 256;
    let window: Vec<f64> = (0..2 * M).map(|n| (PI / (2 * M) as f64 * (n as f64 + 0.5)).sin()).collect();
    let basis: Vec<f64> = (0..8 * M).map(|i| (PI / (4 * M) as f64 * i as f64).cos()).collect();
    let cos = |k: usize, n: usize| basis[((2 * n + 1 + M) * (2 * k + 1)) % (8 * M)];
    let mut out = vec![0.0; x.len()];
    for from in (0..x.len().saturating_sub(2 * M)).step_by(M) {
        let w: Vec<f64> = (0..2 * M).map(|n| x[from + n] * window[n]).collect();
        let mut lines: Vec<f64> = (0..M).map(|k| (0..2 * M).map(|n| w[n] * cos(k, n)).sum()).collect();
        for band in lines.chunks_mut(16) {
            let top = band.iter().fold(0.0f64, |m, v| m.max(v.abs()));
            let step = (top / 6.0).max(1e-4);
            band.iter_mut().for_each(|v| *v = (*v / step).round() * step);
        }
        for n in 0..2 * M {
            let y: f64 = lines.iter().enumerate().map(|(k, v)| v * cos(k, n)).sum();
            out[from + n] += y * window[n] / M as f64;
        }
    }
    out
}
