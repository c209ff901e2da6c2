//! What distance forbids: light in glass is the floor, and where even that is later than anybody plays in time with, no setting
//! helps.

use super::legs::together_limit;
use super::way::light;
use crate::loops::Context;
use crate::session::Phase;
use swiftloop_units::ids::FarId;
use swiftloop_units::{Kilometres, Ms};

/// A far side with whom nobody can play in time, whatever is set.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Forbidden {
    pub far: FarId,
    /// The straight line, at the least.
    pub km: Kilometres,
    /// What light in glass needs for it, one way.
    pub floor: Ms,
    /// Where playing in time fails, for the most patient of those who play.
    pub fails: Ms,
}

/// What light in glass needs to a far side, one way; nothing where nobody says how far it is.
#[must_use]
pub fn distance_floor(context: &Context<'_>, far: FarId) -> Option<Ms> {
    context.rig.far(far).distance_km.map(|km| light(context, km.low()))
}

/// Far sides of a phase that distance forbids: for each of those who perform the floor is over what anybody who plays like them
/// bears.
#[must_use]
pub fn forbidden(context: &Context<'_>, phase: &Phase) -> Vec<Forbidden> {
    let fars = context.session.fars_in(phase, context.rig);
    if fars.is_empty() {
        return Vec::new();
    }
    let bears = context.session.performers_in(phase).map(|(who, _)| {
        let limit = together_limit(context, phase, who);
        (limit.fails.raw() * limit.differs.high().raw(), limit.fails)
    });
    let Some((most, fails)) = bears.max_by(|a, b| a.0.total_cmp(&b.0)) else { return Vec::new() };
    let over = |far: FarId| {
        let km = context.rig.far(far).distance_km?.low();
        let floor = light(context, km);
        (floor.raw() > most).then_some(Forbidden { far, km, floor, fails })
    };
    fars.into_iter().filter_map(over).collect()
}
