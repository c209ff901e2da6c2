//! What is set: a driver, a rate and a buffer of one interface, and how the lines to far sides are set.

use super::Offered;
use swiftloop_measure::link::packet::Spare;
use swiftloop_units::ids::{DriverId, FarId, InterfaceId, MeetingId};
use swiftloop_units::{Block, Hz, Ms};

/// One setting of one interface.
#[derive(Debug, Clone, PartialEq)]
pub struct Setting {
    pub interface: InterfaceId,
    /// The driver of that interface.
    pub driver: DriverId,
    pub rate: Hz,
    /// What to set on the panel.
    pub buffer: Offered,
}

/// How the line to a far side is set.
#[derive(Debug, Clone, PartialEq)]
pub struct FarSetting {
    pub far: FarId,
    /// Frames in a packet.
    pub packet: Block,
    /// The receive buffers here and there; none where nothing was measured that tells how long they have to be.
    pub buffers: Option<(Ms, Ms)>,
    pub spare: Spare,
    pub channels: u32,
    /// A cable took the place of wireless, where there was any.
    pub wired: bool,
    /// Other traffic was stopped, where there was any.
    pub quiet: bool,
}

/// How the lines of a phase are set; nothing where it has no far side.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct LinkSetting {
    /// The meeting point through which packets go; straight to each other where there is none.
    pub route: Option<MeetingId>,
    pub fars: Vec<FarSetting>,
}
