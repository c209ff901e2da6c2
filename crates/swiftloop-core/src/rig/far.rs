//! A far side as a person writes it, and what is known of it once it was checked.

use crate::rig;
use crate::rig::FarSetting;
use crate::rig::{Rig, Setting};
use crate::tables::LineKind;
use schemars::JsonSchema;
use serde::Deserialize;
use std::sync::Arc;
use swiftloop_measure::link::measured::Measured;
use swiftloop_measure::link::packet::Spare;
use swiftloop_units::{Block, KilobitsPerSecond, Kilometres, Ms, Range};

/// The other end of a session over a network.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Far {
    /// Short word to refer to it.
    pub id: String,
    /// A name for people.
    pub name: Option<String>,
    /// The way there as `link measure --save` kept it: a file beside the rig.
    pub link: Option<String>,
    /// What that file says.
    #[serde(skip)]
    pub measured: Option<Arc<Measured>>,
    /// How far it is in a straight line; together with the kind of line where nothing was measured.
    pub distance_km: Option<Range<Kilometres>>,
    /// Kind of line at both ends: `glass`, `campus`, `cable`, `copper`, `mobile` or `satellite`.
    #[serde(default = "cable")]
    pub line: String,
    /// Wireless between computer and router, here or there.
    #[serde(default)]
    pub wireless: bool,
    /// Other traffic on the line meanwhile: uploads, backups, films.
    #[serde(default)]
    pub other_traffic: bool,
    /// What the slower of both lines carries towards the network.
    pub up_kbit_s: Option<KilobitsPerSecond>,
    /// Frames in a packet as it is set now (as large as one block of the interface when left out).
    pub packet_frames: Option<Block>,
    /// Channels that go over the line, each way.
    #[serde(default = "two")]
    pub channels: u32,
    /// Bits of a sample on the line: 16, 24 or 32.
    #[serde(default = "sixteen")]
    pub depth: u32,
    /// Bit rate on the line where samples are squeezed, all channels together.
    pub squeezed_kbit_s: Option<KilobitsPerSecond>,
    /// Packets are sent with spare ones: `twice` or `parity`.
    #[serde(default = "no_spare")]
    #[schemars(with = "String")]
    pub spare: Spare,
    /// The receive buffer as it is set now, at both ends.
    pub receive_buffer_ms: Option<Ms>,
    /// Their interface.
    #[serde(default)]
    pub theirs: Theirs,
    /// Their rig, as a file beside this one, in the place of `theirs`.
    pub rig: Option<String>,
    /// What that file says.
    #[serde(skip)]
    pub their_rig: Option<Box<rig::Description>>,
    /// The id of the meeting point through which packets go now; straight to each other when left out.
    pub through: Option<String>,
    /// Meeting points that they can reach, and how far these are from them.
    #[serde(default)]
    pub meets: Vec<Meets>,
}

/// How far a meeting point is from a far side.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Meets {
    /// The id of the meeting point.
    pub at: String,
    /// How far, in a straight line.
    pub km: Range<Kilometres>,
}

/// Their interface.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Theirs {
    /// Driver model; with a rig of theirs the driver there (its first when left out).
    pub driver: Option<String>,
    /// How it is connected.
    pub connection: String,
    /// Its buffer.
    pub buffer_frames: Block,
    /// With a rig of theirs: the interface there (its first when left out).
    pub interface: Option<String>,
}

impl Default for Theirs {
    fn default() -> Self {
        Self { driver: None, connection: "usb2".into(), buffer_frames: Block::new(128), interface: None }
    }
}

/// A place in the network where everybody's sound is mixed.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Meeting {
    /// Short word to refer to it.
    pub id: String,
    /// A name for people.
    pub name: Option<String>,
    /// How far it is from us, in a straight line.
    pub km: Range<Kilometres>,
    /// The way there as `link measure --save` kept it: a file beside the rig.
    pub link: Option<String>,
    /// What that file says.
    #[serde(skip)]
    pub measured: Option<Arc<Measured>>,
    /// How long it takes to mix: a block of its own.
    pub mixing_ms: Option<Range<Ms>>,
    /// What comes back holds one's own sound as well, and that is what one hears of oneself.
    #[serde(default)]
    pub returns_you: bool,
}

/// What is known of a far side.
#[derive(Debug, Clone)]
pub struct FarKnown {
    /// The kind of its line.
    pub line: LineKind,
    /// Their rig, with the setting that they use.
    pub theirs: Arc<(Rig, Setting)>,
}

impl Far {
    /// A far side of which nothing is said but its id.
    #[must_use]
    pub fn plain(id: &str) -> Self {
        Self {
            id: id.into(),
            name: None,
            link: None,
            measured: None,
            distance_km: None,
            line: cable(),
            wireless: false,
            other_traffic: false,
            up_kbit_s: None,
            packet_frames: None,
            channels: two(),
            depth: sixteen(),
            squeezed_kbit_s: None,
            spare: no_spare(),
            receive_buffer_ms: None,
            theirs: Theirs::default(),
            rig: None,
            their_rig: None,
            through: None,
            meets: vec![],
        }
    }

    /// The name for people, or the id.
    #[must_use]
    pub fn title(&self) -> &str {
        self.name.as_deref().unwrap_or(&self.id)
    }
}

impl Meeting {
    /// The name for people, or the id.
    #[must_use]
    pub fn title(&self) -> &str {
        self.name.as_deref().unwrap_or(&self.id)
    }
}

fn cable() -> String {
    "cable".into()
}
fn two() -> u32 {
    2
}
fn sixteen() -> u32 {
    16
}
fn no_spare() -> Spare {
    Spare::None
}

impl FarSetting {
    /// A cable takes the place of wireless: what was measured holds no more.
    pub(crate) fn mends_wireless(&self, far: &Far) -> bool {
        self.wired && far.wireless
    }
}
