//! `plan`: one screen with the answer, what to do first and the next measurement; one phase on one interface in full; or
//! everything.

mod choice;
mod json;
pub mod lines;
mod sheet;
mod svg;
mod text;
pub mod two_plans;
#[cfg(target_os = "linux")]
pub mod weighed;

pub use choice::{alone, effort, lead as lead_of, sentences};
pub use json::json;
pub use svg::svg;
pub use text::{lead, show};
