//! Small systems of linear equations.

/// Solves `a·x = b` for a symmetric positive definite `a` (Cholesky); a row without weight gives zero.
#[must_use]
pub fn cholesky(mut a: Vec<Vec<f64>>, mut b: Vec<f64>) -> Vec<f64> {
    let n = b.len();
    for i in 0..n {
        for j in 0..=i {
            let sum: f64 = a[i][j] - (0..j).map(|k| a[i][k] * a[j][k]).sum::<f64>();
            a[i][j] = if i == j { sum.max(1e-30).sqrt() } else { sum / a[j][j] };
        }
    }
    for i in 0..n {
        b[i] = (b[i] - (0..i).map(|k| a[i][k] * b[k]).sum::<f64>()) / a[i][i];
    }
    for i in (0..n).rev() {
        b[i] = (b[i] - (i + 1..n).map(|k| a[k][i] * b[k]).sum::<f64>()) / a[i][i];
    }
    b
}

#[cfg(test)]
mod tests {
    #[test]
    fn puts_back_what_was_multiplied() {
        let a = vec![vec![4.0, 1.0, 0.5], vec![1.0, 3.0, -0.2], vec![0.5, -0.2, 2.0]];
        let x = [1.5, -2.0, 0.25];
        let b = a.iter().map(|row| row.iter().zip(&x).map(|(c, v)| c * v).sum()).collect();
        assert!(super::cholesky(a, b).iter().zip(&x).all(|(got, want)| (got - want).abs() < 1e-12));
    }
}
