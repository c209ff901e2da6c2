//! What a sound's own past says of its next frame: linear prediction. A stretch comes in, the coefficients that
//! predict it best go out (autocorrelation method, Levinson and Durbin), or how much they miss at the most.

use pulp::{Arch, Simd, WithSimd};

/// Frames of the past that are used on every stretch: with lag zero they make two groups of ten.
pub const ORDER: usize = 19;
const LAGS: usize = ORDER + 1;
/// Lags whose sums the processor holds at once.
const GROUP: usize = 10;
/// Coefficients that are applied in one pass of the loop.
const PASS: usize = 5;
/// Frames whose largest surprise is kept.
pub const CELL: usize = 32;
/// Registers of values that are predicted side by side: four are slower than two, two are faster than one.
const WIDE: usize = 2;

/// Coefficients a₁ … so that xₙ ≈ Σ aₖ·xₙ₋ₖ; the first `order` of them.
#[must_use]
pub fn coefficients(correlation: &[f64]) -> Vec<f64> {
    let order = correlation.len().saturating_sub(1);
    let mut a = vec![0.0; order];
    let mut error = correlation.first().copied().unwrap_or(0.0);
    for i in 0..order {
        if error <= 0.0 {
            break;
        }
        let known: f64 = (0..i).map(|k| a[k] * correlation[i - k]).sum();
        let reflection = (correlation[i + 1] - known) / error;
        a[i] = reflection;
        // Each with its mirror image: both change by what the other was.
        for k in 0..i.div_ceil(2) {
            let (low, high) = (a[k], a[i - 1 - k]);
            (a[k], a[i - 1 - k]) = (low - reflection * high, high - reflection * low);
        }
        error *= 1.0 - reflection * reflection;
    }
    a
}

/// Autocorrelation at the lags 0 … [`ORDER`].
#[must_use]
pub fn correlation(samples: &[f32]) -> [f64; LAGS] {
    Arch::new().dispatch(Correlate(samples)).map(f64::from)
}

/// Σ xₙ·xₙ₊ₖ for every lag k.
struct Correlate<'a>(&'a [f32]);

impl WithSimd for Correlate<'_> {
    type Output = [f32; LAGS];

    #[inline(always)]
    fn with_simd<S: Simd>(self, simd: S) -> [f32; LAGS] {
        let samples = self.0;
        let whole = samples.len().saturating_sub(LAGS) / S::F32_LANES * S::F32_LANES;
        let mut all = [0.0; LAGS];
        for (group, own) in all.as_chunks_mut::<GROUP>().0.iter_mut().enumerate() {
            let mut sums = [simd.splat_f32s(0.0); GROUP];
            for n in (0..whole).step_by(S::F32_LANES) {
                let here = load::<S>(samples, n);
                let there = &samples[n + group * GROUP..][..S::F32_LANES + GROUP];
                for (k, sum) in sums.iter_mut().enumerate() {
                    *sum = simd.mul_add_e_f32s(here, load::<S>(there, k), *sum);
                }
            }
            *own = sums.map(|s| simd.reduce_sum_f32s(s));
        }
        for (lag, sum) in all.iter_mut().enumerate() {
            let pairs = samples.iter().zip(&samples[lag.min(samples.len())..]);
            *sum += pairs.skip(whole).map(|(x, y)| x * y).sum::<f32>();
        }
        all
    }
}

/// The highest magnitude that prediction leaves of each cell of [`CELL`] frames, the first of which begins at `from`; there
/// must be one more than [`ORDER`] frames before it.
pub fn highest_left(samples: &[f32], from: usize, a: &[f64], cells: &mut [f32]) {
    let minus = std::array::from_fn(|k| -a.get(k).map_or(0.0, |c| *c as f32));
    Arch::new().dispatch(HighestLeft { samples, from, minus, cells });
}

struct HighestLeft<'a> {
    samples: &'a [f32],
    from: usize,
    minus: [f32; LAGS],
    cells: &'a mut [f32],
}

impl WithSimd for HighestLeft<'_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(self, simd: S) {
        let wide = WIDE * S::F32_LANES;
        debug_assert_eq!(CELL % wide, 0);
        for (cell, from) in self.cells.iter_mut().zip((self.from..).step_by(CELL)) {
            let mut highest = simd.splat_f32s(0.0);
            for n in (from..from + CELL).step_by(wide) {
                let near = &self.samples[n..n + wide];
                let mut left: [S::f32s; WIDE] = std::array::from_fn(|v| load::<S>(near, v * S::F32_LANES));
                for (pass, own) in self.minus.as_chunks::<PASS>().0.iter().enumerate() {
                    let past = &self.samples[n - PASS * (pass + 1)..][..PASS - 1 + wide];
                    for (k, c) in own.iter().enumerate() {
                        let c = simd.splat_f32s(*c);
                        for (v, x) in left.iter_mut().enumerate() {
                            let past = load::<S>(past, PASS - 1 - k + v * S::F32_LANES);
                            *x = simd.mul_add_e_f32s(c, past, *x);
                        }
                    }
                }
                for x in left {
                    highest = simd.max_f32s(highest, simd.abs_f32s(x));
                }
            }
            *cell = simd.reduce_max_f32s(highest);
        }
    }
}

