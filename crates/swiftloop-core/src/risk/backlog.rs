//! More than one block of reserve: a late block eats into it, and lateness carries over from block to block (Lindley's
//! recursion `W ← max(0, W + S − T)`). What one block takes comes in, for a thread that sleeps when the block is due and for
//! one that is still busy; dropouts per block go out. The law of the backlog is walked forward block by
//! block on a grid, in the order in which blocks come; what passes the reserve is a dropout and begins anew. Only
//! positive numbers are added, so that even a dropout in 10¹⁵ blocks keeps its digits.

/// What the walk needs to know.
#[derive(Debug, Clone, Copy)]
pub struct BacklogWalk<'a> {
    /// Periods until a block must be done: more than one.
    pub reserve: f64,
    /// Steps of the grid in a period.
    pub steps: usize,
    /// The kind of every block of the cycle; empty when they come as chance will have it.
    pub order: &'a [usize],
    /// How times come to lie on the grid.
    pub rounded: Rounded,
}

/// How times come to lie on the grid.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Rounded {
    /// Split between their two neighbours, so that the mean stays what it is.
    Evenly,
    /// The same, looked at once in each step only: for what is interpolated anyway.
    Roughly,
    /// Longer than they are, so that dropouts are never too few: a bound.
    Up,
}

/// Points at which a law is looked at within one step of the grid.
const SAMPLES: usize = 4;
/// The walk ends when a cycle's dropouts change by less than this share.
const SETTLED: f64 = 5e-4;
/// The same where the grid only bounds.
const NEARLY_SETTLED: f64 = 1e-2;
/// A mean block of more periods than this fills the backlog so slowly that a bound is not worth its price.
const NEARLY_FULL: f64 = 0.97;
/// Chances below this are none.
const NOTHING: f64 = 1e-26;
/// Blocks of a window, nearly.
const WINDOW: usize = 24;
/// Blocks that are walked at the most.
const MOST_BLOCKS: usize = 6_000;

/// What one kind of block takes, on the grid: chances of 0, 1, 2, … steps, and of more than each.
struct Law {
    takes: Vec<f64>,
    more: Vec<f64>,
    /// From which step on there is anything.
    first: usize,
}

impl Law {
    fn on_grid(later_than: impl Fn(f64) -> f64, cells: usize, h: f64, rounded: Rounded) -> Self {
        let at = |k: usize, within: f64| later_than((k as f64 + within) * h);
        let over_cell = |k: usize| match rounded {
            Rounded::Evenly => {
                let samples = (0..SAMPLES).map(|s| at(k, (s as f64 + 0.5) / SAMPLES as f64));
                samples.sum::<f64>() / SAMPLES as f64
            }
            Rounded::Roughly => at(k, 0.5),
            Rounded::Up => at(k, 0.0),
        };
        let mut more: Vec<f64> = (0..cells).map(over_cell).collect();
        for k in 1..cells {
            more[k] = more[k].min(more[k - 1]);
        }
        Self::of(more)
    }

    fn of(more: Vec<f64>) -> Self {
        let take = |k: usize| if k == 0 { 1.0 - more[0] } else { more[k - 1] - more[k] };
        let takes: Vec<f64> = (0..more.len()).map(take).collect();
        let first = takes.iter().position(|p| *p > NOTHING).unwrap_or(takes.len());
        Self { takes, more, first }
    }

    /// Steps it takes in the mean, what is off the grid not counted.
    fn mean(&self) -> f64 {
        self.more.iter().sum()
    }

    /// Both one after the other.
    fn and(&self, other: &Self) -> Self {
        let cells = self.more.len();
        let last = self.takes.iter().rposition(|p| *p > NOTHING).unwrap_or(0);
        let mut more = self.more.clone();
        for (i, p) in self.takes.iter().enumerate().take(last + 1).skip(self.first) {
            for (sum, later) in more[i..].iter_mut().zip(&other.more[..cells - i]) {
                *sum += p * later;
            }
        }
        Self::of(more)
    }

