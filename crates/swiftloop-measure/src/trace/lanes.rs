//! What every core did around a late block, for a drawing: stretches of one holder each, those alike joined.

use super::blame::Scene;
use super::event::{Instant, Pid, TraceSpan};
use super::late::{CoreLane, CoreStretch, LaneHas};
use super::slices::Has;

impl Scene<'_> {
    /// All cores from one instant to another.
    pub(super) fn lanes(&self, from: Instant, to: Instant) -> Vec<CoreLane> {
        let mut lanes: Vec<CoreLane> = self
            .cores()
            .map(|(core, slices)| {
                let mut stretches: Vec<CoreStretch> = Vec::new();
                for slice in slices.iter().filter_map(|s| s.within(from, to)) {
                    let has = match slice.has {
                        Has::Thread if slice.thread.pid == Pid::IDLE => LaneHas::Nobody,
                        Has::Thread => LaneHas::Thread(slice.thread),
                        Has::Interrupt(name, _) => LaneHas::Interrupt(name),
                        Has::Soft(name, _) => LaneHas::Soft(name),
                        Has::Outside => LaneHas::Outside,
                    };
                    match stretches.last_mut() {
                        Some(last) if last.has == has && last.to == slice.from => last.to = slice.to,
                        _ => stretches.push(CoreStretch { from: slice.from, to: slice.to, has }),
                    }
                }
                CoreLane { core, stretches }
            })
            .collect();
        lanes.sort_by_key(|l| l.core);
        lanes
    }
}

/// From a little before a block was due to a little after it ran: what a drawing shows.
#[must_use]
pub fn shown_around(due: Instant, end: Instant) -> (Instant, Instant) {
    let pad = TraceSpan((end.since(due).0 / 5).max(20_000));
    (due.before(pad), end.after(pad))
}
