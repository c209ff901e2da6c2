//! `weigh`: processors are run in processes of their own, and what they cost is kept.

pub mod options;

#[cfg(target_os = "linux")]
pub mod run;
#[cfg(target_os = "linux")]
pub mod text;
#[cfg(target_os = "linux")]
#[cfg(target_os = "linux")]
mod weighing;

#[cfg(target_os = "linux")]
pub use weighing::{WeighOrder, WeighedProcessor, Weighing};
