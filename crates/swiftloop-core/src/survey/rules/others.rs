//! What else is on the machine: memory that is gone, programs that work.

use super::{Finding, Grade, GradedFinding, Inventory, found};

/// Share of a core from which another program is worth a look.
const BUSY: f64 = 0.15;
/// Share of a core that all of them together may take before it is costly.
const TOO_BUSY: f64 = 0.5;
/// Less free memory than this share is short.
const SHORT: f64 = 0.1;
/// Waiting for memory more than this, in percent of the time, is severe.
const WAITS: f64 = 1.0;

pub fn memory(i: &Inventory) -> Vec<GradedFinding> {
    let m = &i.memory;
    let Some((total_gb, available_gb)) = m.total_gb.zip(m.available_gb) else { return Vec::new() };
    let waits_percent = m.waits_percent.map(|w| w[1]);
    let waits = waits_percent.is_some_and(|w| w > WAITS);
    let short = available_gb < total_gb * SHORT;
    let swapped_gb = m.swap_used_gb.unwrap_or(0.0);
    let grade = if waits { Grade::Severe } else { Grade::Costly };
    found(
        grade,
        (short || waits).then_some(Finding::Memory { available_gb, total_gb, swapped_gb, waits_percent }),
    )
}

pub fn busy(i: &Inventory) -> Vec<GradedFinding> {
    let busy: Vec<_> = i.busy.iter().filter(|b| b.core_share >= BUSY).cloned().collect();
    let all = busy.iter().map(|b| b.core_share).sum::<f64>();
    let grade = if all > TOO_BUSY { Grade::Costly } else { Grade::Mild };
    found(grade, (!busy.is_empty()).then_some(Finding::Busy(busy)))
}
