//! One way to reach an interface: what the rig file says of it, and what was reported and measured there.

use super::Buffers;
use crate::units::{Block, Blocks, Frames, Hz, Range};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

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
    /// Blocks held out, if not what the table says of the model.
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
}

impl Driver {
    /// The short word that refers to this driver.
    #[must_use]
    pub fn id(&self) -> &str {
        self.id.as_deref().unwrap_or(&self.model)
    }
}