/// As many samples as the processor takes at once, from `at` on.
#[inline(always)]
fn load<S: Simd>(samples: &[f32], at: usize) -> S::f32s {
    bytemuck::pod_read_unaligned(bytemuck::cast_slice(&samples[at..at + S::F32_LANES]))
}

/// Coefficients of high order from a short stretch (Burg 1975): sharper than the autocorrelation for few frames.
#[must_use]
pub fn burg(samples: &[f64], order: usize) -> Vec<f64> {
    let n = samples.len();
    let (mut forward, mut backward) = (samples.to_vec(), samples.to_vec());
    let mut a: Vec<f64> = Vec::new();
    for m in 0..order.min(n.saturating_sub(2)) {
        let (mut over, mut under) = (0.0, 1e-30);
        for i in m + 1..n {
            over += forward[i] * backward[i - 1];
            under += forward[i] * forward[i] + backward[i - 1] * backward[i - 1];
        }
        let k = 2.0 * over / under;
        let old = a.clone();
        a.push(k);
        for i in 0..m {
            a[i] = old[i] - k * old[m - 1 - i];
        }
        for i in (m + 1..n).rev() {
            let f = forward[i];
            forward[i] = f - k * backward[i - 1];
            backward[i] = backward[i - 1] - k * f;
        }
    }
    a
}

/// The next `count` frames as the past goes on by itself.
#[must_use]
pub fn extrapolate(past: &[f64], a: &[f64], count: usize) -> Vec<f64> {
    let mut all = past[past.len().saturating_sub(a.len())..].to_vec();
    for _ in 0..count {
        let next = a.iter().zip(all.iter().rev()).map(|(c, x)| c * x).sum();
        all.push(next);
    }
    all.split_off(all.len() - count)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_recursion_is_found_again() {
        let mut random = fastrand::Rng::with_seed(5);
        let mut x = vec![0.0f32; 20_000];
        for n in 2..x.len() {
            x[n] = 1.6 * x[n - 1] - 0.81 * x[n - 2] + random.f32() - 0.5;
        }
        for a in [
            coefficients(&correlation(&x)[..3]),
            burg(&x[..4000].iter().map(|v| f64::from(*v)).collect::<Vec<_>>(), 2),
        ] {
            assert!((a[0] - 1.6).abs() < 0.03 && (a[1] + 0.81).abs() < 0.03, "{a:?}");
        }
    }

    #[test]
    fn a_sine_predicts_itself() {
        let x: Vec<f64> = (0..600).map(|n| (0.1 * f64::from(n)).sin()).collect();
        let a = burg(&x[..500], 8);
        for (got, want) in extrapolate(&x[..500], &a, 50).iter().zip(&x[500..]) {
            assert!((got - want).abs() < 1e-2);
        }
    }

    #[test]
    fn correlation_is_the_sum_it_stands_for() {
        for count in [0usize, 1, 7, 19, 20, 21, 36, 300] {
            let x: Vec<f32> = (0..count).map(|n| ((n * n) as f32 * 0.01).sin()).collect();
            for (lag, got) in correlation(&x).iter().enumerate() {
                let sum: f64 = (lag..count).map(|n| f64::from(x[n - lag]) * f64::from(x[n])).sum();
                assert!((sum - got).abs() < 1e-4, "{count} {lag}: {got} {sum}");
            }
        }
    }

    #[test]
    fn the_highest_left_is_that_of_the_sums_it_stands_for() {
        let x: Vec<f32> = (0..300).map(|n| ((n * n) as f32 * 0.01).sin()).collect();
        for order in [3usize, 4, 10, ORDER] {
            let a: Vec<f64> = (0..order).map(|k| 0.3 / (k + 1) as f64).collect();
            let mut cells = vec![0.0; 7];
            highest_left(&x, 50, &a, &mut cells);
            for (j, got) in cells.iter().enumerate() {
                let left = (50 + j * CELL..50 + (j + 1) * CELL).map(|n| {
                    let sum: f64 = (0..order).map(|k| a[k] * f64::from(x[n - 1 - k])).sum();
                    (f64::from(x[n]) - sum).abs()
                });
                assert!((left.fold(0.0, f64::max) - f64::from(*got)).abs() < 1e-5);
            }
        }
    }
}
