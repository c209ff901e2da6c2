//! Risk: how often the sound breaks. The worst block (and how often it comes), the machine's wake-up delays
//! and the deadline come in; dropouts per hour with low, typical and high come out. A block
//! breaks when `wake-up delay + work × variation > deadline`, so a crackle is the tail of a sum, not a
//! percentage of load.

mod backlog;
mod meter;
mod model;
mod pace;
mod remembered;
mod resources;
mod two_causes;
mod wake;
mod work;

pub use crate::doubt::DropoutVerdict;
pub use backlog::{BacklogWalk, Takes, dropouts_per_block};
pub use meter::StepMeter;
pub use model::{Dropouts, RiskModel};
pub use pace::{DelayLaw, Pace};
pub use remembered::Remembered;
pub use resources::{disk_dropouts, disk_rate, memory_dropouts};
pub use wake::{Wake, WakeSet};
pub use work::BlockMix;