    /// The mean of several, by their shares.
    fn mixed(all: &[(f64, Self)]) -> Self {
        let cells = all.first().map_or(0, |a| a.1.more.len());
        Self::of(
            (0..cells)
                .map(|k| all.iter().map(|(share, law)| share * law.more[k]).sum::<f64>().min(1.0))
                .collect(),
        )
    }
}

/// Chances that one kind of block takes longer than so many periods, and that something delays it so long.
pub struct Takes<'a> {
    /// How often it comes, where blocks come in no order.
    pub share: f64,
    pub work: &'a dyn Fn(f64) -> f64,
    /// What delays it when its thread sleeps at the time it is due.
    pub asleep: &'a dyn Fn(f64) -> f64,
    /// What delays it when its thread is busy still.
    pub busy: &'a dyn Fn(f64) -> f64,
}

/// Steps on the meter for looking at a law at one point: an exponential or two.
const LOOK: usize = 30;

/// Dropouts per block in the long run; and how many steps it took to know that, of about a nanosecond each.
#[must_use]
pub fn dropouts_per_block(walk: BacklogWalk<'_>, kinds: &[Takes<'_>]) -> (f64, u64) {
    let h = 1.0 / walk.steps as f64;
    // Backlog states 0, h, 2h, … up to reserve − 1: what may be left over without having broken.
    let left_over = (walk.reserve - 1.0).max(0.0) * walk.steps as f64;
    let left_over = match walk.rounded {
        Rounded::Evenly | Rounded::Roughly => left_over.round(),
        Rounded::Up => left_over.floor(),
    };
    let states = left_over as usize + 1;
    let cells = states + walk.steps;
    let law_of = |k: &Takes<'_>| {
        let of = |law: &dyn Fn(f64) -> f64| Law::on_grid(law, cells, h, walk.rounded);
        let work = of(k.work);
        (work.and(&of(k.asleep)), work.and(&of(k.busy)))
    };
    let mut laws: Vec<(Law, Law)> = kinds.iter().map(law_of).collect();
    if walk.order.is_empty() {
        let (asleep, busy): (Vec<_>, Vec<_>) =
            laws.into_iter().zip(kinds).map(|((a, b), k)| ((k.share, a), (k.share, b))).unzip();
        laws = vec![(Law::mixed(&asleep), Law::mixed(&busy))];
    }
    let (settles, bounds) = match walk.rounded {
        Rounded::Evenly => (SETTLED, false),
        Rounded::Roughly => (NEARLY_SETTLED, false),
        Rounded::Up => (NEARLY_SETTLED, true),
    };
    let order = if walk.order.is_empty() { &[0][..] } else { walk.order };
    let full = order.iter().map(|&k| laws[k].0.mean()).sum::<f64>()
        > NEARLY_FULL * (order.len() * walk.steps) as f64;
    // Laws are looked at cell by cell, then put one after the other.
    let looks = if walk.rounded == Rounded::Evenly { SAMPLES } else { 1 };
    let mut multiplied = kinds.len() * cells * (3 * looks * LOOK + cells / 2);
    if bounds && full {
        return (1.0, multiplied as u64);
    }
    let mut now = vec![0.0; states];
    now[0] = 1.0;
    let mut next = vec![0.0; states];
    // Dropouts may come in a rhythm of their own: they are counted over whole windows of cycles.
    let window = (WINDOW / order.len()).max(1);
    let (mut before, mut walked, mut cycles, mut counted) = (0.0f64, 0usize, 0usize, 0.0f64);
    loop {
        let mut dropped = 0.0;
        for &kind in order {
            next.fill(0.0);
            let mut anew = 0.0;
            for (i, &here) in now.iter().enumerate() {
                if here < 1e-60 {
                    continue;
                }
                let law = if i == 0 { &laws[kind].0 } else { &laws[kind].1 };
                // Done by the time the next block is due; or so much is left over; or longer than the reserve bears: broken.
                let (in_time, left) = (walk.steps - i.min(walk.steps), states - 1 + walk.steps - i);
                next[i.saturating_sub(walk.steps)] += here * (1.0 - law.more[in_time]);
                anew += here * law.more[left];
                let later = &law.takes[in_time + 1..=left];
                let after = states - later.len();
                for (sum, p) in next[after..].iter_mut().zip(later) {
                    *sum += here * p;
                }
            }
            dropped += anew;
            next[0] += anew;
            std::mem::swap(&mut now, &mut next);
        }
        multiplied += order.len() * states * (states + 60) / 4;
        walked += order.len();
        counted += dropped;
        cycles += 1;
        if cycles < window {
            continue;
        }
        let settled = (counted - before).abs() <= settles * counted && walked > states / 4;
        if settled || walked > MOST_BLOCKS {
            return (counted / (window * order.len()) as f64, multiplied as u64);
        }
        (before, counted, cycles) = (counted, 0.0, 0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rate(reserve: f64, steps: usize, later: impl Fn(f64) -> f64) -> f64 {
        of(BacklogWalk { reserve, steps, order: &[0], rounded: Rounded::Evenly }, &[&later])
    }

    /// Blocks that are delayed by nothing.
    fn of(walk: BacklogWalk<'_>, later: &[&dyn Fn(f64) -> f64]) -> f64 {
        let never = |t: f64| f64::from(u8::from(t < 0.0));
        let kinds: Vec<Takes<'_>> =
            later.iter().map(|&work| Takes { share: 1.0, work, asleep: &never, busy: &never }).collect();
        dropouts_per_block(walk, &kinds).0
    }

    #[test]
    fn a_rare_dropout_keeps_its_digits() {
        let p = 1e-18;
        // Half a period, or for ever.
        let said = rate(3.0, 8, |t| if t < 0.5 { 1.0 } else { p });
        assert!((said / p - 1.0).abs() < 1e-6, "{said}");
    }

    /// Gambler's walk: each block takes half a period or one and a half, so the backlog steps up with p and
    /// down with 1 − p. The mean time to pass the reserve has a closed form (Feller, vol. 1, ch. XIV).
    #[test]
    fn agrees_with_the_closed_form_of_the_reflected_walk() {
        let (p, q) = (0.3, 0.7);
        // A hair below the grid's points, so that the mean over a cell is that of its inside.
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
        let said = rate(3.0, 2, later);
        // From 0 (reflecting by staying) to 5: sum over the rungs of the mean time to climb each.
        let mut climb = 1.0 / p;
        let mut total = climb;
        for _ in 1..5 {
            climb = (1.0 + q * climb) / p;
            total += climb;
        }
        assert!((said * total - 1.0).abs() < 2e-3, "{said} {total}");
    }

    #[test]
    fn more_reserve_never_hurts() {
        let mut last = 1.0;
        for reserve in 2..8 {
            let now = rate(f64::from(reserve), 8, |t| (-4.0 * t).exp());
            assert!(now <= last, "{reserve}");
            last = now;
        }
    }

    #[test]
    fn a_coarse_grid_that_rounds_up_bounds_the_truth() {
        for load in [0.3, 0.5, 0.7] {
            for reserve in [1.5, 2.0, 3.0, 4.5] {
                let later = |t: f64| if t < load { 1.0 } else { 0.01 * (-6.0 * (t - load)).exp() };
                let at = |steps, rounded| of(BacklogWalk { reserve, steps, order: &[0], rounded }, &[&later]);
                let (said, most) = (at(96, Rounded::Evenly), at(16, Rounded::Up));
                assert!(said <= most && most < 8.0 * said, "{load} {reserve}: {said} {most}");
            }
        }
    }

    /// A heavy block and a light one in turn never break where two heavy ones would.
    #[test]
    fn the_order_of_blocks_counts() {
        let takes = |long: f64| move |t: f64| f64::from(u8::from(t < long));
        let (heavy, light) = (takes(1.4), takes(0.4));
        let walk = |order: &[usize]| {
            of(BacklogWalk { reserve: 2.0, steps: 10, order, rounded: Rounded::Evenly }, &[&heavy, &light])
        };
        assert_eq!(walk(&[0, 1]), 0.0);
        assert!(walk(&[0, 0, 0, 1, 1, 1]) > 0.1);
    }
}
