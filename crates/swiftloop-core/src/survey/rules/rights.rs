//! What the system lets an audio thread do: priority, memory, how soon the kernel lets go.

use super::{Finding, Grade, GradedFinding, Inventory, found};

/// A session's buffers and samples that have to stay in memory, in bytes.
const LOCKED_BYTES: u64 = 256 * 1024 * 1024;
/// Audio threads want at least this priority: that of threads that serve ordinary interrupts.
const PRIORITY: u64 = 50;
/// Less of each second than this stops a heavy session.
pub const REALTIME_SHARE: f64 = 0.9;

pub fn no_realtime(i: &Inventory) -> Vec<GradedFinding> {
    let priority = i.limits.realtime_priority.filter(|p| !i.limits.superuser && *p < PRIORITY);
    found(Grade::Severe, priority.map(|priority| Finding::NoRealtime { priority }))
}

pub fn no_locked_memory(i: &Inventory) -> Vec<GradedFinding> {
    let bytes = i.limits.locked_bytes.filter(|b| !i.limits.superuser && *b < LOCKED_BYTES);
    found(Grade::Costly, bytes.map(|bytes| Finding::NoLockedMemory { bytes }))
}

pub fn preemption(i: &Inventory) -> Vec<GradedFinding> {
    let late = i.kernel.preemption.as_deref().filter(|w| matches!(*w, "none" | "voluntary"));
    let grade = if late == Some("none") { Grade::Costly } else { Grade::Mild };
    found(
        grade,
        late.map(|word| Finding::Preemption {
            word: word.into(),
            can_change: i.kernel.preemption_can_change,
            version: i.kernel.version.clone(),
        }),
    )
}

pub fn realtime_share(i: &Inventory) -> Vec<GradedFinding> {
    let share = i.kernel.realtime_share.filter(|s| *s < REALTIME_SHARE);
    found(Grade::Costly, share.map(Finding::RealtimeShare))
}
