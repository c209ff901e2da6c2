//! Real Fourier transforms of one length: a length comes in, a plan that can be used again and again goes out, in single and in
//! double precision. The many algorithms behind a plan are built here, once, and not again with every crate and
//! test that uses one.
//!
//! ```
//! let (forward, back) = (swiftloop_units::fourier::forward_double(8), swiftloop_units::fourier::back_double(8));
//! let mut time = vec![0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0];
//! let mut spectrum = forward.make_output_vec();
//! forward.process(&mut time, &mut spectrum)?;
//! // A pulse holds all frequencies alike; there and back again multiplies by the length.
//! assert!(spectrum.iter().all(|z| (z.norm() - 1.0).abs() < 1e-12));
//! back.process(&mut spectrum, &mut time)?;
//! assert!((time[1] - 8.0).abs() < 1e-12 && time[2].abs() < 1e-12);
//! # Ok::<(), swiftloop_units::fourier::FftError>(())
//! ```

pub use realfft::num_complex::Complex;
pub use realfft::{ComplexToReal, FftError, RealToComplex};

use realfft::RealFftPlanner;
use std::sync::Arc;

/// From `length` real samples to `length / 2 + 1` bins, single precision.
#[must_use]
pub fn forward_single(length: usize) -> Arc<dyn RealToComplex<f32>> {
    RealFftPlanner::new().plan_fft_forward(length)
}

/// Back to `length` real samples, times `length`, single precision.
#[must_use]
pub fn back_single(length: usize) -> Arc<dyn ComplexToReal<f32>> {
    RealFftPlanner::new().plan_fft_inverse(length)
}

/// From `length` real samples to `length / 2 + 1` bins, double precision.
#[must_use]
pub fn forward_double(length: usize) -> Arc<dyn RealToComplex<f64>> {
    RealFftPlanner::new().plan_fft_forward(length)
}

/// Back to `length` real samples, times `length`, double precision.
#[must_use]
pub fn back_double(length: usize) -> Arc<dyn ComplexToReal<f64>> {
    RealFftPlanner::new().plan_fft_inverse(length)
}
