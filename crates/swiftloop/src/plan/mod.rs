//! `plan`: one screen with the answer, what to do first and the next measurement; one phase on one interface in full; or
//! everything.

pub mod choice;
mod drawing;
mod json;
pub mod options;
pub mod run;
mod sheet;
mod text;
pub mod two_plans;
#[cfg(target_os = "linux")]
pub mod weighed;

pub use choice::alone;
pub use drawing::svg;
pub use json::json;
pub use text::{lead, show};
