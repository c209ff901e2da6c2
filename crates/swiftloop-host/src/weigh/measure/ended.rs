//! How a measurement of a processor may end before its time.

use crate::weigh::{Running, Unfit};

/// Why a measurement ended early.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Ended {
    Unfit(Unfit),
    /// What came out was no number.
    NotANumber,
}

impl From<Unfit> for Ended {
    fn from(why: Unfit) -> Self {
        Self::Unfit(why)
    }
}

pub fn check(plugin: &dyn Running, frames: usize) -> Result<(), Ended> {
    let finite = plugin.outputs().iter().all(|c| c[..frames].iter().all(|s| s.is_finite()));
    if finite { Ok(()) } else { Err(Ended::NotANumber) }
}
