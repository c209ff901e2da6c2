//! The drivers of an interface, best first: what each gives at its smallest buffer, before any session is loaded.
//! For people who are still on the driver that came first.

use super::{Context, Electric};
use crate::rig::Setting;
use swiftloop_units::ids::InterfaceId;
use swiftloop_units::{Hz, Ms, Range};

/// A driver with the shortest electric round trip it can give.
#[derive(Debug, Clone)]
pub struct RankedDriver {
    /// The setting with its smallest buffer.
    pub setting: Setting,
    /// From input connector to output connector.
    pub round_trip: Range<Ms>,
    /// Good enough to play through.
    pub live: bool,
    /// Other programs keep their sound.
    pub shared: bool,
}

/// The drivers of `interface` that run at `rate`, those for live playing first, then the shortest round trip.
#[must_use]
pub fn ranked_drivers(context: &Context<'_>, interface: InterfaceId, rate: Hz) -> Vec<RankedDriver> {
    let mut best: Vec<RankedDriver> = Vec::new();
    for setting in context.settings(interface, rate) {
        let electric = Electric::of(context, &setting);
        let legs = electric.inward.iter().chain(&electric.outward);
        let round_trip = legs.fold(Range::zero(), |sum, leg| sum.plus(leg.span));
        let (live, shared) = (context.model(&setting).live, context.is_shared(&setting));
        let ranked = RankedDriver { setting, round_trip, live, shared };
        match best.iter_mut().find(|b| b.setting.driver == ranked.setting.driver) {
            Some(b) if b.round_trip.typical() > ranked.round_trip.typical() => *b = ranked,
            Some(_) => {}
            None => best.push(ranked),
        }
    }
    best.sort_by(|a, b| {
        b.live.cmp(&a.live).then(a.round_trip.typical().raw().total_cmp(&b.round_trip.typical().raw()))
    });
    best
}
