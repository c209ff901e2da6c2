//! What measurements say: recordings, kernel events, times of a processor that ran and packets of a line come in; delays, faults,
//! late blocks, costs and losses go out, each with its doubt. Nothing in here knows a rig, a session or a plan, reads a file or
//! asks the operating system, so every reading is a pure function of what was measured.
//!
//! | folder | in → out |
//! | --- | --- |
//! | [`probe`] | the test signal, and what came back → delay, drift, jitter, polarity, gain; round trips at several buffers → a line |
//! | [`listen`] | a recording → crackles: where, what kind, how long, which block size explains them |
//! | [`trace`] | kernel events → late blocks, who held the core, how many would be in time without |
//! | [`weigh`] | how long calls of a processor took → what a call and a frame cost, and its bursts |
//! | [`link`] | packets sent and received → delay, jitter, loss, clocks → receive buffer |

#![forbid(unsafe_code)]

pub mod link;
pub mod listen;
pub mod probe;
pub mod trace;
pub mod weigh;
