//! The most time that a block may take, as the inverse of the risk. A deadline, the wake-ups behind it and how often the
//! worst block comes go in; microseconds come out. Many arrangements of a phase share a buffer, so what was worked out once
//! is kept for all of them.

use super::block_work::Applied;
use super::evaluation::Evaluation;
use crate::load::WorkShare;
use crate::risk::Work;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::rc::Rc;
use swiftloop_units::Micros;

/// Halvings that bring the work limit within four millionths of the deadline.
const HALVINGS: u32 = 18;

/// Period, reserve and share of the worst block, bit by bit; and whether the machine runs at full power.
type Key = (u64, u64, u64, bool);

/// Limits that were worked out.
#[derive(Debug, Clone, Default)]
pub struct WorkLimits(Rc<RefCell<BTreeMap<Key, Micros>>>);

impl Evaluation<'_, '_> {
    /// The most time that the worst block may take: the inverse of the risk.
    pub(super) fn work_limit(&self, applied: &Applied) -> Micros {
        let model = self.cue_risk(applied);
        let share = self.cue.cycle.blocks[self.cue.worst_index()].share;
        let reserve = model.reserve.typical().raw();
        let key = (model.period.raw().to_bits(), reserve.to_bits(), share.to_bits(), applied.full_power);
        if let Some(&known) = self.work_limits.0.borrow().get(&key) {
            return known;
        }
        let deadline = model.period * reserve;
        let limit = if reserve > 1.0 {
            // Backlog chains are costly to invert; that the work must end before the deadline is bound enough.
            deadline
        } else {
            let (mut low, mut high) = (Micros::new(0.0), deadline);
            for _ in 0..HALVINGS {
                let middle = (low + high) / 2.0;
                let rest = WorkShare { share: 1.0 - share, work: Micros::new(0.0) };
                let work = Work::mixed(&[WorkShare { share, work: middle }, rest]);
                let (least, most) = model.typical_between(&work);
                let target = self.problem.target;
                let meets = most <= target || least <= target && model.typical(&work) <= target;
                if meets { low = middle } else { high = middle }
            }
            high
        };
        self.work_limits.0.borrow_mut().insert(key, limit);
        limit
    }
}
