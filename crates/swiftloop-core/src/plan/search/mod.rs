//! The cheapest remedies: every arrangement of a phase comes in; for each that could matter the cheapest set of remedies goes out, with
//! its gap where the budget was spent, or how far it misses. [`cheapest_set`] knows nothing of audio; `bound`, `load_bound` and
//! `relaxation` say what is missing at the least; `solve` goes through the arrangements, `budget` shares out what may be worked out.

mod arrangements;
mod bound;
mod budget;
mod candidate;
mod cheapest_set;
mod lines;
mod load_bound;
mod relaxation;
mod solve;

pub(super) use budget::{share_of, solved};
pub use candidate::{Candidate, Met, Outcome};
pub use cheapest_set::{CheapestSet, EffortBound, SearchResult, SetProblem, cheapest_set};
pub(super) use solve::solve_in;
pub use solve::{candidates, solve};
