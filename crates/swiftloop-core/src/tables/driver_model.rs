//! Driver models: what each adds to a loop, which buffers it runs, and which audio server it goes through. A row of the
//! data files comes in; the smallest block at a rate goes out.

use super::BufferScheme;
use serde::Deserialize;
use swiftloop_units::{Block, Blocks, Hz, Ms, Range};

/// One driver model as the operating system or open standard defines it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DriverModel {
    /// Word used in rig files and on the command line.
    pub id: String,
    pub name: String,
    /// The audio server that it goes through, where it goes through one.
    #[serde(default)]
    pub server: Option<ServerKind>,
    /// Operating systems that have it.
    pub systems: Vec<String>,
    /// How it holds blocks for the output.
    pub way: BufferScheme,
    /// Blocks held between the converter and the program on the way in.
    pub blocks_in: Range<Blocks>,
    /// Blocks held on the way out.
    pub blocks_out: Range<Blocks>,
    /// Delay that does not depend on the buffer, in.
    pub fixed_in_ms: Range<Ms>,
    /// Delay that does not depend on the buffer, out.
    pub fixed_out_ms: Range<Ms>,
    /// The smallest block it runs at.
    pub smallest_block: Block,
    /// The shortest period it runs at, whatever the frame count (0 when there is none).
    pub smallest_ms: Ms,
    /// Other programs keep their sound.
    pub shared: bool,
    /// It converts the rate by itself when rates disagree.
    pub resamples: bool,
    /// Good enough to play through.
    pub live: bool,
    /// Where the figures come from, or why they are what they are.
    pub source: String,
}

/// An audio server, by the name that it has in surveys.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
pub enum ServerKind {
    #[serde(rename = "JACK")]
    Jack,
    PipeWire,
}

impl ServerKind {
    /// The name that surveys give it.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Jack => "JACK",
            Self::PipeWire => "PipeWire",
        }
    }
}

impl DriverModel {
    /// The smallest block that drivers of this model run at `rate`.
    #[must_use]
    pub fn smallest_at(&self, rate: Hz) -> Block {
        self.smallest_block.max(Block::new(self.smallest_ms.frames_at(rate).raw().ceil() as u32))
    }
}
