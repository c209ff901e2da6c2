//! The cheapest set of items that satisfies a condition which more items never break: branch and bound with
//! an admissible bound. Knows nothing of audio, so that a test can hold it against exhaustive search.

/// A condition over sets of items, and what is known about its price.
pub trait Covering {
    /// Price of an item.
    fn price(&self, item: usize) -> u32;
    /// Whether `chosen` satisfies the condition. Adding items must never make a satisfied condition fail, except
    /// where [`Covering::hopeful`] allows for it.
    fn satisfied(&mut self, chosen: &[usize]) -> bool;
    /// Whether some subset of `open` added to `chosen` might satisfy the condition; may err on the side of yes.
    fn hopeful(&mut self, chosen: &[usize], open: &[usize]) -> bool;
    /// A lower bound of the price of what has to be added from `open` (never more than the truth), and the
    /// position in `open` of the item to decide next.
    fn bound(&mut self, chosen: &[usize], open: &[usize]) -> (u32, usize);
}

/// The cheapest set found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cover {
    /// The items, rising.
    pub chosen: Vec<usize>,
    /// Their price.
    pub price: u32,
    /// Proven cheapest; otherwise the search was cut short and the truth lies between `at_least` and `price`.
    pub exact: bool,
    /// Proven lower bound.
    pub at_least: u32,
}

/// Nodes of the search tree that are visited before the search is cut short.
pub const SEARCH_NODES: usize = 20_000;

/// What a search came to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Found {
    /// A set, with its price.
    Set(Cover),
    /// Every set costs more than `most`: at least this.
    Dearer(u32),
    /// No set satisfies the condition.
    Nothing,
}

/// Finds the cheapest set of `items`, on top of `given`, whose price with `given` is at most `most`.
pub fn cheapest(problem: &mut impl Covering, given: &[usize], items: &[usize], most: u32) -> Found {
    let base: u32 = given.iter().map(|&i| problem.price(i)).sum();
    if problem.satisfied(given) {
        return if base <= most {
            Found::Set(Cover { chosen: given.to_vec(), price: base, exact: true, at_least: base })
        } else {
            Found::Dearer(base)
        };
    }
    if !problem.hopeful(given, items) {
        return Found::Nothing;
    }
    let (floor, _) = problem.bound(given, items);
    if base + floor > most {
        return Found::Dearer(base + floor);
    }
    let mut search = Search { problem, best: None, limit: i64::from(most), visited: 0 };
    let mut chosen = given.to_vec();
    search.descend(&mut chosen, items.to_vec(), base, true);
    let exact = search.visited < SEARCH_NODES;
    match search.best {
        Some((price, mut chosen)) => {
            chosen.sort_unstable();
            let at_least = if exact { price } else { base + floor };
            Found::Set(Cover { chosen, price, exact, at_least })
        }
        None if most == u32::MAX && exact => Found::Nothing,
        None => Found::Dearer(if exact { most.saturating_add(1) } else { base + floor }),
    }
}

struct Search<'p, P: Covering> {
    problem: &'p mut P,
    best: Option<(u32, Vec<usize>)>,
    /// Sets dearer than this are of no interest; below zero once something free was found.
    limit: i64,
    visited: usize,
}

impl<P: Covering> Search<'_, P> {
    /// Decides the items of `open` one by one; `fresh` when `chosen` has not been judged yet.
    fn descend(&mut self, chosen: &mut Vec<usize>, mut open: Vec<usize>, price: u32, fresh: bool) {
        self.visited += 1;
        if self.visited >= SEARCH_NODES || i64::from(price) > self.limit {
            return;
        }
        if fresh && self.problem.satisfied(chosen) {
            self.best = Some((price, chosen.clone()));
            self.limit = i64::from(price) - 1;
            return;
        }
        // What no longer fits the purse cannot be part of an answer.
        open.retain(|&i| i64::from(price + self.problem.price(i)) <= self.limit);
        if open.is_empty() {
            return;
        }
        let (floor, next) = self.problem.bound(chosen, &open);
        if i64::from(price) + i64::from(floor) > self.limit || !self.problem.hopeful(chosen, &open) {
            return;
        }
        let item = open.swap_remove(next.min(open.len() - 1));
        chosen.push(item);
        self.descend(chosen, open.clone(), price + self.problem.price(item), true);
        chosen.pop();
        self.descend(chosen, open, price, false);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Two needs to be met by items with gains for each: a covering problem with a fractional bound.
    struct Needs {
        prices: Vec<u32>,
        gains: Vec<[f64; 2]>,
        need: [f64; 2],
    }

    impl Needs {
        fn left(&self, chosen: &[usize], k: usize) -> f64 {
            self.need[k] - chosen.iter().map(|&i| self.gains[i][k]).sum::<f64>()
        }
    }

    impl Covering for Needs {
        fn price(&self, item: usize) -> u32 {
            self.prices[item]
        }
        fn satisfied(&mut self, chosen: &[usize]) -> bool {
            (0..2).all(|k| self.left(chosen, k) <= 0.0)
        }
        fn hopeful(&mut self, chosen: &[usize], open: &[usize]) -> bool {
            let all: Vec<usize> = chosen.iter().chain(open).copied().collect();
            self.satisfied(&all)
        }
        fn bound(&mut self, chosen: &[usize], open: &[usize]) -> (u32, usize) {
            let mut best = (0, 0);
            for k in 0..2 {
                let gains: Vec<(f64, u32)> =
                    open.iter().map(|&i| (self.gains[i][k], self.prices[i])).collect();
                best = best.max(super::super::bound::fractional(self.left(chosen, k), &gains));
            }
            best
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(600))]
        #[test]
        fn as_cheap_as_exhaustive_search(
            items in prop::collection::vec((0u32..7, 0.0f64..10.0, 0.0f64..10.0), 1..11),
            need in (0.0f64..40.0, 0.0f64..40.0),
        ) {
            let mut problem = Needs {
                prices: items.iter().map(|i| i.0).collect(),
                gains: items.iter().map(|i| [i.1, i.2]).collect(),
                need: [need.0, need.1],
            };
            let all: Vec<usize> = (0..items.len()).collect();
            let sets = (0u32..1 << items.len()).map(|mask| all.iter().copied().filter(|i| mask >> i & 1 == 1).collect::<Vec<_>>());
            let truth = sets.filter(|s| problem.satisfied(s)).map(|s| s.iter().map(|&i| items[i].0).sum::<u32>()).min();
            match cheapest(&mut problem, &[], &all, u32::MAX) {
                Found::Set(cover) => {
                    prop_assert!(cover.exact && problem.satisfied(&cover.chosen));
                    prop_assert_eq!(Some(cover.price), truth);
                }
                Found::Nothing => prop_assert_eq!(truth, None),
                Found::Dearer(_) => prop_assert!(false, "no purse was given"),
            }
        }
    }
}
