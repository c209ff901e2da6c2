//! What a sound's own past says of its next frame: linear prediction. A stretch comes in, the coefficients that
//! predict it best go out (autocorrelation method, Levinson and Durbin), or what is left when they are applied.

/// Frames of the past that are used on every stretch: with lag zero they make five times four.
pub const ORDER: usize = 19;

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
        let old = a.clone();
        a[i] = reflection;
        for k in 0..i {
            a[k] = old[k] - reflection * old[i - 1 - k];
        }
        error *= 1.0 - reflection * reflection;
    }
    a
}

/// Autocorrelation at the lags 0 … `order`.
#[must_use]
pub fn correlation(samples: &[f32], order: usize) -> Vec<f64> {
    let mut sums = Vec::with_capacity(order + 4);
    for lag in (0..=order).step_by(4) {
        sums.extend(four_lags(samples, lag).map(f64::from));
    }
    sums.truncate(order + 1);
    sums
}

/// Σ xₙ·xₙ₊ₖ for four lags at once, in eight lanes: each frame is fetched once for all of them.
#[multiversion::multiversion(targets("x86_64+avx2+fma"))]
fn four_lags(samples: &[f32], lag: usize) -> [f32; 4] {
    let mut lanes = [[0.0f32; 8]; 4];
    let whole = samples.len().saturating_sub(lag + 3) / 8 * 8;
    for n in (0..whole).step_by(8) {
        let here: &[f32] = &samples[n..n + 8];
        let there: &[f32] = &samples[n + lag..n + lag + 11];
        for (k, sum) in lanes.iter_mut().enumerate() {
            for i in 0..8 {
                sum[i] += here[i] * there[i + k];
            }
        }
    }
    let mut sums = lanes.map(|l| l.iter().sum::<f32>());
    for (k, sum) in sums.iter_mut().enumerate() {
        let last = samples.len().saturating_sub(lag + k);
        *sum += (whole..last).map(|n| samples[n] * samples[n + lag + k]).sum::<f32>();
    }
    sums
}

/// What is left of `samples[from..to]` after prediction; `samples` has to begin at least [`ORDER`] frames before.
#[multiversion::multiversion(targets("x86_64+avx2+fma"))]
pub fn residual(samples: &[f32], from: usize, to: usize, a: &[f64], into: &mut [f32]) {
    into.copy_from_slice(&samples[from..to]);
    // Four coefficients a pass: fewer walks through memory.
    for (pass, four) in a.chunks(4).enumerate() {
        let c = |i: usize| four.get(i).map_or(0.0, |x| *x as f32);
        let (c0, c1, c2, c3) = (c(0), c(1), c(2), c(3));
        let lag = 4 * pass;
        let past = &samples[from - lag - four.len()..to - lag - 1];
        if four.len() == 4 {
            let count = into.len();
            let (p3, p2, p1, p0) =
                (&past[..count], &past[1..=count], &past[2..count + 2], &past[3..count + 3]);
            for i in 0..count {
                into[i] -= c0 * p0[i] + c1 * p1[i] + c2 * p2[i] + c3 * p3[i];
            }
        } else {
            for (i, x) in into.iter_mut().enumerate() {
                *x -= (0..four.len()).map(|k| c(k) * samples[from + i - lag - 1 - k]).sum::<f32>();
            }
        }
    }
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
            coefficients(&correlation(&x, 2)),
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
    fn the_residual_is_the_sum_it_stands_for() {
        let x: Vec<f32> = (0..300).map(|n| ((n * n) as f32 * 0.01).sin()).collect();
        for order in [3usize, 4, 10, ORDER] {
            let a: Vec<f64> = (0..order).map(|k| 0.3 / (k + 1) as f64).collect();
            let mut left = vec![0.0; 200];
            residual(&x, 50, 250, &a, &mut left);
            for (i, got) in left.iter().enumerate() {
                let sum: f64 = (0..order).map(|k| a[k] * f64::from(x[50 + i - 1 - k])).sum();
                assert!((f64::from(x[50 + i]) - sum - f64::from(*got)).abs() < 1e-5);
            }
        }
    }
}
