//! What else is on the computer: programs, memory, the disk, and what is installed.

use super::{hurting, more_dropouts, ours};
use crate::in_effect::Demand;
use crate::in_effect::difference::{Difference, DifferenceCost, Known, RuleResult, Unread, Wrong};
use crate::survey::{Finding, Inventory};

/// Share of a core from which a program that nobody planned is worth a line.
const BUSY: f64 = 0.15;
/// The same for one that must not run.
const UNWANTED: f64 = 0.02;
/// Recording should go on for so many minutes.
const LONG_ENOUGH_MIN: f64 = 120.0;
/// Where nothing is recorded, a session still saves itself: in 10⁹ bytes.
const TO_SAVE_GB: f64 = 5.0;

pub fn programs(demand: &Demand, now: &Inventory) -> RuleResult {
    if !now.programs_seen {
        return RuleResult::Unread(Unread::Programs);
    }
    let named = |all: &[String], name: &str| all.iter().any(|known| ours::alike(known, name));
    let unplanned = now.busy.iter().filter(|b| {
        let unwanted = named(&demand.quit, &b.name);
        !named(&demand.runs, &b.name) && b.core_share >= if unwanted { UNWANTED } else { BUSY }
    });
    let busy: Vec<(String, f64)> = unplanned.map(|b| (b.name.clone(), b.core_share)).collect();
    if busy.is_empty() {
        return RuleResult::Right;
    }
    let threads = f64::from(now.processor.threads.or(now.processor.cores).unwrap_or(1).max(1));
    let load = busy.iter().map(|b| b.1).sum::<f64>() / threads;
    let cost = more_dropouts(demand, demand.stakes.at_load(demand.dropouts_per_hour.typical(), load));
    RuleResult::of(vec![Difference { wrong: Wrong::Programs { busy, load }, cost }])
}

pub fn memory(_: &Demand, now: &Inventory) -> RuleResult {
    if now.memory.available_gb.is_none() {
        return RuleResult::Beside;
    }
    RuleResult::of(hurting(now, |h| matches!(h, Finding::Memory { .. }).then(DifferenceCost::default)))
}

pub fn memory_in_all(demand: &Demand, now: &Inventory) -> RuleResult {
    let Some(total_gb) = now.memory.total_gb else { return RuleResult::Beside };
    RuleResult::one((total_gb < demand.memory_gb.raw()).then_some(Wrong::TooLittleMemory { total_gb }))
}

pub fn disk(demand: &Demand, now: &Inventory) -> RuleResult {
    let Some(free_gb) = now.disk_free_gb else { return RuleResult::Unread(Unread::Disk) };
    let records = demand.recording_mb_per_minute > 0.0;
    let minutes = records.then(|| free_gb * 1000.0 / demand.recording_mb_per_minute);
    let short = minutes.map_or(free_gb < TO_SAVE_GB, |m| m < LONG_ENOUGH_MIN);
    RuleResult::one(short.then_some(Wrong::Disk { free_gb, minutes }))
}

pub fn network(demand: &Demand, now: &Inventory) -> RuleResult {
    match &now.network {
        Some(network) if demand.cable => {
            RuleResult::one(network.wireless.then(|| Wrong::Wireless { by: network.name.clone() }))
        }
        Some(_) | None => RuleResult::Beside,
    }
}

/// Versions beside those when all was well. What is new since then is no difference.
pub fn versions(now: &Inventory, known: &Known) -> RuleResult {
    let is = |of: &str| now.versions.iter().find(|v| v.of == of).map(|v| v.is.clone());
    let other = known.versions.iter().filter(|was| is(&was.of).as_ref() != Some(&was.is));
    let wrong = other.map(|was| Difference {
        wrong: Wrong::Version { of: was.of.clone(), is: is(&was.of), was: was.is.clone() },
        cost: DifferenceCost::default(),
    });
    RuleResult::of(wrong.collect())
}
