//! The cheapest set of items that satisfies a condition which more items never break: branch and bound with
//! an admissible bound. Knows nothing of audio, so that a test can hold it against exhaustive search.

/// A condition over sets of items, and what is known about their effort.
pub trait SetProblem {
    /// What sets are made of.
    type Item: Copy + Ord;
    /// What choosing a set leaves behind: worked out once for every set that is looked at.
    type State;
    /// What was worked out so far, in whatever is a measure of it.
    fn spent(&self) -> u64 {
        0
    }
    /// Effort of an item.
    fn effort(&self, item: Self::Item) -> u32;
    /// Whether two items cannot stand in one set.
    fn excludes(&self, one: Self::Item, other: Self::Item) -> bool {
        let _ = (one, other);
        false
    }
    /// Whether whatever `worse` does `better` does as well, for the same effort: who leaves the better one leaves the other too.
    fn covers(&self, better: Self::Item, worse: Self::Item) -> bool {
        let _ = (better, worse);
        false
    }
    /// What `chosen` leaves behind.
    fn state(&self, chosen: &[Self::Item]) -> Self::State;
    /// Whether a set satisfies the condition. Adding items must never make a satisfied condition fail, except
    /// where [`SetProblem::hopeful`] allows for it.
    fn satisfied(&self, state: &Self::State) -> bool;
    /// Whether some subset of `open` added to `chosen` might satisfy the condition; may err on the side of yes.
    fn hopeful(&self, state: &Self::State, chosen: &[Self::Item], open: &[Self::Item]) -> bool;
    /// What has to be added from `open` at the least. With a `cap` it is enough to know whether it is more than that.
    fn floor(
        &self,
        state: &Self::State,
        chosen: &[Self::Item],
        open: &[Self::Item],
        cap: Option<u32>,
    ) -> EffortBound;
}

/// A lower bound of what has to be added, and where to go on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
pub struct EffortBound {
    /// Never more than the truth.
    pub effort: u32,
    /// Position among the open items of the one to decide next.
    pub next: usize,
}

/// The cheapest set found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CheapestSet<I> {
    pub chosen: Vec<I>,
    pub effort: u32,
    /// Proven cheapest; otherwise the search was cut short and the truth lies between `at_least` and `effort`.
    pub exact: bool,
    pub at_least: u32,
}

/// Nodes of the search tree that are visited before the search is cut short.
pub const SEARCH_NODES: usize = 20_000;

/// How long a search goes on.
#[derive(Debug, Clone, Copy)]
pub struct NodeBudget {
    /// Nodes that are visited at the most.
    pub nodes: usize,
    /// It ends when as much as this was worked out ([`SetProblem::spent`]), before it or in it.
    pub spent: u64,
}

impl NodeBudget {
    /// So many nodes, whatever they take.
    #[must_use]
    pub const fn nodes(nodes: usize) -> Self {
        Self { nodes, spent: u64::MAX }
    }
}

/// What a search came to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SearchResult<I> {
    /// A set, with its effort.
    Set(CheapestSet<I>),
    /// Every set takes more than `most`: at least this.
    Dearer(u32),
    /// No set satisfies the condition.
    Nothing,
}

/// Finds the cheapest set of `items`, on top of `given`, whose effort with `given` is at most `most`.
pub fn cheapest_set<P: SetProblem>(
    problem: &P,
    given: &[P::Item],
    items: &[P::Item],
    most: u32,
) -> SearchResult<P::Item> {
    cheapest_set_within(problem, given, items, most, NodeBudget::nodes(SEARCH_NODES)).0
}

