//! Made-up music: plucked strings, drums, a drone and a voice, each in two styles that share no sound, so that one
//! can be used to tune a detector and the other to judge it.

use super::gauss;
use std::f64::consts::TAU;
use swiftloop_units::Hz;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Instrument {
    /// Strings with a sharp attack.
    Plucked,
    Drums,
    Drone,
    /// Vowels, stops and hisses.
    Voice,
}

/// Two ways to make each sound.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Playing {
    Rehearsal,
    Concert,
}

/// Left and right of `frames` of an instrument; peaks stay below 0.7, noise lies some 96 dB below full scale.
#[must_use]
pub fn play(instrument: Instrument, style: Playing, rate: Hz, frames: usize, seed: u64) -> Vec<Vec<f32>> {
    let mut random = fastrand::Rng::with_seed(seed ^ 0x5eed);
    let rate = f64::from(rate.get());
    let mono = match instrument {
        Instrument::Plucked => plucked(style, rate, frames, &mut random),
        Instrument::Drums => drums(style, rate, frames, &mut random),
        Instrument::Drone => drone(style, rate, frames, &mut random),
        Instrument::Voice => voice(style, rate, frames, &mut random),
    };
    stereo(&mono, &mut random)
}

/// All four together, left and right.
#[must_use]
pub fn band(rate: Hz, frames: usize, seed: u64) -> Vec<Vec<f32>> {
    let all = [Instrument::Plucked, Instrument::Drums, Instrument::Drone, Instrument::Voice];
    let parts = std::thread::scope(|scope| {
        let playing =
            all.map(|i| scope.spawn(move || play(i, Playing::Concert, rate, frames, seed + i as u64)));
        playing.map(|p| p.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
    });
    (0..2).map(|c| (0..frames).map(|n| parts.iter().map(|p| p[c][n]).sum::<f32>() * 0.4).collect()).collect()
}

/// Two microphones: one nearer and louder than the other, each with its own hiss.
fn stereo(mono: &[f64], random: &mut fastrand::Rng) -> Vec<Vec<f32>> {
    let peak = mono.iter().fold(1e-9f64, |m, x| m.max(x.abs()));
    let (later, softer) = (3 + random.usize(0..9), 0.5 + 0.4 * random.f64());
    let mut hiss = || 1.6e-5 * gauss(random);
    let at = |n: Option<usize>| n.map_or(0.0, |n| mono[n] * 0.65 / peak);
    let left = (0..mono.len()).map(|n| (at(Some(n)) + hiss()) as f32).collect();
    let right = (0..mono.len()).map(|n| (softer * at(n.checked_sub(later)) + hiss()) as f32).collect();
    vec![left, right]
}

/// How much is heard so far into a fade, from 0 to 1: a half wave.
fn fade(into: f64) -> f64 {
    // Nearly all of a sound lies behind its fade.
    if into >= 1.0 { 1.0 } else { 0.5 - 0.5 * (into * std::f64::consts::PI).cos() }
}

/// Notes of a scale, from about 80 to 700 hertz.
fn pitch(random: &mut fastrand::Rng) -> f64 {
    let steps = [0, 2, 3, 5, 7, 9, 10];
    let step = steps[random.usize(0..7)] + 12 * random.i32(0..3);
    82.4 * 2f64.powf(f64::from(step) / 12.0 + 0.003 * random.f64())
}

/// A loop of delay with losses, struck by noise (rehearsal) or by a plucked shape at a point (concert).
fn plucked(style: Playing, rate: f64, frames: usize, random: &mut fastrand::Rng) -> Vec<f64> {
    let mut out = vec![0.0; frames];
    let mut at = 0;
    while at < frames {
        let period = rate / pitch(random);
        let whole = period as usize;
        let part = period - whole as f64;
        let loud = 0.3 + 0.7 * random.f64();
        let mut line: Vec<f64> = match style {
            Playing::Rehearsal => (0..=whole).map(|_| loud * (random.f64() * 2.0 - 1.0)).collect(),
            Playing::Concert => {
                let point = (0.12 + 0.2 * random.f64()) * whole as f64;
                let shape =
                    |i: f64| if i < point { i / point } else { (whole as f64 - i) / (whole as f64 - point) };
                (0..=whole).map(|i| loud * (shape(i as f64) - 0.5)).collect()
            }
        };
        let (loss, dull) = match style {
            Playing::Rehearsal => (0.996, 0.5),
            Playing::Concert => (0.9985, 0.25),
        };
        let length = ((1.5 + random.f64()) * rate) as usize;
        // The string was bent before it was let go: nothing starts from zero.
        let (mut i, mut before) = (0, line[whole]);
        for (n, sample) in out.iter_mut().skip(at).take(length).enumerate() {
            let next = (i + 1) % line.len();
            let value = line[i] * (1.0 - part) + line[next] * part;
            // A finger comes down on the string: no note stops at once.
            let lift = ((length - n) as f64 / (0.05 * rate)).min(1.0);
            // And the one that plucks slides off within half a millisecond.
            let slide = (n as f64 / (0.0005 * rate)).min(1.0);
            *sample += value * fade(lift) * fade(slide);
            line[i] = loss * ((1.0 - dull) * value + dull * before);
            before = value;
            i = next;
        }
        at += ((0.12 + 0.4 * random.f64()) * rate) as usize;
    }
    out
}

fn drums(style: Playing, rate: f64, frames: usize, random: &mut fastrand::Rng) -> Vec<f64> {
    let mut out = vec![0.0; frames];
    let beat = rate * if style == Playing::Rehearsal { 0.25 } else { 0.21 };
    let mut step = 0;
    loop {
        let at = (f64::from(step) * beat + 0.004 * rate * random.f64()) as usize;
        if at >= frames {
            return out;
        }
        let loud = 0.4 + 0.6 * random.f64();
        let (low, fall, body) = match (style, step % 4) {
            (Playing::Rehearsal, 0) => (55.0, 0.12, 1.0),
            (Playing::Rehearsal, 2) => (190.0, 0.09, 0.4),
            (Playing::Concert, 0) => (70.0, 0.2, 0.9),
            (Playing::Concert, 2) => (140.0, 0.15, 0.6),
            _ => (0.0, 0.05, 0.0),
        };
        let (hiss, sharp) = match step % 4 {
            0 => (0.05, 0.004),
            2 => (0.6, 0.06),
            _ => (0.35, if style == Playing::Rehearsal { 0.03 } else { 0.08 }),
        };
        let mut before = 0.0;
        for (n, sample) in out.iter_mut().skip(at).take((0.5 * rate) as usize).enumerate() {
            let t = n as f64 / rate;
            let glide = low * t + 0.6 * low * 0.03 * (1.0 - (-t / 0.03).exp());
            let strike = (t / 0.0008).min(1.0);
            let white = random.f64() * 2.0 - 1.0;
            // Cymbals: noise without its low end. Brushes (concert): noise that swells.
            let noise = if step % 2 == 1 { white - before } else { white };
            before = white;
            let swell = if style == Playing::Concert && step % 4 == 3 { (t / 0.02).min(1.0) } else { 1.0 };
            *sample += loud
                * strike
                * (body * (glide * TAU).sin() * (-t / fall).exp()
                    + hiss * swell * noise * (-t / sharp).exp());
        }
        step += 1;
    }
}

/// Held notes: soft harmonics (rehearsal), or a bow's bright ones with vibrato (concert); each swells by itself.
fn drone(style: Playing, rate: f64, frames: usize, random: &mut fastrand::Rng) -> Vec<f64> {
    /// Swells change slowly: once in so many frames.
    const SLOW: usize = 64;
    let mut out = vec![0.0; frames];
    for _ in 0..3 {
        let root = pitch(random) * 0.75;
        let wobble = 4.5 + 1.5 * random.f64();
        let depth = if style == Playing::Rehearsal { 0.0 } else { 0.004 };
        let top = ((9000.0 / root) as usize).min(24);
        // Amplitude, phase and swell of each partial.
        let partials: Vec<(f64, f64, f64)> = (1..=top)
            .map(|h| {
                let k = h as f64;
                let slope = if style == Playing::Rehearsal { k.powf(-1.6) } else { 1.0 / k };
                (slope * (0.6 + 0.4 * random.f64()), TAU * random.f64(), 0.1 + 0.6 * random.f64())
            })
            .collect();
        let mut weights = vec![(0.0, 0.0); top];
        for (n, sample) in out.iter_mut().enumerate() {
            let t = n as f64 / rate;
            if n % SLOW == 0 {
                let breath = 0.8 + 0.2 * (TAU * 0.23 * t + root).sin();
                for ((a, phase, swell), weight) in partials.iter().zip(&mut weights) {
                    let level = a * breath * (1.0 + 0.2 * (TAU * swell * t).sin());
                    *weight = (level * phase.cos(), level * phase.sin());
                }
            }
            let bend = depth / wobble / TAU * (1.0 - (TAU * wobble * t).cos());
            let (sin, cos) = (TAU * (root * (t + bend)).fract()).sin_cos();
            // The harmonics one after the other: each turns the one before by the fundamental.
            let (mut s, mut c) = (sin, cos);
            for (in_phase, across) in &weights {
                *sample += in_phase * s + across * c;
                (s, c) = (s * cos + c * sin, c * cos - s * sin);
            }
        }
    }
    out
}

/// Pulses through three resonances; stops and hisses between.
fn voice(style: Playing, rate: f64, frames: usize, random: &mut fastrand::Rng) -> Vec<f64> {
    let vowels: [[f64; 3]; 5] = match style {
        Playing::Rehearsal => [
            [730., 1090., 2440.],
            [270., 2290., 3010.],
            [570., 840., 2410.],
            [530., 1840., 2480.],
            [300., 870., 2240.],
        ],
        Playing::Concert => [
            [850., 1220., 2810.],
            [310., 2790., 3310.],
            [590., 920., 2710.],
            [610., 2330., 2990.],
            [370., 950., 2670.],
        ],
    };
    let base = if style == Playing::Rehearsal { 112.0 } else { 205.0 };
    let mut out = vec![0.0; frames];
    let mut at = (0.05 * rate) as usize;
    while at < frames {
        let formants = vowels[random.usize(0..5)];
        let length = ((0.12 + 0.3 * random.f64()) * rate) as usize;
        let kind = random.u32(0..3);
        let consonant = if kind == 0 { 0.0 } else { 0.02 + 0.07 * random.f64() };
        let tall = if kind == 1 { 0.012 } else { consonant };
        let mut before = 0.0;
        for (n, sample) in out.iter_mut().skip(at).take((tall * rate) as usize).enumerate() {
            // A stop bursts and is gone, a hiss swells and falls.
            let t = n as f64 / rate;
            let shape = if kind == 1 {
                (t / 0.0006).min(1.0) * (-t / 0.003).exp()
            } else {
                (std::f64::consts::PI * t / tall).sin()
            };
            let white = random.f64() * 2.0 - 1.0;
            *sample += 0.25 * shape * (white - 0.6 * before);
            before = white;
        }
        at += (consonant * rate) as usize;
        let pitch = base * (0.85 + 0.4 * random.f64());
        let mut resonators =
            formants.map(|f| Resonator::new(f, if style == Playing::Rehearsal { 90.0 } else { 130.0 }, rate));
        let (mut phase, mut glottis) = (0.0, 0.0);
        for (n, sample) in out.iter_mut().skip(at).take(length).enumerate() {
            let t = n as f64 / rate;
            phase += pitch * (1.0 + 0.02 * (TAU * 5.3 * t).sin() + 0.003 * gauss(random)) / rate;
            let (opens, open) = (phase.fract(), 0.62);
            let flow =
                if opens < open { (std::f64::consts::PI * opens / open).sin().powi(2) * opens } else { 0.0 };
            let push = flow - glottis + 0.002 * gauss(random) * flow;
            glottis = flow;
            let sum: f64 = resonators.iter_mut().zip([1.0, 0.5, 0.25]).map(|(r, a)| a * r.next(push)).sum();
            let edge = (n.min(length - 1 - n) as f64 / (0.02 * rate)).min(1.0);
            *sample += fade(edge) * sum;
        }
        at += length + if random.u32(0..6) == 0 { (0.4 * rate) as usize } else { (0.03 * rate) as usize };
    }
    out
}

struct Resonator {
    a: f64,
    b: f64,
    gain: f64,
    past: [f64; 2],
}

impl Resonator {
    fn new(frequency: f64, width: f64, rate: f64) -> Self {
        let r = (-std::f64::consts::PI * width / rate).exp();
        let a = 2.0 * r * (TAU * frequency / rate).cos();
        Self { a, b: -r * r, gain: (1.0 - r) * 12.0, past: [0.0; 2] }
    }

    fn next(&mut self, x: f64) -> f64 {
        let y = self.gain * x + self.a * self.past[0] + self.b * self.past[1];
        self.past = [y, self.past[0]];
        y
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_instrument_sounds_and_stays_below_the_ceiling() {
        for instrument in [Instrument::Plucked, Instrument::Drums, Instrument::Drone, Instrument::Voice] {
            for style in [Playing::Rehearsal, Playing::Concert] {
                let both = play(instrument, style, Hz::new(48_000), 48_000, 7);
                let peak = both.iter().flatten().fold(0.0f32, |m, x| m.max(x.abs()));
                assert!((0.3..0.7).contains(&peak), "{instrument:?} {style:?}: {peak}");
                assert_eq!(
                    both,
                    play(instrument, style, Hz::new(48_000), 48_000, 7),
                    "the same seed, the same music"
                );
            }
        }
    }
}
