//! One phase in one arrangement (setting, roll block, workers), ready to weigh remedies. For a set of remedies it says how
//! far performers are over their limits and how often the sound will break; for the search it gives bounds that are
//! never more than the truth.

use super::Effect;
use super::block_work::{Applied, BlockWork};
use super::design::{Design, Goal};
use super::machine_work::Worked;
use super::phase_problem::{Need, Nodes, PhaseProblem};
use super::remedy::arranged_effort;
use super::room::{Excess, excess};
use super::work_limit::WorkLimits;
use crate::doubt::{Spread, lean_at};
use crate::load::{Sequence, WorkShare, response_time, responses};
use crate::rig::{LinkSetting, Setting};
use crate::risk::{Dropouts, RiskModel, Work, disk_dropouts, disk_rate, memory_dropouts};
use std::sync::Arc;
use swiftloop_units::ids::RemedyId;
use swiftloop_units::{Block, Blocks, Frames, Micros, Ms, PerHour, Range};
use typed_index_collections::TiVec;

/// Steps on the meter for a block's way through one node: its cost with all remedies, and its place in the schedule.
const NODE_STEPS: u64 = 200;

/// A setting with what else is arranged around it.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrangement {
    /// The setting of the interface.
    pub setting: Setting,
    /// Roll block, when what is recorded is rendered ahead.
    pub roll: Option<Block>,
    /// Cores that work for the session.
    pub workers: u32,
    /// How the lines to far sides are set; nothing where there is none.
    pub link: LinkSetting,
}

/// One phase in one arrangement.
#[derive(Debug)]
pub struct Evaluation<'s, 'a> {
    /// The problem.
    pub problem: &'s PhaseProblem<'a>,
    /// The arrangement.
    pub arrangement: Arrangement,
    /// Effort of what lies in the arrangement itself.
    pub arranged_effort: u32,
    /// The cue block, or the only one.
    pub cue: Arc<BlockWork>,
    /// The roll block.
    pub roll: Option<Arc<BlockWork>>,
    /// Frames that the live chain of each need may take, in the order of the needs.
    pub allowed: Vec<Frames>,
    /// What choosing each remedy adds to the effort: its own, less that of a forced one which it includes.
    pub(super) added_effort: TiVec<RemedyId, u32>,
    pub(super) work_limits: WorkLimits,
    /// With which figures it is looked at.
    pub(super) design: Design,
    /// How much dearer the design takes all work.
    pub(super) dearer: f64,
}

impl<'s, 'a> Evaluation<'s, 'a> {
    /// Of a problem in an arrangement.
    #[must_use]
    pub fn new(problem: &'s PhaseProblem<'a>, arrangement: Arrangement) -> Self {
        let allowed = problem.room(&arrangement.setting, Design::TYPICAL).allowed(Goal::Playable);
        Self::aiming(problem, arrangement, Design::TYPICAL, allowed, WorkLimits::default())
    }

    /// The same with the figures of a design, and chains that may be as long as `allowed`; work limits are shared with other
    /// arrangements of the problem.
    pub(super) fn aiming(
        problem: &'s PhaseProblem<'a>,
        arrangement: Arrangement,
        design: Design,
        allowed: Vec<Frames>,
        work_limits: WorkLimits,
    ) -> Self {
        let block = arrangement.setting.buffer.block;
        let (cue, roll) = match arrangement.roll {
            None => (problem.block_work(block, Nodes::All), None),
            Some(roll) => {
                (problem.block_work(block, Nodes::Live), Some(problem.block_work(roll, Nodes::Recorded)))
            }
        };
        let mut evaluation = Self {
            allowed,
            arranged_effort: arranged_effort(&problem.context, problem.phase, &arrangement),
            added_effort: problem.remedies.iter().map(|r| r.effort).collect(),
            problem,
            arrangement,
            cue,
            roll,
            work_limits,
            design,
            dearer: 1.0,
        };
        evaluation.take_design(design);
        evaluation
    }

    /// Looks at it with the figures of another design from now on.
    pub(super) fn take_design(&mut self, design: Design) {
        self.design = design;
        self.dearer = self.dearer_at(design);
    }

    /// The same with typical figures.
    pub(super) fn typically(&self) -> Self {
        Self {
            problem: self.problem,
            arrangement: self.arrangement.clone(),
            arranged_effort: self.arranged_effort,
            cue: Arc::clone(&self.cue),
            roll: self.roll.clone(),
            allowed: self.allowed.clone(),
            added_effort: self.added_effort.clone(),
            work_limits: self.work_limits.clone(),
            design: Design::TYPICAL,
            dearer: 1.0,
        }
    }