/// The same within a node budget; and how many nodes it took.
pub fn cheapest_set_within<P: SetProblem>(
    problem: &P,
    given: &[P::Item],
    items: &[P::Item],
    most: u32,
    node_budget: NodeBudget,
) -> (SearchResult<P::Item>, usize) {
    let base: u32 = given.iter().map(|&i| problem.effort(i)).sum();
    let state = problem.state(given);
    if problem.satisfied(&state) {
        let set = CheapestSet { chosen: given.to_vec(), effort: base, exact: true, at_least: base };
        return (if base <= most { SearchResult::Set(set) } else { SearchResult::Dearer(base) }, 0);
    }
    if !problem.hopeful(&state, given, items) {
        return (SearchResult::Nothing, 0);
    }
    let least = base + problem.floor(&state, given, items, Some(most.saturating_sub(base))).effort;
    if least > most {
        return (SearchResult::Dearer(least), 0);
    }
    let all = items.iter().fold(base, |sum, &i| sum.saturating_add(problem.effort(i)));
    let mut search = Search {
        problem,
        found: Vec::new(),
        limit: i64::from(most),
        cheaper: true,
        most: 1,
        visited: 0,
        node_budget,
        cut: false,
    };
    search.descend(&mut given.to_vec(), &state, items.to_vec(), base, false);
    let exact = !search.cut;
    let visited = search.visited;
    let found = match search.found.pop() {
        Some((effort, chosen)) => {
            let at_least = if exact { effort } else { least };
            SearchResult::Set(CheapestSet { chosen, effort, exact, at_least })
        }
        // Looked at whole, with a cap for everything there is: a bound was too hopeful, and nothing will do.
        None if exact && (most == u32::MAX || most >= all) => SearchResult::Nothing,
        None => SearchResult::Dearer(if exact { most.saturating_add(1) } else { least }),
    };
    (found, visited)
}

/// Sets that are looked at when several are equally cheap, and nodes visited to find them.
const MOST_EQUALS: (usize, usize) = (48, 400);

/// Sets of `items`, on top of `given`, that satisfy the condition for `effort`, the cheapest there is; up to a number of
/// them.
pub fn equally_cheap<P: SetProblem>(
    problem: &P,
    given: &[P::Item],
    items: &[P::Item],
    effort: u32,
) -> Vec<Vec<P::Item>> {
    let base: u32 = given.iter().map(|&i| problem.effort(i)).sum();
    let (most, nodes) = MOST_EQUALS;
    let limit = i64::from(effort);
    let node_budget = NodeBudget::nodes(nodes);
    let mut search = Search {
        problem,
        found: Vec::new(),
        limit,
        cheaper: false,
        most,
        visited: 0,
        node_budget,
        cut: false,
    };
    search.descend(&mut given.to_vec(), &problem.state(given), items.to_vec(), base, true);
    search.found.into_iter().map(|(_, set)| set).collect()
}

struct Search<'p, P: SetProblem> {
    problem: &'p P,
    /// Sets that satisfy the condition, with their effort.
    found: Vec<(u32, Vec<P::Item>)>,
    /// Sets dearer than this are of no interest; below zero once something free was found.
    limit: i64,
    /// What was found is of no interest any more once something cheaper is; else all are kept, up to `most`.
    cheaper: bool,
    most: usize,
    visited: usize,
    node_budget: NodeBudget,
    /// NodeBudget came to its end.
    cut: bool,
}

