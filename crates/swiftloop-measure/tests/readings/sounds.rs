//! Sounds for the tests: ideal delays made in the frequency domain, noise from a seed.
#![allow(dead_code)]

use swiftloop_units::fourier::{Complex, back_double, forward_double};

/// One value of a normal distribution (Box and Muller).
pub fn gauss(random: &mut fastrand::Rng) -> f64 {
    let u = 1.0 - random.f64();
    (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * random.f64()).cos()
}

/// `samples` later by `delay` frames, exactly, as an ideal pair of converters would: a turn of every phase.
pub fn delayed(samples: &[f32], delay: f64, length: usize) -> Vec<f64> {
    let size = (length.max(samples.len()) + 4096).next_power_of_two();
    let (forward, back) = (forward_double(size), back_double(size));
    let mut time: Vec<f64> = samples.iter().map(|x| f64::from(*x)).collect();
    time.resize(size, 0.0);
    let mut spectrum = forward.make_output_vec();
    forward.process(&mut time, &mut spectrum).unwrap();
    for (k, z) in spectrum.iter_mut().enumerate() {
        *z *= Complex::from_polar(1.0 / size as f64, -std::f64::consts::TAU * k as f64 / size as f64 * delay);
    }
    spectrum[size / 2].im = 0.0;
    back.process(&mut spectrum, &mut time).unwrap();
    time.truncate(length);
    time
}

/// Adds white noise.
pub fn hiss(samples: &mut [f64], deviation: f64, seed: u64) {
    let mut random = fastrand::Rng::with_seed(seed);
    for x in samples {
        *x += deviation * gauss(&mut random);
    }
}

pub fn single(samples: &[f64]) -> Vec<f32> {
    samples.iter().map(|x| *x as f32).collect()
}
