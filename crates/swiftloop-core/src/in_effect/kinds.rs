//! Several computers: those that are set alike are one kind. Settings by the name of each computer come in; kinds, and in what
//! they differ, go out.

use super::{Demand, Settings};

/// Computers that are set alike.
#[derive(Debug, Clone, PartialEq)]
pub struct KindOfComputer<'a> {
    pub settings: &'a Settings,
    pub names: Vec<&'a str>,
}

/// Kinds, the first computer's first.
#[must_use]
pub fn kinds_of<'a>(computers: &'a [(String, Settings)]) -> Vec<KindOfComputer<'a>> {
    let mut kinds: Vec<KindOfComputer<'a>> = Vec::new();
    for (name, settings) in computers {
        match kinds.iter_mut().find(|k| set_alike(k.settings, settings)) {
            Some(kind) => kind.names.push(name),
            None => kinds.push(KindOfComputer { settings, names: vec![name] }),
        }
    }
    kinds
}

/// Nothing has to be set or done on one that has not to be on the other.
fn set_alike(a: &Settings, b: &Settings) -> bool {
    a.phases.len() == b.phases.len() && a.phases.iter().zip(&b.phases).all(|(a, b)| alike(a, b))
}

fn alike(a: &Demand, b: &Demand) -> bool {
    let set = |d: &Demand| {
        (
            d.phase.clone(),
            d.interface.clone(),
            d.driver.clone(),
            d.rate_hz,
            d.buffer.clone(),
            d.roll_frames,
            d.power,
        )
    };
    set(a) == set(b) && a.workers == b.workers && a.quit == b.quit && a.by_hand == b.by_hand
}
