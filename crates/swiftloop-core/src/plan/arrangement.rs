//! What is arranged for a phase: a setting of its interface, the roll block, the workers, and how lines are set.

use crate::rig::{LinkSetting, Setting};
use crate::session::Session;
use swiftloop_units::Block;

/// A setting with what else is arranged around it.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrangement {
    /// The setting of the interface.
    pub setting: Setting,
    /// Roll block, when what is recorded is rendered ahead.
    pub roll: Option<Block>,
    /// Cores that work for the session.
    pub workers: u32,
    /// How the lines to far sides are set; nothing where there is none.
    pub link: LinkSetting,
}

/// Workers of a session on so many cores: one a core, hardware threads that share a core not counted.
#[must_use]
pub fn default_workers(session: &Session, cores: u32) -> u32 {
    session.engine.workers.unwrap_or(cores).clamp(1, cores.max(1))
}
