//! The way through the air: from what sounds to the microphone, and from speakers to the ear.

use super::{Context, Leg, LegKind, LegNote};
use crate::session::{Listens, Performer};
use swiftloop_units::{Figure, Metres, Ms, Range, SPEED_OF_SOUND_M_S};

pub(crate) fn air(kind: LegKind, declared: Option<Range<Metres>>, assumed: Range<Metres>) -> Leg {
    let figure = Figure::declared_or(declared, assumed);
    Leg {
        kind,
        span: figure.range.map(|m| Ms::new(m.raw() / SPEED_OF_SOUND_M_S * 1000.0)),
        origin: figure.origin,
        note: LegNote::Distance(figure.range.typical()),
    }
}

pub(crate) fn air_out(context: &Context<'_>, person: &Performer) -> Option<Leg> {
    let far = person.listens == Listens::Speakers;
    far.then(|| air(LegKind::AirOut, person.speaker_m, context.tables.assume.speaker_distance_m))
}
