//! Student's t: how far a mean of few values may be off.

/// The 97.5 % point of Student's t with `freedom` degrees of freedom, within 1 % from two degrees on: the expansion of
/// Cornish and Fisher about the normal point (Abramowitz and Stegun 26.7.5); exact for one degree.
#[must_use]
pub fn student_t_975(freedom: f64) -> f64 {
    const Z: f64 = 1.959_963_985;
    if freedom < 1.5 {
        return 12.706_205;
    }
    if freedom < 2.5 {
        return 4.302_653;
    }
    let (z2, n) = (Z * Z, freedom);
    let first = Z * (z2 + 1.0) / 4.0;
    let second = Z * ((5.0 * z2 + 16.0) * z2 + 3.0) / 96.0;
    let third = Z * (((3.0 * z2 + 19.0) * z2 + 17.0) * z2 - 15.0) / 384.0;
    Z + first / n + second / (n * n) + third / (n * n * n)
}

#[cfg(test)]
mod tests {
    #[test]
    fn agrees_with_printed_tables() {
        for (freedom, point) in [(3.0, 3.1824), (5.0, 2.5706), (7.0, 2.3646), (20.0, 2.0860), (120.0, 1.9799)]
        {
            let got = super::student_t_975(freedom);
            assert!((got / point - 1.0).abs() < 0.01, "{freedom}: {got} against {point}");
        }
    }
}
