//! How fast the processor runs when it is needed: clocks, idle, energy, heat.

use crate::rig::PowerPlan;

use super::{Finding, Grade, GradedFinding, Inventory, found};

/// Leaving deeper states than this costs more than a small block has to spare, in µs.
const DEEP_US: u32 = 100;
/// From here on processors begin to protect themselves, in °C.
const HOT_C: f64 = 90.0;
/// Less of a difference between a cold and a warm core is chance.
const STEADY: f64 = 0.85;
/// A clock that may run nearly as fast as it can is not limited.
const NEARLY: f64 = 0.98;

pub fn governor(i: &Inventory) -> Vec<GradedFinding> {
    let governor = i.processor.governor.as_ref().filter(|g| *g != "performance");
    let grade = if governor.is_some_and(|g| g == "powersave") { Grade::Costly } else { Grade::Mild };
    found(grade, governor.map(|g| Finding::Governor(g.clone())))
}

pub fn power_plan(i: &Inventory) -> Vec<GradedFinding> {
    let plan = i.power.plan.filter(|p| *p != PowerPlan::Performance);
    let grade = if plan == Some(PowerPlan::Saving) { Grade::Costly } else { Grade::Mild };
    found(grade, plan.map(Finding::PowerPlan))
}

pub fn clock_follows_late(i: &Inventory) -> Vec<GradedFinding> {
    let speeds = i.processor.speed_at_first.zip(i.processor.speed);
    let unsteady = speeds.filter(|(first, last)| first.min(*last) < first.max(*last) * STEADY);
    found(Grade::Mild, unsteady.map(|(first, last)| Finding::UnsteadySpeed { first, last }))
}

pub fn limited_clock(i: &Inventory) -> Vec<GradedFinding> {
    let clocks = i.processor.allowed_mhz.zip(i.processor.most_mhz);
    let limited = clocks.filter(|(allowed, most)| *allowed < most * NEARLY);
    found(
        Grade::Costly,
        limited.map(|(allowed_mhz, most_mhz)| Finding::LimitedClock { allowed_mhz, most_mhz }),
    )
}

pub fn on_battery(i: &Inventory) -> Vec<GradedFinding> {
    found(Grade::Costly, (i.power.on_battery == Some(true)).then_some(Finding::OnBattery))
}

pub fn heat(i: &Inventory) -> Vec<GradedFinding> {
    let hottest_c = i.power.hottest_c.filter(|c| *c >= HOT_C);
    let slowed = i.processor.throttled.filter(|n| *n > 0);
    let grade = if hottest_c.is_some() { Grade::Costly } else { Grade::Mild };
    let hot = hottest_c.is_some() || slowed.is_some();
    found(grade, hot.then_some(Finding::Heat { hottest_c, slowed }))
}

pub fn deep_idle(i: &Inventory) -> Vec<GradedFinding> {
    let deep = i.processor.idle.iter().filter(|s| !s.disabled && s.exit_us >= DEEP_US);
    let deep: Vec<_> = deep.cloned().collect();
    found(Grade::Costly, (!deep.is_empty()).then_some(Finding::DeepIdle(deep)))
}