    /// From now on `forced` are given: a remedy that includes one of them takes its place, and only adds the difference.
    pub(super) fn force(&mut self, forced: &[RemedyId]) {
        let remedies = &self.problem.remedies;
        for (r, added) in self.added_effort.iter_mut_enumerated() {
            let replaced = forced.iter().filter(|f| **f != r && remedies[r].includes(&remedies[**f]));
            *added = remedies[r].effort
                - replaced.map(|f| remedies[*f].effort).sum::<u32>().min(remedies[r].effort);
        }
    }

    /// Effort of a set of remedies and of the arrangement.
    #[must_use]
    pub fn effort(&self, chosen: &[RemedyId]) -> u32 {
        self.arranged_effort + chosen.iter().map(|&r| self.problem.remedies[r].effort).sum::<u32>()
    }

    fn effects(&self, remedy: RemedyId) -> &[Effect] {
        &self.problem.remedies[remedy].effects
    }

    /// Whether a remedy can change anything at all here: work, delay of a performer, or resources.
    #[must_use]
    pub fn may_help(&self, remedy: RemedyId) -> bool {
        let lightens = |block: &BlockWork| self.effects(remedy).iter().any(|e| e.lightens(block));
        lightens(&self.cue)
            || self.roll.as_deref().is_some_and(lightens)
            || self.problem.shortens[remedy]
            || self.roll.is_some() && self.effects(remedy).iter().any(|e| e.is_direct())
            || self.effects(remedy).iter().any(|e| e.is_on_machine() || e.frees_storage())
    }

    /// Remedies that send performers direct who would be late even if their own chain were the only live one and as
    /// short as remedies can make it.
    #[must_use]
    pub fn must_go_direct(&self) -> Vec<RemedyId> {
        let problem = self.problem;
        let shortest = problem.apply(&[], &problem.remedies.keys().collect::<Vec<_>>());
        let late = problem
            .needs
            .iter()
            .zip(&self.allowed)
            .filter(|(need, allowed)| self.own_delay(need, &shortest) > **allowed);
        late.filter_map(|(need, _)| {
            let to_direct = [Effect::Direct(need.performer)];
            problem.remedies.iter_enumerated().find(|(_, r)| r.effects == to_direct).map(|(id, _)| id)
        })
        .collect()
    }

    /// Whether all that has to ride the cue block can; nothing has to where nothing is rendered ahead.
    pub(super) fn rides(&self, applied: &Applied) -> bool {
        self.roll.is_none() || self.problem.cannot_ride(applied).next().is_none()
    }

    /// How far performers are over their limits after `applied`.
    #[must_use]
    pub fn excess(&self, applied: &Applied) -> Excess {
        excess(self.problem, &self.allowed, &applied.latency, &applied.direct)
    }

