//! `try`: one setting, the answer first, every leg, what the plan chose instead.

mod json;
mod svg;
mod text;

pub use json::json;
pub use svg::svg;
pub use text::{lead, show};
