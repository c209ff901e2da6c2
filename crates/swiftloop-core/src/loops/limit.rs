//! What a performer can bear, and why; and the least certain leg of a loop.

use super::{LegKind, Loop, Remeasure};
use crate::ids::PerformerId;
use crate::session::{Listens, Phase, Session};
use crate::units::Ms;

/// What a performer can bear, and who says so.
#[derive(Debug, Clone, PartialEq)]
pub struct Limit {
    /// The limit.
    pub at: Ms,
    /// Who says so.
    pub reason: LimitReason,
}

/// Who says so.
#[derive(Debug, Clone, PartialEq)]
pub enum LimitReason {
    /// The phase asks for it.
    Phase,
    /// The performer asks for it.
    Performer,
    /// The table of listeners, with its reason.
    Table(String),
}

/// The least certain leg of a loop.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WidestDoubt {
    /// What it is.
    pub leg: LegKind,
    /// `high − low`.
    pub spread: Ms,
    /// What removes the doubt.
    pub remeasure: Remeasure,
}

/// Doubts below this are not worth a measurement.
pub const SMALL_DOUBT: Ms = Ms::new(0.1);

/// What a performer can bear in `phase`: the phase's word, or their own, or the table's.
#[must_use]
pub fn limit_for(session: &Session, performer: PerformerId, phase: &Phase) -> Limit {
    let person = session.performer(performer);
    if let Some(limit) = phase.limits_ms.get(&person.id) {
        return Limit { at: *limit, reason: LimitReason::Phase };
    }
    if let Some(limit) = person.limit_ms {
        return Limit { at: limit, reason: LimitReason::Performer };
    }
    let row = session.listener(performer);
    let at = match person.listens {
        Listens::InEars => row.in_ears_ms,
        Listens::Speakers => row.speakers_ms,
        Listens::Headphones | Listens::Direct => row.headphones_ms,
    };
    Limit { at, reason: LimitReason::Table(row.reason.clone()) }
}

impl Loop {
    /// The leg with the widest range; none when all are exact.
    #[must_use]
    pub fn widest_doubt(&self) -> Option<WidestDoubt> {
        let widest =
            self.legs.iter().max_by(|a, b| a.span.spread().raw().total_cmp(&b.span.spread().raw()))?;
        let spread = widest.span.spread();
        (spread.raw() > 0.0).then(|| WidestDoubt { leg: widest.kind, spread, remeasure: widest.remeasure() })
    }

    /// The leg with the widest range, if it is wide enough to be worth a measurement.
    #[must_use]
    pub fn doubt_worth_a_measurement(&self) -> Option<WidestDoubt> {
        self.widest_doubt().filter(|d| d.spread >= SMALL_DOUBT)
    }
}
