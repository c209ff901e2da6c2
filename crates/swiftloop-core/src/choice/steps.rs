//! What to change when one phase ends and the next begins on an interface.

use super::{Choice, Remedy};
use crate::ids::{DriverId, InterfaceId, PhaseId};
use crate::loops::Context;
use crate::rig::Offered;
use crate::units::Block;

/// The changes at the beginning of a phase.
#[derive(Debug, Clone)]
pub struct Step {
    /// The interface.
    pub interface: InterfaceId,
    /// The phase that begins.
    pub phase: PhaseId,
    /// What to undo of the phase before.
    pub restore: Vec<Remedy>,
    /// What to set and do.
    pub set: Vec<Change>,
}

/// One thing to set or do.
#[derive(Debug, Clone, PartialEq)]
pub enum Change {
    /// Choose a driver of the interface.
    Driver(DriverId),
    /// Set the buffer.
    Buffer(Offered),
    /// Render ahead in blocks of this size.
    RollAhead(Block),
    /// Render nothing ahead any more.
    RollOff,
    /// Let so many workers work for the session.
    Workers(u32),
    /// Apply a remedy.
    Remedy(Remedy),
}

impl Step {
    /// Nothing has to be changed.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.restore.is_empty() && self.set.is_empty()
    }
}

/// What to undo and what to do when the phase of `now` begins after that of `before` on the same interface.
pub(super) fn step(context: &Context<'_>, before: Option<&Choice>, now: &Choice) -> Step {
    let old = before.map_or(&[][..], |b| &b.report.remedies);
    let has = |list: &[Remedy], id: &str| list.iter().any(|r| r.id == id);
    let restore = old.iter().filter(|r| !has(&now.report.remedies, &r.id)).cloned().collect();
    let mut set = Vec::new();
    let (a, was) = (&now.arrangement, before.map(|b| &b.arrangement));
    if was.is_none_or(|w| w.setting.driver != a.setting.driver) {
        set.push(Change::Driver(a.setting.driver));
    }
    if was.is_none_or(|w| w.setting.buffer != a.setting.buffer) {
        set.push(Change::Buffer(a.setting.buffer.clone()));
    }
    if was.map_or(a.roll.is_some(), |w| w.roll != a.roll) {
        set.push(a.roll.map_or(Change::RollOff, Change::RollAhead));
    }
    if was.is_some_and(|w| w.workers != a.workers) || (was.is_none() && a.workers < context.rig.machine.cores)
    {
        set.push(Change::Workers(a.workers));
    }
    set.extend(now.report.remedies.iter().filter(|r| !has(old, &r.id)).cloned().map(Change::Remedy));
    Step { interface: now.interface, phase: now.phase, restore, set }
}
