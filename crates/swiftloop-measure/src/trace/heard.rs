//! Where a recording crackles, beside late blocks of a trace made meanwhile: when the recording began on the trace's clock.
//! Times of both come in; the beginning goes out, with the blocks that were heard.

use statrs::distribution::{DiscreteCDF, Poisson};

/// Two that are this near, in seconds, are one: a late block is heard with one block or the next, whose length is seldom more.
const NEAR: f64 = 0.025;
/// Pairs that are tried.
const MOST: usize = 400;
/// A beginning that explains fewer than this says nothing.
const LEAST: usize = 3;
/// So seldom may the best of all beginnings that were tried explain as much by chance.
const CHANCE: f64 = 0.02;

#[derive(Debug, Clone, PartialEq)]
pub struct MatchedCrackles {
    /// When the recording began, in seconds of the trace's clock.
    pub began: f64,
    /// Late blocks that were heard, by their place in the list.
    pub blocks: Vec<usize>,
    /// Crackles that have a late block.
    pub crackles: usize,
    /// As many crackles would have one if the two had nothing to do with each other.
    pub by_chance: f64,
}

fn matched(crackles: &[f64], late: &[f64], began: f64) -> (Vec<usize>, usize) {
    let mut blocks = Vec::new();
    let mut count = 0;
    for crackle in crackles {
        let at = crackle + began;
        let first = late.partition_point(|l| *l < at - NEAR);
        let near = late[first..].iter().take_while(|l| **l <= at + NEAR).count();
        count += usize::from(near > 0);
        blocks.extend(first..first + near);
    }
    blocks.sort_unstable();
    blocks.dedup();
    (blocks, count)
}

/// Lays crackles (seconds from the recording's beginning, rising) beside late blocks (seconds of the trace, rising). Without
/// a beginning the one is looked for that explains most; nothing when that is no more than chance.
#[must_use]
pub fn heard(crackles: &[f64], late: &[f64], began: Option<f64>) -> Option<MatchedCrackles> {
    let (first, last) = (late.first()?, late.last()?);
    let span = (last - first).max(1.0);
    // So many crackles meet a late block anywhere.
    let meets = (late.len() as f64 * 2.0 * NEAR / span).min(1.0);
    let by_chance = crackles.len() as f64 * meets;
    let answer = |began: f64| {
        let (blocks, crackles) = matched(crackles, late, began);
        MatchedCrackles { began, blocks, crackles, by_chance }
    };
    if let Some(began) = began {
        return Some(answer(began));
    }
    let every = |n: usize| (n / MOST).max(1);
    let candidates = late
        .iter()
        .step_by(every(late.len()))
        .flat_map(|l| crackles.iter().step_by(every(crackles.len())).map(move |c| l - c));
    let best = candidates.map(|began| (matched(crackles, late, began).1, began)).max_by(|a, b| {
        // Of equals the earlier: the order is that of the lists.
        a.0.cmp(&b.0).then(b.1.total_cmp(&a.1))
    })?;
    // Each beginning that is tried explains one by itself; that the best of so many explains the others by chance is no more
    // likely than all of their chances together.
    let tried = (late.len().min(2 * MOST) * crackles.len().min(2 * MOST)) as f64;
    let others = best.0.saturating_sub(1) as u64;
    let one = Poisson::new(by_chance.max(1e-12)).map_or(1.0, |p| p.sf(others.saturating_sub(1)));
    (best.0 >= LEAST && tried * one < CHANCE).then(|| answer(best.1))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_beginning_is_found_and_chance_is_not_taken_for_it() {
        let mut random = fastrand::Rng::with_seed(4);
        let mut late: Vec<f64> = (0..40).map(|_| 5000.0 + random.f64() * 600.0).collect();
        late.sort_by(f64::total_cmp);
        // Half of them are heard, a little later; and three crackles have another cause.
        let mut crackles: Vec<f64> = late.iter().step_by(2).map(|l| l - 4990.0 + 0.01).collect();
        crackles.extend([7.0, 300.5, 601.0]);
        crackles.sort_by(f64::total_cmp);
        let found = heard(&crackles, &late, None).expect("found");
        assert!((found.began - 4990.0).abs() < 2.0 * NEAR && found.crackles >= 20, "{found:?}");
        assert_eq!(heard(&crackles, &late, Some(4990.0)).unwrap().crackles, found.crackles.min(23));
        let unrelated: Vec<f64> = (0..20).map(|n| f64::from(n * n) * 1.37).collect();
        assert_eq!(heard(&unrelated, &late, None), None);
        assert_eq!(heard(&[], &late, None), None);
        assert_eq!(heard(&crackles, &[], Some(1.0)), None);
    }
}
