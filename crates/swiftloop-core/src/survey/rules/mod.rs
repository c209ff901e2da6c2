//! The rules. Each looks at one thing in the inventory and says what it finds, with the figures that made it say so.

mod devices;
mod others;
mod processor;
mod rights;
mod sound;

use super::{Finding, Grade, GradedFinding, Inventory};

pub(crate) use rights::REALTIME_SHARE;

type SurveyRule = fn(&Inventory) -> Vec<GradedFinding>;

/// In the order in which an engineer would look.
pub(super) const ALL: &[SurveyRule] = &[
    sound::no_sound,
    sound::rates_disagree,
    sound::two_clocks,
    sound::forced,
    rights::no_realtime,
    sound::server_without_realtime,
    rights::no_locked_memory,
    processor::governor,
    processor::power_plan,
    processor::clock_follows_late,
    processor::limited_clock,
    processor::on_battery,
    processor::heat,
    processor::deep_idle,
    rights::preemption,
    rights::realtime_share,
    devices::usb,
    devices::shared_interrupt,
    others::memory,
    others::busy,
];

/// One finding, if there is one.
fn found(grade: Grade, finding: Option<Finding>) -> Vec<GradedFinding> {
    finding.map(|finding| GradedFinding { grade, finding }).into_iter().collect()
}

/// Everything that hurts, the worst first.
#[must_use]
pub fn findings(inventory: &Inventory) -> Vec<GradedFinding> {
    let mut all: Vec<GradedFinding> = ALL.iter().flat_map(|rule| rule(inventory)).collect();
    all.sort_by_key(|f| f.grade);
    all
}
