//! The rules: each looks at one thing, and says that it is as planned, that it is not, or that it cannot be seen.

mod computer;
mod devices;
mod others;
mod sound;

use super::difference::{Difference, DifferenceCost, RuleResult, Wrong};
use super::{Demand, ours};
use crate::survey::{Finding, Inventory, ServerState, findings};

pub(super) use computer::{idle_limit_us, too_deep};
pub(super) use devices::{cores_for_interrupts, listed};
pub(super) use others::versions;

type CheckRule = fn(&Demand, &Inventory) -> RuleResult;

/// In the order in which an engineer would look.
pub(super) const ALL: &[CheckRule] = &[
    sound::device,
    sound::server,
    sound::rates,
    sound::rate_allowed,
    sound::buffer,
    sound::buffer_bounds,
    sound::clock,
    sound::two_clocks,
    sound::channels_in,
    sound::channels_out,
    computer::power,
    computer::battery,
    computer::limited_clock,
    computer::heat,
    computer::idle,
    computer::realtime_allowed,
    computer::locked_memory,
    computer::server_realtime,
    computer::threads,
    computer::group_realtime,
    computer::realtime_share,
    devices::autosuspend,
    devices::hub,
    devices::slow_port,
    devices::interrupt_cores,
    others::programs,
    others::memory,
    others::memory_in_all,
    others::disk,
    others::network,
];

/// The server that a demand goes through, if it runs.
pub(super) fn served<'a>(demand: &Demand, now: &'a Inventory) -> Option<&'a ServerState> {
    let wanted = demand.server?;
    now.servers.iter().find(|s| s.kind == wanted.as_str())
}

/// Everything that hurts in this way, at this cost.
fn hurting(now: &Inventory, which: impl Fn(&Finding) -> Option<DifferenceCost>) -> Vec<Difference> {
    let all = findings(now).into_iter();
    all.filter_map(|f| Some(Difference { cost: which(&f.finding)?, wrong: Wrong::Hurts(f.finding) }))
        .collect()
}

/// Dropouts as planned, and as they would be.
fn more_dropouts(demand: &Demand, then: Option<swiftloop_units::PerHour>) -> DifferenceCost {
    DifferenceCost {
        dropouts: then.map(|then| (demand.dropouts_per_hour.typical(), then)),
        ..DifferenceCost::default()
    }
}
