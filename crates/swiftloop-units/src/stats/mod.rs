//! The few statistics that no well-kept crate has. Numbers in, numbers and their intervals out.

mod cholesky;
mod order;
mod pareto;

pub use cholesky::cholesky;
pub use order::{median, quantile};
pub use pareto::{HEAVIEST, Pareto, ParetoFit, fit_pareto};
