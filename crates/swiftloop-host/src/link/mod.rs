//! A way over the network, measured: packets of RFC 8762 go out at the pace of sound, and what comes back is noted. What to
//! measure comes in; an [`Exchange`](swiftloop_measure::link::exchange::Exchange) goes out, for the core to make sense of. The kernel says when a packet went and came, so nothing here has to be quick but the thread that sends.
//!
//! Nothing is sent to whoever does not answer, but a greeting; and no more than [`MOST_PER_SECOND`] packets.

mod clock;
mod measure;
mod reflect;
mod sender;
mod socket;

pub use measure::{Ask, LineRun, MOST_PER_SECOND, Progress, TrafficPattern, measure, own};
pub use reflect::{RunningReflector, reflect};
pub use socket::LinkError;
