//! What the search asks of an evaluation: whether a set of remedies satisfies it, whether more of them might, and what is
//! still missing at the least, by delays, by work, by both together, and by what cannot ride the cue block.

use super::cheapest_set::{EffortBound, SetProblem};
use super::load_bound::SearchState;
use super::relaxation::{NEVER, fractional};
use crate::plan::Target;
use crate::plan::effect::Effect;
use crate::plan::evaluation::Evaluation;
use crate::plan::taken::RemediesTaken;
use swiftloop_units::ids::RemedyId;

impl Evaluation<'_, '_> {
    /// Delay and work together: what shortens chains takes at least `delay`; with all of that taken for nothing, the
    /// work that is still too much has to be paid for with other remedies.
    fn joint_floor(
        &self,
        delay: u32,
        chosen: &[RemedyId],
        best: &RemediesTaken,
        open: &[RemedyId],
    ) -> EffortBound {
        let (shortening, others): (Vec<usize>, Vec<usize>) =
            (0..open.len()).partition(|&i| self.problem.memory.shortens[open[i]]);
        if delay == 0 || shortening.is_empty() || others.is_empty() {
            return EffortBound::default();
        }
        let given: Vec<RemedyId> =
            chosen.iter().copied().chain(shortening.iter().map(|&i| open[i])).collect();
        let rest: Vec<RemedyId> = others.iter().map(|&i| open[i]).collect();
        let load = self.load_floor(&SearchState::of(&self.problem.question, &given), best, &rest);
        let next = if load.effort > 0 { others[load.next] } else { shortening[0] };
        EffortBound { effort: delay.saturating_add(load.effort), next }
    }

    /// A lower bound of the effort from the delays alone: each performer's own chain must fit even when nobody else is
    /// live; only what lies on it, or going direct, helps.
    fn delay_floor(&self, now: &RemediesTaken, open: &[RemedyId]) -> EffortBound {
        let mut answer = EffortBound::default();
        for ((need, allowed), gains) in
            self.problem.question.needs.iter().zip(&self.allowed).zip(&self.problem.memory.delay_gains)
        {
            if now.direct.contains(&need.performer) {
                continue;
            }
            let over = (self.own_delay(need, now) - *allowed).raw();
            let gains: Vec<(f64, u32)> =
                open.iter().map(|&r| (gains[r].min(over.max(0.0)), self.effort_of(r))).collect();
            answer = answer.max(fractional(over, &gains));
        }
        answer
    }

    /// A lower bound of the effort from what cannot ride the cue block: each processor takes a remedy of its own, unless all
    /// who hear it can go direct.
    fn ride_floor(&self, now: &RemediesTaken, open: &[RemedyId]) -> EffortBound {
        if self.roll.is_none() {
            return EffortBound::default();
        }
        let mut answer = EffortBound::default();
        for blocker in self.problem.cannot_ride(now) {
            if blocker
                .heard_by
                .iter()
                .all(|p| now.direct.contains(p) || self.problem.question.may_go_direct(*p))
            {
                continue;
            }
            let cheapest = open.iter().enumerate().filter(|(_, r)| blocker.cures.contains(r));
            match cheapest.map(|(place, r)| (self.effort_of(*r), place)).min() {
                Some((effort, next)) => {
                    answer = EffortBound { effort: answer.effort.saturating_add(effort), next }
                }
                None => answer.effort = NEVER,
            }
        }
        answer
    }

