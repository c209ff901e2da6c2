//! Who listens through the interface does not hear the software's copy as well.

use super::super::{AdviceContext, Warning};
use crate::session::{Listens, Monitor};

pub fn heard_twice(look: &AdviceContext<'_>) -> Vec<Warning> {
    let session = look.context.session;
    let direct = session.performers_in(look.phase).filter(|(_, p)| p.listens == Listens::Direct);
    let twice = direct.flat_map(|(performer, person)| {
        let heard = session.track_ids().filter(|(_, t)| person.hears.contains(&t.id));
        let doubled = heard.filter(|(_, t)| t.monitor != Monitor::Never);
        doubled.map(move |(track, _)| Warning::HeardTwice { performer, track })
    });
    twice.collect()
}
