//! The ways in which drivers hold blocks between program and output. All are told alike: by the delay on the way out once a
//! block was captured, and by how late the program may be; how the two go together is what tells the ways apart.

use serde::Deserialize;
use swiftloop_units::{Blocks, Range};

/// How a driver holds blocks for the output.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum BufferScheme {
    /// Two halves that are switched: while one plays the program fills the other. One block out, and as late as that.
    DoubleBuffer,
    /// A ring of n blocks that starts full of silence; the program is woken by a captured block and writes at once. It gives
    /// n blocks from input to output, n − 1 of them on the way out, and the program may be late by these n − 1.
    Ring,
    /// A ring above the system's own mixer, which takes its block from it: one block more out, and no later for it.
    Queue,
    /// A server with a block of its own: its clients have one block's time, however many lie between server and device.
    Server,
}

impl BufferScheme {
    /// Blocks out when the panel is set to so many; `usual` is what the table says of its usual number.
    #[must_use]
    pub fn blocks_out(self, count: u32, usual: Range<Blocks>) -> Range<Blocks> {
        let ring = Blocks::new(f64::from(count.max(2) - 1));
        match self {
            Self::DoubleBuffer | Self::Ring => Range::exact(ring),
            Self::Queue => Range::exact(ring + Blocks::new(1.0)),
            // Two blocks are the usual ring; what lies above it stays.
            Self::Server => usual.map(|b| b + ring - Blocks::new(1.0)),
        }
    }

    /// By how many blocks the program may be late when so many lie on the way out; one at the least, in which it works.
    #[must_use]
    pub fn bears(self, out: Range<Blocks>) -> Range<Blocks> {
        let one = Blocks::new(1.0);
        match self {
            Self::DoubleBuffer | Self::Ring => out.at_least(one),
            Self::Queue => out.map(|b| b - one).at_least(one),
            Self::Server => Range::exact(one),
        }
    }
}
