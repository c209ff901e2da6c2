//! What voices cost: what a block took with so many notes held comes in; what it takes without any, what each voice adds, and the
//! number after which more notes add nothing go out. Cost rises along a line and then stays where it is,
//! so of all places where the bend may be the one that leaves least over is taken, and none where a line does as well.

/// What voices cost, in what was given for each number of notes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Voices {
    pub base: f64,
    pub each: f64,
    /// Voices after which more notes cost no more.
    pub limit: Option<u32>,
}

/// A bend has to leave less than this share of what a line leaves over (sums of squares).
const BEND: f64 = 0.25;
/// What is left over beside what was seen, in the mean, for a line to be as good as any bend.
const STRAIGHT: f64 = 0.02;

/// Of notes held and what that cost; nothing for fewer than three.
#[must_use]
pub fn voices(seen: &[(u32, f64)]) -> Option<Voices> {
    if seen.len() < 3 {
        return None;
    }
    let most = seen.iter().map(|s| s.0).max()?;
    let straight = fit(seen, f64::from(most));
    let mean = seen.iter().map(|s| s.1).sum::<f64>() / seen.len() as f64;
    let left_over = (straight.2 / seen.len() as f64).sqrt();
    // Whole voices, since a limit is one.
    let bent =
        (1..most).map(|limit| (limit, fit(seen, f64::from(limit)))).min_by(|a, b| a.1.2.total_cmp(&b.1.2));
    let limit = bent.filter(|(_, f)| left_over > STRAIGHT * mean && f.2 < BEND * straight.2);
    let (base, each, _) = limit.map_or(straight, |l| l.1);
    Some(Voices {
        base: base.max(0.0),
        each: each.max(0.0),
        limit: limit.map(|l| l.0).filter(|_| each > 0.0),
    })
}

/// Least squares of `base + each × min(notes, limit)`: both, and the sum of squares that is left.
fn fit(seen: &[(u32, f64)], limit: f64) -> (f64, f64, f64) {
    let x = |notes: u32| f64::from(notes).min(limit);
    let n = seen.len() as f64;
    let (mx, my) = (seen.iter().map(|s| x(s.0)).sum::<f64>() / n, seen.iter().map(|s| s.1).sum::<f64>() / n);
    let sums = seen.iter().fold((0.0, 0.0), |(xy, xx), s| {
        let d = x(s.0) - mx;
        (xy + d * (s.1 - my), xx + d * d)
    });
    let each = if sums.1 > 0.0 { sums.0 / sums.1 } else { 0.0 };
    let base = my - each * mx;
    let left = seen.iter().map(|s| (s.1 - base - each * x(s.0)).powi(2)).sum();
    (base, each, left)
}

#[cfg(test)]
mod tests {
    use super::*;

    const NOTES: [u32; 9] = [0, 1, 2, 4, 8, 16, 32, 48, 64];

    #[test]
    fn base_voice_and_limit_are_found_through_noise() {
        let mut random = fastrand::Rng::with_seed(3);
        for _ in 0..200 {
            let (base, each) = (1.0 + 20.0 * random.f64(), 2.0 + 20.0 * random.f64());
            let limit = [None, Some(8u32), Some(16), Some(24), Some(32)][random.usize(0..5)];
            let seen = NOTES.map(|n| {
                let sounding = n.min(limit.unwrap_or(n));
                (n, (base + each * f64::from(sounding)) * (1.0 + 0.01 * (random.f64() - 0.5)))
            });
            let found = voices(&seen).expect("an answer");
            assert!((found.each / each - 1.0).abs() < 0.05, "{found:?} {each}");
            assert!((found.base - base).abs() < 0.3 * each + 0.05 * base, "{found:?} {base}");
            match (found.limit, limit) {
                (None, None) => {}
                (Some(found), Some(limit)) => {
                    assert!(found.abs_diff(limit) <= 1 + limit / 20, "{found} {limit}")
                }
                wrong => panic!("{wrong:?}"),
            }
        }
    }

    #[test]
    fn what_costs_the_same_with_every_note_has_no_voices_and_too_little_is_no_answer() {
        let flat = voices(&NOTES.map(|n| (n, 5.0))).expect("an answer");
        assert_eq!((flat.each, flat.limit), (0.0, None));
        assert!((flat.base - 5.0).abs() < 1e-9);
        assert_eq!(voices(&[(0, 1.0), (1, 2.0)]), None);
        assert_eq!(voices(&[]), None);
    }
}