    /// The risk model of the device's (or only) block.
    #[must_use]
    pub fn cue_risk(&self, applied: &Applied) -> RiskModel<'s> {
        let setting = &self.arrangement.setting;
        RiskModel {
            period: setting.buffer.block.period(self.problem.rate),
            reserve: self.design.reserve(self.problem.context.reserve(setting)),
            wake: self.wake(applied),
            meter: Some(&self.problem.meter),
        }
    }

    /// The risk model of the roll block, double-buffered.
    #[must_use]
    pub fn roll_risk(&self, block: Block, applied: &Applied) -> RiskModel<'s> {
        RiskModel {
            period: block.period(self.problem.rate),
            reserve: Range::exact(Blocks::new(1.0)),
            wake: self.wake(applied),
            meter: Some(&self.problem.meter),
        }
    }

    fn wake(&self, applied: &Applied) -> &'s crate::risk::WakeSet {
        let machine = self.problem.machine(applied);
        if self.design == Design::TYPICAL { &machine.wake } else { &machine.designs[self.design.index()] }
    }

    /// How long roll blocks take behind cue blocks, with how often; `pick` says which figure of each block. Every block is
    /// the worst where the cycle is too long to be walked. Past every deadline when it never ends.
    #[must_use]
    pub fn roll_responses(
        &self,
        cue: &[Worked],
        roll: &[Worked],
        block: Block,
        pick: fn(&Worked) -> Micros,
    ) -> Vec<WorkShare> {
        let deadline = block.period(self.problem.rate);
        let rate = self.problem.rate;
        let limit = deadline * 10.0;
        let device = self.arrangement.setting.buffer.block;
        let work_of = |order: &[usize], w: &[Worked]| order.iter().map(|&k| pick(&w[k])).collect::<Vec<_>>();
        let cue_work = work_of(&self.cue.cycle.order, cue);
        let roll_work = self.roll.as_ref().map(|r| work_of(&r.cycle.order, roll)).unwrap_or_default();
        let live = Sequence { frames: device.get(), work: &cue_work };
        let behind = Sequence { frames: block.get(), work: &roll_work };
        responses(live, behind, 1e6 / f64::from(rate.get()), limit).unwrap_or_else(|| {
            let most = |w: &[Worked]| {
                let seen = w.iter().filter(|w| w.share > 0.0);
                seen.map(pick).fold(Micros::new(0.0), Micros::max)
            };
            let period = device.period(rate);
            let work = response_time(most(roll), most(cue), period, deadline * 4.0).unwrap_or(limit);
            vec![WorkShare { share: 1.0, work }]
        })
    }

    /// Dropouts per hour to expect after `applied`.
    #[must_use]
    pub fn dropouts(&self, applied: &Applied) -> PerHour {
        let sum = self.from_disk(applied).typical + self.from_memory(applied).typical;
        let blocks = self.blocks_with(applied, Self::worked);
        blocks.iter().fold(sum, |sum, (model, work)| sum + model.typical(work))
    }

    /// Whether the target is met after `applied`.
    pub(super) fn meets_target(&self, applied: &Applied) -> bool {
        self.could_meet_target(applied) && self.blocks_meet(applied, &self.blocks_with(applied, Self::worked))
    }

    /// Whether the target might be met after `applied`, and with whatever lightens it further.
    pub(super) fn could_meet_target(&self, applied: &Applied) -> bool {
        self.blocks_meet(applied, &self.blocks_with(applied, Self::bounded))
    }

    /// Whether these blocks meet the target; what is far from it is told at a glance.
    fn blocks_meet(&self, applied: &Applied, blocks: &[(RiskModel<'s>, Work)]) -> bool {
        let rest = self.stored_at(applied, self.design.lean());
        let target = self.problem.target;
        let patterns = self.cue.base.len() + self.roll.as_ref().map_or(0, |r| r.base.len());
        self.problem.meter.add(NODE_STEPS * (self.problem.active.len() * patterns) as u64);
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
        applied: &Applied,
        worked: impl Fn(&Self, &BlockWork, &Applied) -> Vec<Worked>,
    ) -> Vec<(RiskModel<'s>, Work)> {
        let cue = worked(self, &self.cue, applied);
        let pick = |w: &Worked| w.typical;
        let mut all = vec![(self.cue_risk(applied), self.cue_work(&cue, pick))];
        if let (Some(roll), Some(block)) = (&self.roll, self.arrangement.roll) {
            let worked = worked(self, roll, applied);
            let response = self.roll_responses(&cue, &worked, block, pick);
            all.push((self.roll_risk(block, applied), Work::mixed(&response)));
        }
        all
    }

    /// The device's blocks as the risk sees them: what each takes, in the order in which they come.
    pub(super) fn cue_work(&self, worked: &[Worked], pick: fn(&Worked) -> Micros) -> Work {
        let shares: Vec<WorkShare> = worked.iter().map(|w| w.share(pick(w))).collect();
        Work::in_order(shares, &self.cue.cycle.order)
    }

    /// Dropouts from disk and memory, which lean so far from what is typical.
    pub(super) fn stored_at(&self, applied: &Applied, lean: f64) -> PerHour {
        let problem = self.problem;
        let assume = &problem.context.tables.assume;
        let stall = Ms::new(lean_at(assume.disk_stall_ms, lean, Spread::Factor));
        let throughput = problem.context.rig.machine.disk_mb_per_s;
        let disk = disk_rate(problem.streams(applied), throughput, problem.read_ahead(), stall, assume);
        disk + self.from_memory(applied).typical * assume.swap_doubt.raw().powf(lean)
    }

    /// Dropouts from the disk.
    #[must_use]
    pub fn from_disk(&self, applied: &Applied) -> Dropouts {
        let problem = self.problem;
        let throughput = problem.context.rig.machine.disk_mb_per_s;
        let assume = &problem.context.tables.assume;
        disk_dropouts(problem.streams(applied), throughput, problem.read_ahead(), assume)
    }

    /// Dropouts from memory.
    #[must_use]
    pub fn from_memory(&self, applied: &Applied) -> Dropouts {
        let context = &self.problem.context;
        memory_dropouts(self.problem.memory(applied), context.rig.machine.memory_gb, &context.tables.assume)
    }

    /// Delay of a performer's chain when nobody else is live.
    pub(super) fn own_delay(&self, need: &Need, applied: &Applied) -> Frames {
        self.problem.own_delay(need, &applied.latency)
    }
}
