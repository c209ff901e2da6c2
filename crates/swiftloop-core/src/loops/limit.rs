//! What a performer can bear, and why: where delay begins to be noticed and where playing in time fails; and the least
//! certain leg of a loop.

use super::{LegKind, Loop, Remeasure};
use crate::session::{Listens, Phase, Session};
use crate::tables::TwoLimits;
use swiftloop_units::ids::PerformerId;
use swiftloop_units::{Factor, Ms, Range};

/// What a performer can bear, and who says so.
#[derive(Debug, Clone, PartialEq)]
pub struct Limit {
    /// Up to here it is not noticed.
    pub noticed: Ms,
    /// Up to here one can play in time.
    pub fails: Ms,
    /// Factors on both: people of one kind differ. One, and nothing else, for what somebody wrote.
    pub differs: Range<Factor>,
    pub reason: LimitReason,
}

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
    pub leg: LegKind,
    /// `high − low`.
    pub spread: Ms,
    /// What removes the doubt.
    pub remeasure: Remeasure,
}

/// Doubts below this are not worth a measurement.
pub const SMALL_DOUBT: Ms = Ms::new(0.1);

/// What a performer can bear in `phase`: the phase's word, or their own, or the table's, in which people differ by a factor
/// of `doubt`.
#[must_use]
pub fn limit_for(session: &Session, performer: PerformerId, phase: &Phase, doubt: Factor) -> Limit {
    let person = session.performer(performer);
    let exactly = |limit: TwoLimits, reason| Limit {
        noticed: limit.noticed(),
        fails: limit.fails(),
        differs: Range::exact(Factor::new(1.0)),
        reason,
    };
    if let Some(limit) = phase.limits_ms.get(&person.id) {
        return exactly(*limit, LimitReason::Phase);
    }
    if let Some(limit) = person.limit_ms {
        return exactly(limit, LimitReason::Performer);
    }
    let row = session.listener(performer);
    let limit = match person.listens {
        Listens::InEars => row.in_ears_ms,
        Listens::Speakers => row.speakers_ms,
        Listens::Headphones | Listens::Direct => row.headphones_ms,
    };
    let differs = Range::spanning(Factor::new(1.0 / doubt.raw()), Factor::new(1.0), doubt);
    Limit { differs, ..exactly(limit, LimitReason::Table(row.reason.clone())) }
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
