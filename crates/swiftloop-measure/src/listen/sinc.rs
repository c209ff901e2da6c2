//! The signal between its frames: weights of the frames around, a sinc under a raised cosine.

use std::f64::consts::PI;

/// The weight of a frame `t` frames away, when `reach` frames on either side are used.
pub fn sinc(t: f64, reach: usize) -> f64 {
    if t.abs() < 1e-9 {
        return 1.0;
    }
    let window = (PI * t / (2.0 * reach as f64 + 2.0)).cos().powi(2);
    (PI * t).sin() / (PI * t) * window
}
