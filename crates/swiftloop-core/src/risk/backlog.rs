//! More than two playback blocks: a late block eats into a reserve, and lateness carries over from block to
//! block (Lindley's recursion `W ← max(0, W + S − T)`). A dropout is the moment when the backlog passes the
//! reserve. The answer is exact for a service time on a grid: the mean time to absorption of a finite chain,
//! by elimination without subtraction (Grassmann, Taksar and Heyman 1985), so that even a dropout in 10¹⁵
//! blocks keeps its digits.

/// Points at which the law is looked at within one step of the grid.
const SAMPLES: usize = 4;

/// Mean number of blocks until the backlog passes the reserve, starting with none.
///
/// `later_than(t)` is P(S > t) of the time one block takes, in units of the period; `reserve` is the deadline in
/// periods (1 or more); `steps` the grid's steps in one period. Each service time is split between its two neighbours on
/// the grid so that the mean stays what it is (rounding up would overload a system near saturation); that widens the
/// law a little, so the answer errs on the side of more dropouts.
#[must_use]
pub fn mean_blocks_to_dropout(later_than: impl Fn(f64) -> f64, reserve: f64, steps: usize) -> f64 {
    let h = 1.0 / steps as f64;
    // Backlog states 0, h, 2h, … up to reserve − 1: what may be left over without having broken.
    let states = ((reserve - 1.0).max(0.0) * steps as f64).floor() as usize + 1;
    let cells = states + steps;
    let tail: Vec<f64> = (0..=cells).map(|k| later_than(k as f64 * h).clamp(0.0, 1.0)).collect();
    // Split so, the discrete law has P(S > k·h) = the mean of P(S > t) over the cell above k·h.
    let over_cell = |k: usize| {
        let sum: f64 =
            (0..SAMPLES).map(|s| later_than((k as f64 + (s as f64 + 0.5) / SAMPLES as f64) * h)).sum();
        (sum / SAMPLES as f64).clamp(tail[k + 1].min(tail[k]), tail[k])
    };
    let discrete: Vec<f64> = (0..cells).map(over_cell).collect();
    let beyond = |k: isize| if k < 0 { 1.0 } else { discrete[(k as usize).min(cells - 1)] };
    // From backlog i: next = max(0, i + S − steps); broken when i + S > states − 1 + steps.
    let mut q = vec![vec![0.0; states]; states];
    let mut broken = vec![0.0; states];
    for i in 0..states {
        broken[i] = tail[states - 1 + steps - i];
        for (j, cell) in q[i].iter_mut().enumerate() {
            let k = j as isize + steps as isize - i as isize;
            let above = if j + 1 == states { broken[i] } else { beyond(k) };
            let below = if j == 0 { 1.0 } else { beyond(k - 1) };
            *cell = (below - above).max(0.0);
        }
    }
    // Expected visits by elimination from the last state to the first; `time[i]` is the time spent per visit.
    let mut time = vec![1.0; states];
    for n in (1..states).rev() {
        let leave: f64 = q[n][..n].iter().sum::<f64>() + broken[n];
        if leave <= 0.0 {
            return f64::INFINITY;
        }
        let (head, row) = q.split_at_mut(n);
        let row = &row[0];
        for i in 0..n {
            let into = head[i][n] / leave;
            if into > 0.0 {
                for j in 0..n {
                    head[i][j] += into * row[j];
                }
                broken[i] += into * broken[n];
                time[i] += into * time[n];
            }
        }
    }
    if broken[0] <= 0.0 { f64::INFINITY } else { time[0] / broken[0] }
}

#[cfg(test)]
mod tests {
    use super::mean_blocks_to_dropout;

    #[test]
    fn with_one_period_of_reserve_it_is_the_plain_tail() {
        let p = 1e-4;
        let blocks = mean_blocks_to_dropout(|t| if t < 1.0 { 0.3 } else { p }, 1.0, 8);
        assert!((blocks * p - 1.0).abs() < 1e-9, "{blocks}");
    }

    #[test]
    fn a_rare_dropout_keeps_its_digits() {
        let p = 1e-18;
        let blocks = mean_blocks_to_dropout(|t| if t < 3.0 { 0.0 } else { p }, 3.0, 8);
        assert!((blocks * p - 1.0).abs() < 1e-6, "{blocks}");
    }

    /// Gambler's walk: each block takes half a period or one and a half, so the backlog steps up with p and
    /// down with 1 − p. The mean time to pass the reserve has a closed form (Feller, vol. 1, ch. XIV).
    #[test]
    fn agrees_with_the_closed_form_of_the_reflected_walk() {
        let (p, q) = (0.3, 0.7);
        let later = |t: f64| {
            if t < 0.5 {
                1.0
            } else if t < 1.5 {
                p
            } else {
                0.0
            }
        };
        // Two steps a period; reserve of 3 periods leaves backlog states 0..=4 in steps of half a period.
        let got = mean_blocks_to_dropout(later, 3.0, 2);
        // From 0 (reflecting by staying) to 5: sum over the rungs of the mean time to climb each.
        let mut climb = 1.0 / p;
        let mut total = climb;
        for _ in 1..5 {
            climb = (1.0 + q * climb) / p;
            total += climb;
        }
        assert!((got / total - 1.0).abs() < 1e-9, "{got} {total}");
    }

    #[test]
    fn more_reserve_never_hurts() {
        let later = |t: f64| (-4.0 * t).exp();
        let mut last = 0.0;
        for reserve in 1..8 {
            let blocks = mean_blocks_to_dropout(later, f64::from(reserve), 8);
            assert!(blocks >= last);
            last = blocks;
        }
    }
}
