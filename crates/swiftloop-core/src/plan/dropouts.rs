//! How often the sound will break: an arrangement and the remedies taken come in; dropouts an hour go out, from blocks, disk and memory,
//! whether the target is met, and the most time that a block may take: the inverse of the risk.

use super::block_times::Worked;
use super::block_work::BlockWork;
use super::quantile_point::QuantilePoint;
use crate::doubt::{SpreadShape, lean_at};
use crate::load::WorkShare;
use crate::plan::Evaluation;
use crate::plan::taken::RemediesTaken;
use crate::risk::{BlockMix, Dropouts, RiskModel, disk_dropouts, disk_rate, memory_dropouts};
use swiftloop_units::{Block, Blocks, Micros, Ms, PerHour, Range};

/// Steps on the meter for a block's way through one node: its cost with all remedies, and its place in the schedule.
const NODE_STEPS: u64 = 200;

/// Halvings that bring the work limit within four millionths of the deadline.
const HALVINGS: u32 = 18;

impl<'s> Evaluation<'s, '_> {
    /// The risk model of the device's (or only) block.
    #[must_use]
    pub fn cue_risk(&self, applied: &RemediesTaken) -> RiskModel<'s> {
        let setting = &self.arrangement.setting;
        RiskModel {
            period: setting.buffer.block.period(self.problem.question.rate),
            reserve: self.design.reserve(self.problem.question.context.reserve(setting)),
            wake: self.wake(applied),
            meter: Some(&self.problem.budget.meter),
        }
    }

    /// The risk model of the roll block, double-buffered.
    #[must_use]
    pub fn roll_risk(&self, block: Block, applied: &RemediesTaken) -> RiskModel<'s> {
        RiskModel {
            period: block.period(self.problem.question.rate),
            reserve: Range::exact(Blocks::new(1.0)),
            wake: self.wake(applied),
            meter: Some(&self.problem.budget.meter),
        }
    }

    fn wake(&self, applied: &RemediesTaken) -> &'s crate::risk::WakeSet {
        let machine = self.problem.question.machine(applied);
        if self.design == QuantilePoint::TYPICAL {
            &machine.wake
        } else {
            &machine.designs[self.design.index()]
        }
    }

    /// Dropouts per hour to expect after `applied`.
    #[must_use]
    pub fn dropouts(&self, applied: &RemediesTaken) -> PerHour {
        let sum = self.from_disk(applied).typical + self.from_memory(applied).typical;
        let blocks = self.blocks_with(applied, Self::worked);
        blocks.iter().fold(sum, |sum, (model, work)| sum + model.typical(work))
    }

    /// Whether the target is met after `applied`.
    pub(super) fn meets_target(&self, applied: &RemediesTaken) -> bool {
        self.could_meet_target(applied) && self.blocks_meet(applied, &self.blocks_with(applied, Self::worked))
    }

    /// Whether the target might be met after `applied`, and with whatever lightens it further.
    pub(super) fn could_meet_target(&self, applied: &RemediesTaken) -> bool {
        self.blocks_meet(applied, &self.blocks_with(applied, Self::bounded))
    }

    /// Whether these blocks meet the target; what is far from it is told at a glance.
    fn blocks_meet(&self, applied: &RemediesTaken, blocks: &[(RiskModel<'s>, BlockMix)]) -> bool {
        let rest = self.stored_at(applied, self.design.lean());
        let target = self.problem.question.target;
        let patterns = self.cue.base.len() + self.roll.as_ref().map_or(0, |r| r.base.len());
        self.problem.budget.meter.add(NODE_STEPS * (self.problem.question.active.len() * patterns) as u64);
        if rest > target {
            return false;
        }
        let (mut least, mut most) = (rest, rest);
        for (model, work) in blocks {
            let between = model.typical_between(work);
            (least, most) = (least + between.0, most + between.1);
        }
        if least > target || most <= target {
            return most <= target;
        }
        blocks.iter().fold(rest, |sum, (model, work)| sum + model.typical(work)) <= target
    }

    /// The device's blocks, and the roll blocks behind them.
    fn blocks_with(
        &self,
        applied: &RemediesTaken,
        worked: impl Fn(&Self, &BlockWork, &RemediesTaken) -> Vec<Worked>,
    ) -> Vec<(RiskModel<'s>, BlockMix)> {
        let cue = worked(self, &self.cue, applied);
        let pick = |w: &Worked| w.typical;
        let mut all = vec![(self.cue_risk(applied), self.cue_work(&cue, pick))];
        if let (Some(roll), Some(block)) = (&self.roll, self.arrangement.roll) {
            let worked = worked(self, roll, applied);
            let response = self.roll_responses(&cue, &worked, block, pick);
            all.push((self.roll_risk(block, applied), BlockMix::mixed(&response)));
        }
        all
    }

    /// Dropouts from disk and memory, which lean so far from what is typical.
    pub(super) fn stored_at(&self, applied: &RemediesTaken, lean: f64) -> PerHour {
        let problem = self.problem;
        let assume = &problem.question.context.tables.assume;
        let stall = Ms::new(lean_at(assume.disk_stall_ms, lean, SpreadShape::Factor));
        let throughput = problem.question.context.rig.machine.disk_mb_per_s;
        let disk = disk_rate(
            problem.question.streams_after(applied),
            throughput,
            problem.question.read_ahead(),
            stall,
            assume,
        );
        disk + self.from_memory(applied).typical * assume.swap_doubt.raw().powf(lean)
    }

    /// Dropouts from the disk.
    #[must_use]
    pub fn from_disk(&self, applied: &RemediesTaken) -> Dropouts {
        let problem = self.problem;
        let throughput = problem.question.context.rig.machine.disk_mb_per_s;
        let assume = &problem.question.context.tables.assume;
        disk_dropouts(
            problem.question.streams_after(applied),
            throughput,
            problem.question.read_ahead(),
            assume,
        )
    }

    #[must_use]
    pub fn from_memory(&self, applied: &RemediesTaken) -> Dropouts {
        let context = &self.problem.question.context;
        memory_dropouts(
            self.problem.question.memory_after(applied),
            context.rig.machine.memory_gb,
            &context.tables.assume,
        )
    }
}

impl Evaluation<'_, '_> {
    /// The most time that the worst block may take: the inverse of the risk.
    pub(super) fn work_limit(&self, applied: &RemediesTaken) -> Micros {
        let model = self.cue_risk(applied);
        let share = self.cue.cycle.blocks[self.cue.worst_index()].share;
        let reserve = model.reserve.typical().raw();
        let key = (model.period.raw().to_bits(), reserve.to_bits(), share.to_bits(), applied.full_power);
        self.work_limits.get_or(key, || self.invert(&model, share))
    }

    /// The most time for the worst block, by halving.
    fn invert(&self, model: &RiskModel<'_>, share: f64) -> Micros {
        let reserve = model.reserve.typical().raw();
        let deadline = model.period * reserve;
        if reserve > 1.0 {
            // Backlog chains are costly to invert; that the work must end before the deadline is bound enough.
            deadline
        } else {
            let (mut low, mut high) = (Micros::new(0.0), deadline);
            for _ in 0..HALVINGS {
                let middle = (low + high) / 2.0;
                let rest = WorkShare { share: 1.0 - share, work: Micros::new(0.0) };
                let work = BlockMix::mixed(&[WorkShare { share, work: middle }, rest]);
                let (least, most) = model.typical_between(&work);
                let target = self.problem.question.target;
                let meets = most <= target || least <= target && model.typical(&work) <= target;
                if meets { low = middle } else { high = middle }
            }
            high
        }
    }
}
