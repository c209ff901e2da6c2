//! The outside world: what only the running computer can say, and an interface that is not there for want of one
//! that is ([`simulated`]). The idea is that everything asked of the operating system is asked here and nowhere else.

#![deny(clippy::undocumented_unsafe_blocks)]

mod computer;
#[cfg(test)]
mod counting;
pub mod jack;
pub mod link;
pub mod simulated;
pub mod soak;
#[cfg(feature = "sound")]
pub mod sound;
pub mod survey;
#[cfg(target_os = "linux")]
pub mod trace;
#[cfg(target_os = "linux")]
pub mod tunables;
#[cfg(target_os = "linux")]
pub mod weigh;

/// Whether this build loads libraries: audio servers' and processors'. One that stands alone (linked with all that it needs, so that it
/// runs on any Linux) has nothing to load them with.
pub const LOADS_LIBRARIES: bool = cfg!(not(all(target_os = "linux", target_feature = "crt-static")));

pub use computer::{ComputerFacts, look, processor_name};
