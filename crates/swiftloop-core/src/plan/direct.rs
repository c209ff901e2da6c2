//! Listening through the interface's own mixer: which performers of a phase could, and who does so already and is late. No
//! driver and no buffer lies on that way, so it is the same for every setting.

use super::remedy;
use crate::loops::{ChainsRange, Context, Electric, compensated, loop_of};
use crate::rig::{Offered, Setting};
use crate::session::{Listens, Phase};
use swiftloop_units::ids::{DriverId, InterfaceId, PerformerId};
use swiftloop_units::{Block, Frames, Hz, Ms};

/// How far a performer's loop through the interface's own mixer is over the limit.
fn excess_direct(
    context: &Context<'_>,
    interface: InterfaceId,
    phase: &Phase,
    rate: Hz,
    performer: PerformerId,
) -> Ms {
    // Direct monitoring passes by the driver and its buffer: any will do.
    let buffer = Offered::plain(Block::new(64));
    let setting = Setting { interface, driver: DriverId::from(0), rate, buffer };
    let none = compensated(context.session, &[], |_| Frames::new(0.0));
    let chains = ChainsRange { high: &none, typical: &none, low: &none };
    let electric =
        Electric { inward: vec![], outward: vec![], output_alone: vec![], input_alone: vec![], fit: None };
    loop_of(context, &setting, phase, performer, &electric, chains, true).excess()
}

/// Performers whose direct loop fits their limit on this interface.
pub(super) fn direct_fits(
    context: &Context<'_>,
    interface: InterfaceId,
    phase: &Phase,
    rate: Hz,
) -> Vec<PerformerId> {
    let fits = |p: &PerformerId| excess_direct(context, interface, phase, rate, *p).raw() <= 0.0;
    remedy::may_go_direct(context, phase).into_iter().filter(fits).collect()
}

/// Of those who listen through the interface already, the one who is furthest over the limit.
pub(super) fn late_direct(
    context: &Context<'_>,
    interface: InterfaceId,
    phase: &Phase,
    rate: Hz,
) -> Option<(PerformerId, Ms)> {
    let direct = context.session.performers_in(phase).filter(|(_, p)| p.listens == Listens::Direct);
    let over = direct.map(|(p, _)| (p, excess_direct(context, interface, phase, rate, p)));
    over.filter(|(_, ms)| ms.raw() > 0.0).max_by(|a, b| a.1.raw().total_cmp(&b.1.raw()))
}
