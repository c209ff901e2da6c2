//! Words for what the core computed: one way to say each figure, leg, reason, remedy, warning and finding, for every view.
//! Data comes in, studio English goes out.

pub mod contradictions;
pub mod differences;
pub mod figures;
pub mod legs;
pub mod reasons;
pub mod refusals;
pub mod remedies;
pub mod settings;
pub mod survey;
pub mod thieves;
pub mod trials;
#[cfg(target_os = "linux")]
pub mod tunables;
pub mod warnings;

#[cfg(test)]
mod tests;

pub use refusals::Explain;
pub use trials::InContext;
