//! The outside world: what only the running computer can say, and an interface that is not there for want of one
//! that is ([`simulated`]). The idea is that everything asked of the operating system is asked here and nowhere else.

mod computer;
pub mod simulated;

pub use computer::{Computer, look};
