//! The outside world: what only the running computer can say, and an interface that is not there for want of one
//! that is ([`simulated`]). The idea is that everything asked of the operating system is asked here and nowhere else.

#![deny(clippy::undocumented_unsafe_blocks)]

mod computer;
#[cfg(test)]
mod counting;
pub mod jack;
#[cfg(target_os = "linux")]
pub mod levers;
pub mod link;
pub mod simulated;
pub mod soak;
#[cfg(feature = "sound")]
pub mod sound;
pub mod survey;
#[cfg(target_os = "linux")]
pub mod trace;
#[cfg(target_os = "linux")]
pub mod weigh;

pub use computer::{Computer, look, processor_name};
