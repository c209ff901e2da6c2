//! Where the interface hangs: sleep, hubs, ports, interrupts.

use super::{hurting, ours};
use crate::in_effect::Demand;
use crate::in_effect::difference::{DifferenceCost, RuleResult, Wrong};
use crate::survey::{Finding, Inventory};
use std::collections::BTreeSet;

pub fn autosuspend(demand: &Demand, now: &Inventory) -> RuleResult {
    of_ours(demand, now, |h, ours| matches!(h, Finding::UsbAutosuspend { card, .. } if card == ours))
}

pub fn hub(demand: &Demand, now: &Inventory) -> RuleResult {
    if demand.hub {
        return RuleResult::Beside;
    }
    of_ours(demand, now, |h, ours| matches!(h, Finding::UsbHub { card, .. } if card == ours))
}

pub fn slow_port(demand: &Demand, now: &Inventory) -> RuleResult {
    if demand.connection == "usb1" {
        return RuleResult::Beside;
    }
    of_ours(demand, now, |h, ours| matches!(h, Finding::UsbSlow { card, .. } if card == ours))
}

/// What hurts the interface that is meant, on USB.
fn of_ours(demand: &Demand, now: &Inventory, which: impl Fn(&Finding, &str) -> bool) -> RuleResult {
    let Some(card) = ours::card(demand, now).filter(|c| c.usb.is_some()) else { return RuleResult::Beside };
    RuleResult::of(hurting(now, |h| which(h, &card.id).then(DifferenceCost::default)))
}

pub fn interrupt_cores(demand: &Demand, now: &Inventory) -> RuleResult {
    let Some(should) = cores_for_interrupts(demand, now) else { return RuleResult::Beside };
    let Some((card, irq)) = ours::card(demand, now).and_then(|c| Some((c, c.irq.as_ref()?))) else {
        return RuleResult::Beside;
    };
    let Some(is) = &irq.cores else { return RuleResult::Beside };
    let elsewhere = listed(is).difference(&listed(&should)).next().is_some();
    RuleResult::one(elsewhere.then(|| Wrong::InterruptCores {
        card: card.id.clone(),
        line: irq.line.clone(),
        is: is.clone(),
        should,
    }))
}

/// Hardware threads that the session leaves to interrupts and the system, as the system writes a list; none where it takes all
/// cores. The session's own workers are as many as the plan says, so the last cores are left.
#[must_use]
pub fn cores_for_interrupts(demand: &Demand, now: &Inventory) -> Option<String> {
    let (cores, threads) = (now.processor.cores?, now.processor.threads?);
    if demand.workers >= cores || threads > 512 {
        return None;
    }
    // The second thread of core k is the thread k + cores, where cores have two.
    let free: Vec<String> =
        (0..threads).filter(|t| t % cores >= demand.workers).map(|t| t.to_string()).collect();
    Some(free.join(","))
}

/// `0-2,5` as numbers.
#[must_use]
pub fn listed(text: &str) -> BTreeSet<u32> {
    let mut all = BTreeSet::new();
    for part in text.split(',') {
        let (from, to) = part.trim().split_once('-').unwrap_or((part.trim(), part.trim()));
        if let (Ok(from), Ok(to)) = (from.parse::<u32>(), to.parse::<u32>()) {
            all.extend(from..=to.min(from.saturating_add(4096)));
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::listed;

    #[test]
    fn lists_of_cores_are_read_as_the_system_writes_them() {
        let of = |text: &str| listed(text).into_iter().collect::<Vec<_>>();
        assert_eq!(of("0-2,5"), [0, 1, 2, 5]);
        assert_eq!(of("3\n"), [3]);
        assert_eq!(of("all, 7-4, x-1, 9"), [9]);
        assert!(of("0-4294967295").len() < 5000);
    }
}
