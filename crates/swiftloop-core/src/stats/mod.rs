//! The few statistics that no well-kept crate has. Numbers in, numbers and their intervals out.

mod cholesky;
mod pareto;
mod student;

pub use cholesky::cholesky;
pub use pareto::{Pareto, ParetoFit, fit_pareto};
pub use student::student_t_975;
