//! Playing together over a network. Packets that were sent and came back come in, or a distance; delay, variation, loss and
//! clocks of the way go out, and the receive buffer that bridges them. Once its variation has become a buffer of a fixed length, a
//! way over the network is a delay like any other.
//!
//! | module | in → out |
//! | --- | --- |
//! | [`stamp`] | test packets of RFC 8762 ↔ what they say |
//! | [`reflector`] | a packet that arrived → the answer, or none |
//! | [`exchange`] | what was sent and what came back → each packet's way there and back, losses, strays |
//! | `clocks` | ways measured with two clocks → how much faster theirs runs, and variation without it |
//! | [`late`] | variation → packets that are too late for a buffer, an hour, with doubt |
//! | [`analyse`], [`measured`] | all of it → what is said of a way |
//! | [`receive`] | that, and what is allowed → receive buffer, spare packets, a buffer that follows |
//! | [`packet`] | what a packet carries → bytes, line rate, delay; the table of choices |

pub mod analyse;
mod clocks;
pub mod exchange;
pub mod late;
pub mod measured;
pub mod packet;
pub mod receive;
pub mod reflector;
pub mod stamp;