    /// A lower bound of the effort from memory and disk: what does not fit has to be freed, and what the disk does not deliver
    /// must not be asked of it.
    fn storage_floor(&self, now: &RemediesTaken, open: &[RemedyId]) -> EffortBound {
        let problem = self.problem;
        let lean = self.design.lean();
        let each = |gain: &dyn Fn(&Effect) -> f64| -> Vec<(f64, u32)> {
            let of =
                |r: RemedyId| problem.question.remedies[r].effects.iter().map(gain).sum::<f64>().max(0.0);
            open.iter().map(|&r| (of(r), self.effort_of(r))).collect()
        };
        let short = (problem.question.memory_after(now) - problem.question.memory_that_will_do(lean)).raw();
        let memory = if short > 0.0 {
            fractional(short, &each(&|e| problem.question.frees(e).raw()))
        } else {
            EffortBound::default()
        };
        // As long as the disk cannot keep up it runs dry again and again.
        let over = (problem.question.streams_after(now) - problem.question.streams_that_will_do()).raw();
        let disk = if over > 0.0 {
            fractional(over, &each(&|e| problem.question.unstreams(e).raw()))
        } else {
            EffortBound::default()
        };
        memory.max(disk)
    }
}

impl SetProblem for Evaluation<'_, '_> {
    type Item = RemedyId;
    type State = SearchState;

    fn spent(&self) -> u64 {
        self.problem.budget.meter.spent()
    }

    fn effort(&self, item: RemedyId) -> u32 {
        self.effort_of(item)
    }

    /// Two remedies on one processor are one too many: the stronger will do.
    fn excludes(&self, one: RemedyId, other: RemedyId) -> bool {
        let target = |r: RemedyId| &self.problem.question.remedies[r].target;
        matches!(target(one), Target::Processor(_)) && target(one) == target(other)
    }

    /// Of two tracks that are alike but for what they hold in memory the larger is printed first.
    fn covers(&self, better: RemedyId, worse: RemedyId) -> bool {
        let of = |r: RemedyId| self.problem.memory.alike[r].as_ref();
        match (of(better), of(worse)) {
            (Some((a, more)), Some((b, less))) => a == b && more >= less,
            (Some(_), None) | (None, _) => false,
        }
    }

    fn state(&self, chosen: &[RemedyId]) -> SearchState {
        SearchState::of(&self.problem.question, chosen)
    }

    fn satisfied(&self, state: &SearchState) -> bool {
        let applied = &state.applied;
        self.excess(applied).frames.raw() <= 0.0 && self.rides(applied) && self.meets_target(applied)
    }

    fn hopeful(&self, state: &SearchState, chosen: &[RemedyId], open: &[RemedyId]) -> bool {
        let mut applied = self.problem.question.apply(chosen, open);
        if self.excess(&applied).frames.raw() > 0.0 || !self.rides(&applied) {
            return false;
        }
        if self.could_meet_target(&applied) {
            return true;
        }
        // Another power plan need not be better: the present one may have been measured, the other is assumed.
        let switched = applied.full_power && !state.applied.full_power;
        applied.full_power = false;
        switched && self.could_meet_target(&applied)
    }

    fn floor(
        &self,
        state: &SearchState,
        chosen: &[RemedyId],
        open: &[RemedyId],
        cap: Option<u32>,
    ) -> EffortBound {
        let best = self.problem.question.apply(chosen, open);
        let delay = self.delay_floor(&state.applied, open);
        let load = self.load_floor(state, &best, open);
        // The machine first: it changes what work is allowed, and the bound is weak until that is settled.
        let on_machine =
            |r: &RemedyId| self.problem.question.remedies[*r].effects.iter().any(Effect::is_on_machine);
        let mut floor = delay.max(load).max(self.ride_floor(&state.applied, open));
        floor = floor.max(self.storage_floor(&state.applied, open));
        // Both together are hardly more than their sum: not worth a thought where the effort cap holds that.
        let sum = delay.effort.saturating_add(load.effort);
        if cap.is_none_or(|cap| floor.effort <= cap && sum > cap) {
            floor = floor.max(self.joint_floor(delay.effort, chosen, &best, open));
        }
        match open.iter().position(on_machine) {
            Some(next) if load.effort > 0 || delay.effort == 0 => EffortBound { effort: floor.effort, next },
            Some(_) | None => floor,
        }
    }
}
