//! The few statistics that no well-kept crate has. Numbers in, numbers and their intervals out.

mod pareto;

pub use pareto::{Pareto, ParetoFit, fit_pareto};
