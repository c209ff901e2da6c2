//! `try`: one setting, the answer first, every leg, what the plan chose instead.

mod described;
mod drawing;
pub mod fileless;
pub mod fileless_text;
mod json;
pub mod options;
pub mod run;
mod text;

pub use drawing::svg;
pub use json::json;
pub use text::{lead, show};
