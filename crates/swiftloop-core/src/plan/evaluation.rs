//! One phase in one arrangement (setting, roll block, workers), ready to weigh remedies. For a set of remedies it says how
//! far performers are over their limits and how often the sound will break; for the search it gives bounds that are
//! never more than the truth.

use super::Effect;
use super::block_work::BlockWork;
use super::latency_budget::{Excess, excess};
use super::memory::Memo;
use super::offer::arranged_effort;
use super::problem::PhaseProblem;
use super::quantile_point::{Goal, QuantilePoint};
use crate::plan::Arrangement;
use crate::plan::block_work::Nodes;
use crate::plan::question::Need;
use crate::plan::taken::RemediesTaken;
use std::sync::Arc;
use swiftloop_units::ids::RemedyId;
use swiftloop_units::{Frames, Micros};
use typed_index_collections::TiVec;

/// The most time that the worst block may take: by period, reserve and share of that block, bit by bit, and whether the machine runs
/// at full power.
pub(super) type WorkLimits = Memo<(u64, u64, u64, bool), Micros>;

/// One phase in one arrangement.
#[derive(Debug)]
pub struct Evaluation<'s, 'a> {
    pub problem: &'s PhaseProblem<'a>,
    pub arrangement: Arrangement,
    /// Effort of what lies in the arrangement itself.
    pub arranged_effort: u32,
    /// The cue block, or the only one.
    pub cue: Arc<BlockWork>,
    pub roll: Option<Arc<BlockWork>>,
    /// Frames that the live chain of each need may take, in the order of the needs.
    pub allowed: Vec<Frames>,
    /// What choosing each remedy adds to the effort: its own, less that of a forced one which it includes.
    pub(super) added_effort: TiVec<RemedyId, u32>,
    /// The most time that a block may take, of all arrangements that are looked at together.
    pub(super) work_limits: Arc<WorkLimits>,
    /// With which figures it is looked at.
    pub(super) design: QuantilePoint,
    /// How much dearer the design takes all work.
    pub(super) dearer: f64,
}

impl<'s, 'a> Evaluation<'s, 'a> {
    /// Of a problem in an arrangement.
    #[must_use]
    pub fn new(problem: &'s PhaseProblem<'a>, arrangement: Arrangement) -> Self {
        let allowed =
            problem.latency_budget(&arrangement.setting, QuantilePoint::TYPICAL).allowed(Goal::Playable);
        Self::aiming(problem, arrangement, QuantilePoint::TYPICAL, allowed, Arc::default())
    }

    /// The same with the figures of a design, and chains that may be as long as `allowed`; work limits are shared with other
    /// arrangements of the problem.
    pub(super) fn aiming(
        problem: &'s PhaseProblem<'a>,
        arrangement: Arrangement,
        design: QuantilePoint,
        allowed: Vec<Frames>,
        work_limits: Arc<WorkLimits>,
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
            arranged_effort: arranged_effort(&problem.question.context, problem.question.phase, &arrangement),
            added_effort: problem.question.remedies.iter().map(|r| r.effort).collect(),
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
    pub(super) fn take_design(&mut self, design: QuantilePoint) {
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
            work_limits: Arc::clone(&self.work_limits),
            design: QuantilePoint::TYPICAL,
            dearer: 1.0,
        }
    }

    /// From now on `forced` are given: a remedy that includes one of them takes its place, and only adds the difference.
    pub(super) fn force(&mut self, forced: &[RemedyId]) {
        let remedies = &self.problem.question.remedies;
        for (r, added) in self.added_effort.iter_mut_enumerated() {
            let replaced = forced.iter().filter(|f| **f != r && remedies[r].includes(&remedies[**f]));
            *added = remedies[r].effort
                - replaced.map(|f| remedies[*f].effort).sum::<u32>().min(remedies[r].effort);
        }
    }

    /// Effort of a set of remedies and of the arrangement.
    #[must_use]
    pub fn effort(&self, chosen: &[RemedyId]) -> u32 {
        self.arranged_effort + chosen.iter().map(|&r| self.problem.question.remedies[r].effort).sum::<u32>()
    }

    fn effects(&self, remedy: RemedyId) -> &[Effect] {
        &self.problem.question.remedies[remedy].effects
    }

    /// Whether a remedy can change anything at all here: work, delay of a performer, or resources.
    #[must_use]
    pub fn may_help(&self, remedy: RemedyId) -> bool {
        let lightens = |block: &BlockWork| self.effects(remedy).iter().any(|e| block.is_lightened_by(e));
        lightens(&self.cue)
            || self.roll.as_deref().is_some_and(lightens)
            || self.problem.memory.shortens[remedy]
            || self.roll.is_some() && self.effects(remedy).iter().any(|e| e.is_direct())
            || self.effects(remedy).iter().any(|e| e.is_on_machine() || e.frees_storage())
    }

    /// Remedies that send performers direct who would be late even if their own chain were the only live one and as
    /// short as remedies can make it.
    #[must_use]
    pub fn must_go_direct(&self) -> Vec<RemedyId> {
        let problem = self.problem;
        let shortest = problem.question.apply(&[], &problem.question.remedies.keys().collect::<Vec<_>>());
        let late = problem
            .question
            .needs
            .iter()
            .zip(&self.allowed)
            .filter(|(need, allowed)| self.own_delay(need, &shortest) > **allowed);
        late.filter_map(|(need, _)| {
            let to_direct = [Effect::Direct(need.performer)];
            problem
                .question
                .remedies
                .iter_enumerated()
                .find(|(_, r)| r.effects == to_direct)
                .map(|(id, _)| id)
        })
        .collect()
    }

    /// Whether all that has to ride the cue block can; nothing has to where nothing is rendered ahead.
    pub(super) fn rides(&self, applied: &RemediesTaken) -> bool {
        self.roll.is_none() || self.problem.cannot_ride(applied).next().is_none()
    }

    /// How far performers are over their limits after `applied`.
    #[must_use]
    pub fn excess(&self, applied: &RemediesTaken) -> Excess {
        excess(&self.problem.question, &self.allowed, &applied.latency, &applied.direct)
    }

    /// Delay of a performer's chain when nobody else is live.
    pub(super) fn own_delay(&self, need: &Need, applied: &RemediesTaken) -> Frames {
        self.problem.question.own_delay(need, &applied.latency)
    }
}
