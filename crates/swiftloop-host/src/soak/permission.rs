//! What this machine lets a real-time thread do: run before others, keep its memory. Asked for by trying; what is refused
//! is said, with the way to get it.

use super::system::{Here, RealtimeSystem};

/// What was granted, and why not the rest.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Permission {
    /// The thread runs before all ordinary ones.
    pub realtime: bool,
    /// Its memory stays where it is.
    pub locked: bool,
    /// What was refused, in words; empty when nothing was.
    pub refused: Vec<String>,
}

impl Permission {
    #[must_use]
    pub fn whole(&self) -> bool {
        self.realtime && self.locked
    }
}

/// Asks for both and keeps the memory locked when granted; the priority is given back.
#[must_use]
pub fn permission() -> Permission {
    let mut answer = Permission::default();
    match realtime() {
        Ok(()) => {
            answer.realtime = true;
            Here::ordinary();
        }
        Err(why) => answer.refused.push(format!("no real-time priority ({why})")),
    }
    match Here::lock() {
        Ok(()) => answer.locked = true,
        Err(why) => answer.refused.push(format!("no locked memory ({why})")),
    }
    answer
}

pub(crate) fn realtime() -> Result<(), String> {
    Here::realtime()
}

/// An ordinary thread is woken when it asks, not later to save power.
pub(crate) fn no_slack() {
    Here::no_slack();
}
