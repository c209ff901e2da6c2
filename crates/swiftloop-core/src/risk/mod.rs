//! Risk: how often the sound breaks. The worst block (and how often it comes), the machine's wake-up delays
//! and the deadline come in; dropouts per hour with low, typical and high come out. The one idea: a block
//! breaks when `wake-up delay + work × variation > deadline`, so a crackle is the tail of a sum, not a
//! percentage of load.

mod backlog;
mod model;
mod resources;
mod wake;

pub use backlog::mean_blocks_to_dropout;
pub use model::{DropoutVerdict, Dropouts, EACH_COUNTS, RiskModel, verdict};
pub use resources::{disk_dropouts, memory_dropouts};
pub use wake::{Wake, WakeSet};
