//! One way to reach an interface: what the rig file says of it, and what was reported and measured there.

use super::{Buffers, Offered};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use swiftloop_units::{Block, Blocks, Frames, Hz, Range};

/// A driver of an interface.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Driver {
    /// Driver model from the table (`asio`, `alsa`, …).
    pub model: String,
    /// Short word to refer to it (the model when left out).
    pub id: Option<String>,
    /// Sample rates it offers.
    pub rates_hz: Vec<Hz>,
    /// Bit depths it offers.
    #[serde(default = "depth_24")]
    pub depths: Vec<u32>,
    /// Buffers it offers.
    pub buffers: Buffers,
    /// Blocks held in, if not what the table says of the model.
    pub blocks_in: Option<Range<Blocks>>,
    /// Blocks of delay on the way out once a block was captured, if not what the table says of the model. (A ring of n blocks
    /// gives n − 1.)
    pub blocks_out: Option<Range<Blocks>>,
    /// Other programs keep their sound, if not what the table says of the model.
    pub shared: Option<bool>,
    /// Latencies that the driver reports.
    #[serde(default)]
    pub reported: Vec<Reported>,
    /// Round trips that were measured.
    #[serde(default)]
    pub measured: Vec<MeasuredTrip>,
}

fn depth_24() -> Vec<u32> {
    vec![24]
}

/// Latency that a driver claims at one setting.
#[derive(Debug, Clone, Copy, Deserialize, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reported {
    /// At this rate.
    pub rate_hz: Hz,
    /// At this buffer.
    pub buffer_frames: Block,
    /// Claimed delay in.
    pub in_frames: Frames,
    /// Claimed delay out.
    pub out_frames: Frames,
}

/// A measured round trip from output connector to input connector.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MeasuredTrip {
    /// At this rate.
    pub rate_hz: Hz,
    /// At this buffer; left out when the panel shows only a named speed.
    pub buffer_frames: Option<Block>,
    /// At this named speed.
    pub speed: Option<String>,
    /// The round trip.
    pub round_trip_frames: Range<Frames>,
    /// Blocks that the panel was set to, where it offers a number of them times a size.
    pub blocks: Option<u32>,
}

impl MeasuredTrip {
    /// Whether it was measured at this very buffer. A trip that does not say how many blocks it was measured with holds for
    /// the usual number, not for more.
    #[must_use]
    pub fn is_at(&self, buffer: &Offered) -> bool {
        let size = match &buffer.speed {
            Some(name) => self.speed.as_ref() == Some(name),
            None => self.buffer_frames == Some(buffer.block),
        };
        size && self.is_with(buffer)
    }

    /// Whether it was measured with as many blocks as this buffer has.
    #[must_use]
    pub fn is_with(&self, buffer: &Offered) -> bool {
        match (self.blocks, buffer.count) {
            (Some(measured), Some(set)) => measured == set,
            (None, _) => !buffer.extra_blocks,
            (Some(_), None) => true,
        }
    }
}

impl Driver {
    /// The short word that refers to this driver.
    #[must_use]
    pub fn id(&self) -> &str {
        self.id.as_deref().unwrap_or(&self.model)
    }
}
