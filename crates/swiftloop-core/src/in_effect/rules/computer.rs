//! How fast the computer is when it is needed, and what it lets audio do: energy, clocks, idle, priorities, memory.

use super::{hurting, more_dropouts, served};
use crate::in_effect::Demand;
use crate::in_effect::difference::{Difference, DifferenceCost, RuleResult, Unread, Wrong};
use crate::rig::PowerPlan;
use crate::survey::{Finding, Idle, Inventory, System};

/// Leaving an idle state may take this share of a block.
const OF_BLOCK: f64 = 0.05;
/// And no more or less than this, in µs: shorter states are those that the processor enters while it works, and longer
/// ones hurt whatever the block, since all that wakes meanwhile waits as well.
const AT_LEAST_US: f64 = 20.0;
const AT_MOST_US: f64 = 200.0;

/// So long may leaving an idle state take, in whole µs.
#[must_use]
pub fn idle_limit_us(demand: &Demand) -> u32 {
    (demand.period_us() * OF_BLOCK).clamp(AT_LEAST_US, AT_MOST_US) as u32
}

/// The less power is saved, the higher.
fn rank(power: PowerPlan) -> u8 {
    match power {
        PowerPlan::Saving => 0,
        PowerPlan::Balanced => 1,
        PowerPlan::Performance => 2,
    }
}

pub fn power(demand: &Demand, now: &Inventory) -> RuleResult {
    let governor = now.processor.governor.clone();
    let governed = governor.as_deref().map(|g| PowerPlan::of_governor(g).unwrap_or_default());
    let Some(is) = now.power.plan.or(governed) else { return RuleResult::Unread(Unread::Power) };
    if rank(is) >= rank(demand.power) {
        return RuleResult::Right;
    }
    let cost = more_dropouts(demand, demand.stakes.at_power(is));
    RuleResult::of(vec![Difference { wrong: Wrong::Power { is, governor }, cost }])
}

pub fn battery(demand: &Demand, now: &Inventory) -> RuleResult {
    if now.power.on_battery.is_none() && !now.power.has_battery {
        return RuleResult::Beside;
    }
    let cost = || more_dropouts(demand, demand.stakes.at_power(PowerPlan::Saving));
    RuleResult::of(hurting(now, |h| matches!(h, Finding::OnBattery).then(cost)))
}

pub fn limited_clock(demand: &Demand, now: &Inventory) -> RuleResult {
    let planned = demand.dropouts_per_hour.typical();
    RuleResult::of(hurting(now, |h| match h {
        Finding::LimitedClock { allowed_mhz, most_mhz } => {
            Some(more_dropouts(demand, demand.stakes.at_speed(planned, allowed_mhz / most_mhz)))
        }
        Finding::NoSound
        | Finding::RatesDisagree(_)
        | Finding::TwoClocks(_)
        | Finding::Forced { .. }
        | Finding::NoRealtime { .. }
        | Finding::ServerWithoutRealtime(_)
        | Finding::NoLockedMemory { .. }
        | Finding::Governor(_)
        | Finding::PowerPlan(_)
        | Finding::UnsteadySpeed { .. }
        | Finding::OnBattery
        | Finding::Heat { .. }
        | Finding::DeepIdle(_)
        | Finding::Preemption { .. }
        | Finding::RealtimeShare(_)
        | Finding::UsbHub { .. }
        | Finding::UsbController { .. }
        | Finding::UsbSlow { .. }
        | Finding::UsbAutosuspend { .. }
        | Finding::SharedInterrupt { .. }
        | Finding::Memory { .. }
        | Finding::Busy(_) => None,
    }))
}

pub fn heat(_: &Demand, now: &Inventory) -> RuleResult {
    // That it was too hot once since it was started says nothing of the take to come.
    RuleResult::of(hurting(now, |h| {
        matches!(h, Finding::Heat { hottest_c: Some(_), .. }).then(DifferenceCost::default)
    }))
}

pub fn idle(demand: &Demand, now: &Inventory) -> RuleResult {
    if now.processor.idle.is_empty() {
        return RuleResult::Beside;
    }
    let limit = idle_limit_us(demand);
    if now.processor.wake_limit_us.is_some_and(|held| held <= limit) {
        return RuleResult::Right;
    }
    let states = too_deep(&now.processor.idle, limit);
    let Some(exit_us) = states.iter().map(|s| s.exit_us).max() else { return RuleResult::Right };
    let cost = DifferenceCost {
        of_block: Some(f64::from(exit_us) / demand.period_us()),
        ..DifferenceCost::default()
    };
    RuleResult::of(vec![Difference { wrong: Wrong::Idle { states, exit_us }, cost }])
}

/// States that may be entered and take longer to leave.
pub fn too_deep(all: &[Idle], limit_us: u32) -> Vec<Idle> {
    all.iter().filter(|s| !s.disabled && s.exit_us > limit_us).cloned().collect()
}

pub fn realtime_allowed(_: &Demand, now: &Inventory) -> RuleResult {
    match now.system {
        System::Linux if now.limits.realtime_priority.is_none() && !now.limits.superuser => {
            RuleResult::Unread(Unread::Rights)
        }
        System::Linux => RuleResult::of(hurting(now, |h| {
            matches!(h, Finding::NoRealtime { .. }).then(DifferenceCost::default)
        })),
        System::Windows | System::MacOs => RuleResult::Beside,
    }
}

pub fn locked_memory(_: &Demand, now: &Inventory) -> RuleResult {
    if now.limits.locked_bytes.is_none() {
        return RuleResult::Beside;
    }
    RuleResult::of(hurting(now, |h| {
        matches!(h, Finding::NoLockedMemory { .. }).then(DifferenceCost::default)
    }))
}

pub fn server_realtime(demand: &Demand, now: &Inventory) -> RuleResult {
    let Some(server) = served(demand, now).filter(|s| s.realtime.is_some()) else {
        return RuleResult::Beside;
    };
    let is = |h: &Finding| matches!(h, Finding::ServerWithoutRealtime(s) if *s == server.kind);
    RuleResult::of(hurting(now, |h| is(h).then(DifferenceCost::default)))
}

pub fn threads(demand: &Demand, now: &Inventory) -> RuleResult {
    let Some(server) = served(demand, now).filter(|s| !s.threads.is_empty()) else {
        return RuleResult::Beside;
    };
    let ordinary = server.threads.iter().filter(|t| t.priority.is_none());
    let wrong = ordinary.map(|t| Difference {
        wrong: Wrong::Thread { server: server.kind.clone(), thread: t.name.clone() },
        cost: DifferenceCost::default(),
    });
    RuleResult::of(wrong.collect())
}

pub fn group_realtime(_: &Demand, now: &Inventory) -> RuleResult {
    match now.limits.group_realtime_us {
        None => RuleResult::Beside,
        Some(us) => RuleResult::one((us == 0).then_some(Wrong::GroupRealtime)),
    }
}

pub fn realtime_share(_: &Demand, now: &Inventory) -> RuleResult {
    if now.kernel.realtime_share.is_none() {
        return RuleResult::Beside;
    }
    RuleResult::of(hurting(now, |h| matches!(h, Finding::RealtimeShare(_)).then(DifferenceCost::default)))
}