impl<P: SetProblem> Search<'_, P> {
    fn is_over(&mut self) -> bool {
        self.cut |= self.visited >= self.node_budget.nodes || self.problem.spent() >= self.node_budget.spent;
        self.cut || !self.cheaper && self.found.len() >= self.most
    }

    /// Decides the items of `open` one by one; `fresh` when `chosen` has not been judged yet.
    fn descend(
        &mut self,
        chosen: &mut Vec<P::Item>,
        state: &P::State,
        mut open: Vec<P::Item>,
        effort: u32,
        fresh: bool,
    ) {
        self.visited += 1;
        if self.is_over() || i64::from(effort) > self.limit {
            return;
        }
        if fresh && self.problem.satisfied(state) {
            let mut set = chosen.clone();
            set.sort_unstable();
            if self.cheaper {
                self.found.clear();
                self.limit = i64::from(effort) - 1;
            }
            self.found.push((effort, set));
            return;
        }
        // What no longer fits the effort cap cannot be part of an answer.
        open.retain(|&i| i64::from(effort + self.problem.effort(i)) <= self.limit);
        if open.is_empty() {
            return;
        }
        let cap = u32::try_from(self.limit - i64::from(effort)).unwrap_or(0);
        let floor = self.problem.floor(state, chosen, &open, Some(cap));
        if floor.effort > cap || !self.problem.hopeful(state, chosen, &open) {
            return;
        }
        let item = open.swap_remove(floor.next.min(open.len() - 1));
        chosen.push(item);
        let with = self.problem.state(chosen);
        let beside = open.iter().copied().filter(|&i| !self.problem.excludes(item, i)).collect();
        self.descend(chosen, &with, beside, effort + self.problem.effort(item), true);
        chosen.pop();
        open.retain(|&i| !self.problem.covers(item, i));
        self.descend(chosen, state, open, effort, false);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Two needs to be met by items with gains for each: a covering problem with a fractional bound.
    struct Needs {
        efforts: Vec<u32>,
        gains: Vec<[f64; 2]>,
        need: [f64; 2],
    }

    impl Needs {
        fn left(&self, chosen: &[usize], k: usize) -> f64 {
            self.need[k] - chosen.iter().map(|&i| self.gains[i][k]).sum::<f64>()
        }
    }

    impl SetProblem for Needs {
        type Item = usize;
        type State = Vec<usize>;
        fn state(&self, chosen: &[usize]) -> Vec<usize> {
            chosen.to_vec()
        }
        fn effort(&self, item: usize) -> u32 {
            self.efforts[item]
        }
        fn satisfied(&self, chosen: &Vec<usize>) -> bool {
            (0..2).all(|k| self.left(chosen, k) <= 0.0)
        }
        fn hopeful(&self, _: &Vec<usize>, chosen: &[usize], open: &[usize]) -> bool {
            let all: Vec<usize> = chosen.iter().chain(open).copied().collect();
            self.satisfied(&all)
        }
        fn floor(&self, _: &Vec<usize>, chosen: &[usize], open: &[usize], _: Option<u32>) -> EffortBound {
            let of = |k: usize| {
                let gains: Vec<(f64, u32)> =
                    open.iter().map(|&i| (self.gains[i][k], self.efforts[i])).collect();
                super::super::relaxation::fractional(self.left(chosen, k), &gains)
            };
            of(0).max(of(1))
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(600))]
        #[test]
        fn as_cheap_as_exhaustive_search(
            items in prop::collection::vec((0u32..7, 0.0f64..10.0, 0.0f64..10.0), 1..11),
            need in (0.0f64..40.0, 0.0f64..40.0),
        ) {
            let problem = Needs {
                efforts: items.iter().map(|i| i.0).collect(),
                gains: items.iter().map(|i| [i.1, i.2]).collect(),
                need: [need.0, need.1],
            };
            let all: Vec<usize> = (0..items.len()).collect();
            let sets = (0u32..1 << items.len()).map(|mask| all.iter().copied().filter(|i| mask >> i & 1 == 1).collect::<Vec<_>>());
            let truth = sets.filter(|s| problem.satisfied(s)).map(|s| s.iter().map(|&i| items[i].0).sum::<u32>()).min();
            match cheapest_set(&problem, &[], &all, u32::MAX) {
                SearchResult::Set(set) => {
                    prop_assert!(set.exact && problem.satisfied(&set.chosen));
                    prop_assert_eq!(Some(set.effort), truth);
                }
                SearchResult::Nothing => prop_assert_eq!(truth, None),
                SearchResult::Dearer(_) => prop_assert!(false, "no cap was given"),
            }
        }
    }
}
