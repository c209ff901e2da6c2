//! Bounds for the search: what the remedies that are still open must take at least. Each is a necessary condition
//! relaxed until it is linear, so none is ever more than the truth; a wrong one would make the plan dearer than need be,
//! which the test against exhaustive search would show.

use super::block_work::{Applied, BlockWork};
use super::cheapest_set::{Floor, SetProblem};
use super::effect::SavedWork;
use super::evaluation::Evaluation;
use crate::ids::{NodeId, RemedyId};
use crate::load::{WorkShare, critical_path};
use crate::units::{Frames, Micros};
use typed_index_collections::TiVec;

/// Cannot be had: the bound when no gains suffice.
const NEVER: u32 = 1_000_000;
/// Halvings that bring the work limit within a ten-millionth of the deadline.
const HALVINGS: u32 = 24;

/// A lower bound of the work of the worst block that rests on one path.
struct PathBound {
    bound: Micros,
    on_path: TiVec<NodeId, bool>,
}

impl Evaluation<'_, '_> {
    /// How much each remedy can shorten each performer's chain at the most.
    pub(super) fn delay_gains(&self) -> Vec<TiVec<RemedyId, f64>> {
        let problem = self.problem;
        let session = problem.context.session;
        let routes = session.routes();
        let latency: TiVec<_, Frames> = problem.latency.iter().map(|l| l.typical()).collect();
        let of_need = |need: &super::phase_problem::Need| {
            let hears = session.performer(need.performer).hears.iter();
            let own: Vec<NodeId> = hears.filter_map(|id| session.node_of(id)).collect();
            let (reached, feeds) = (routes.downstream(&own), routes.upstream(need.cue));
            let on_path = |n: NodeId| reached[n] && feeds[n];
            let gain = |r: &super::Remedy| {
                let each =
                    r.effects.iter().map(|e| e.shortens_chain(need.performer, routes, &latency, on_path));
                each.sum()
            };
            problem.remedies.iter().map(gain).collect()
        };
        problem.needs.iter().map(of_need).collect()
    }

    /// The most work (by the bound) that the worst block may take: the inverse of the risk.
    fn work_limit(&mut self, applied: &Applied) -> Micros {
        let limits = self.work_limits;
        if let Some(known) = if applied.full_power { limits.performance } else { limits.present } {
            return known;
        }
        let model = self.cue_risk(applied);
        let share = self.cue.cycle.blocks.last().map_or(1.0, |b| b.share);
        let deadline = model.period * model.reserve;
        let limit = if model.reserve > 1.5 {
            // Backlog chains are costly to invert; that the work must end before the deadline is bound enough.
            deadline
        } else {
            let (mut low, mut high) = (Micros::new(0.0), deadline);
            for _ in 0..HALVINGS {
                let middle = (low + high) / 2.0;
                let rest = WorkShare { share: 1.0 - share, work: Micros::new(0.0) };
                let rate = model.typical(&[WorkShare { share, work: middle }, rest]);
                if rate <= self.problem.target { low = middle } else { high = middle }
            }
            high
        };
        let known = if applied.full_power {
            &mut self.work_limits.performance
        } else {
            &mut self.work_limits.present
        };
        *known = Some(limit);
        limit
    }

    /// A lower bound of the effort from the work alone. For any one path π through the graph,
    /// `bound(S) ≥ total(S)/P + (1 − 1/P) × cost of π after S`, and the right side falls by at most the sum of what
    /// each remedy saves there. The path is the longest as things stand, so nothing is lost at the start.
    fn load_floor(&mut self, chosen: &[RemedyId], open: &[RemedyId]) -> Floor {
        let best = self.problem.apply(chosen, open);
        let now = self.problem.apply(chosen, &[]);
        let limit = self.work_limit(&best).max(self.work_limit(&now));
        let on_reference = 1.0 / self.slowness(&best);
        let cue = self.path_bound(&self.cue, &now);
        let of_cue: Vec<f64> = open.iter().map(|&r| self.saving(&self.cue, &cue, r, &now)).collect();
        let weighed = |gains: &mut dyn Iterator<Item = f64>| -> Vec<(f64, u32)> {
            gains.zip(open).map(|(g, &r)| (g, self.effort_of(r))).collect()
        };
        let over = (cue.bound - limit * on_reference).raw();
        let mut answer = fractional(over, &weighed(&mut of_cue.iter().copied()));
        let mut chains = self.chains_floor(&self.cue, limit * on_reference, &now, &best, open);
        if let (Some(work), Some(block)) = (&self.roll, self.arrangement.roll) {
            // R ≤ D needs B_roll + (D/T)·B_cue ≤ D, since R is a whole number of interruptions by the cue block.
            let deadline = block.period(self.problem.rate);
            let kappa = deadline / self.arrangement.setting.buffer.block.period(self.problem.rate);
            let roll = self.path_bound(work, &now);
            let need = roll.bound + cue.bound * kappa - deadline * on_reference;
            let mut both =
                open.iter().zip(&of_cue).map(|(&r, g)| self.saving(work, &roll, r, &now) + kappa * g);
            answer = answer.max(fractional(need.raw(), &weighed(&mut both)));
            // Tracks belong to one block only, so what their chains take adds up.
            let cue_least =
                self.worked_at(&self.cue, self.cue.worst_index(), &best).bound / self.slowness(&best);
            let rest = deadline * on_reference - cue_least * kappa;
            let more = self.chains_floor(work, rest, &now, &best, open);
            let next = if chains.effort > 0 { chains.next } else { more.next };
            chains = Floor { effort: chains.effort.saturating_add(more.effort), next };
        }
        answer.max(chains)
    }

    /// A lower bound of the effort from chains that are too long each by itself: every track's chain must fit even when
    /// all that it shares with others has been made as light as it can be; what helps one track helps no other, so
    /// their efforts add up.
    fn chains_floor(
        &self,
        block: &BlockWork,
        limit: Micros,
        now: &Applied,
        best: &Applied,
        open: &[RemedyId],
    ) -> Floor {
        let session = self.problem.context.session;
        let routes = session.routes();
        let k = block.worst_index();
        let p = f64::from(self.arrangement.workers);
        if p < 1.5 {
            return Floor::default();
        }
        let least = self.worked_at(block, k, best);
        let longest_allowed = (limit - least.total / self.slowness(best) / p) / (1.0 - 1.0 / p);
        let least_costs = block.node_costs(k, routes, best);
        let mut after: TiVec<NodeId, Micros> = least_costs.iter().map(|_| Micros::new(0.0)).collect();
        for &n in routes.order.iter().rev() {
            for &t in routes.nodes[n].to.iter().filter(|&&t| block.included[t]) {
                after[n] = after[n].max(after[t] + least_costs[t]);
            }
        }
        let costs = block.node_costs(k, routes, now);
        let timeline = self.timeline() * best.timeline;
        let over = |n: NodeId| ((costs[n] + after[n] + timeline) * best.all_work - longest_allowed).raw();
        let tracks = session.track_ids().map(|(t, _)| session.node_of_track(t));
        let too_long: Vec<NodeId> =
            tracks.filter(|&n| block.included[n] && costs[n].raw() > 0.0 && over(n) > 0.0).collect();
        if too_long.is_empty() {
            return Floor::default();
        }
        // What each open remedy saves on each of these tracks: position among the open ones, work, effort.
        let mut savings: Vec<Vec<(usize, f64, u32)>> = vec![Vec::new(); too_long.len()];
        for (place, &r) in open.iter().enumerate() {
            for effect in &self.problem.remedies[r].effects {
                let (node, gain) = match effect.saves(block, routes, now) {
                    SavedWork::OnNode { node, work } => (node, work.raw().min(costs[node].raw())),
                    // These are taken as done already: `best` holds what they leave.
                    SavedWork::None
                    | SavedWork::Anywhere(_)
                    | SavedWork::Timeline(_)
                    | SavedWork::OfAll(_) => continue,
                };
                let Ok(at) = too_long.binary_search(&node) else { continue };
                match savings[at].last_mut() {
                    Some(last) if last.0 == place => last.1 += gain,
                    Some(_) | None if gain > 0.0 => savings[at].push((place, gain, self.effort_of(r))),
                    Some(_) | None => {}
                }
            }
        }
        let (mut effort, mut first) = (0u32, None);
        for (&n, saving) in too_long.iter().zip(&savings) {
            let gains: Vec<(f64, u32)> = saving.iter().map(|s| (s.1 * best.all_work, s.2)).collect();
            let floor = fractional(over(n), &gains);
            if first.is_none() {
                first = saving.get(floor.next).map(|s| s.0);
            }
            effort = effort.saturating_add(floor.effort);
        }
        Floor { effort, next: first.unwrap_or(0) }
    }

    /// The bound of the worst block on the reference core, and the path that it rests on.
    fn path_bound(&self, block: &BlockWork, now: &Applied) -> PathBound {
        let routes = self.problem.context.session.routes();
        let k = block.worst_index();
        let (_, path) = critical_path(routes, &block.node_costs(k, routes, now), &block.included);
        let mut on_path: TiVec<NodeId, bool> = block.included.iter().map(|_| false).collect();
        for n in path {
            on_path[n] = true;
        }
        PathBound { bound: self.worked_at(block, k, now).bound / self.slowness(now), on_path }
    }

    /// The most by which a remedy can lower the bound over a fixed path, on top of `now`, in µs.
    fn saving(&self, block: &BlockWork, path: &PathBound, remedy: RemedyId, now: &Applied) -> f64 {
        let routes = self.problem.context.session.routes();
        let p = f64::from(self.arrangement.workers);
        let saved = |e: &super::Effect| match e.saves(block, routes, now) {
            SavedWork::None => 0.0,
            SavedWork::OnNode { node, work } => {
                let of_path = if path.on_path[node] { (1.0 - 1.0 / p) * work.raw() } else { 0.0 };
                (work.raw() / p + of_path) * now.all_work
            }
            SavedWork::Anywhere(work) => work.raw() / p * now.all_work,
            SavedWork::Timeline(share) => self.timeline().raw() * share * now.all_work,
            SavedWork::OfAll(share) => path.bound.raw() * share,
        };
        self.problem.remedies[remedy].effects.iter().map(saved).sum()
    }

    /// Delay and work together: what shortens chains takes at least `delay`; with all of that taken for nothing, the
    /// work that is still too much has to be paid for with other remedies.
    fn joint_floor(&mut self, delay: u32, chosen: &[RemedyId], open: &[RemedyId]) -> Floor {
        let (shortening, others): (Vec<usize>, Vec<usize>) =
            (0..open.len()).partition(|&i| self.shortens(open[i]));
        if delay == 0 || shortening.is_empty() || others.is_empty() {
            return Floor::default();
        }
        let given: Vec<RemedyId> =
            chosen.iter().copied().chain(shortening.iter().map(|&i| open[i])).collect();
        let rest: Vec<RemedyId> = others.iter().map(|&i| open[i]).collect();
        let load = self.load_floor(&given, &rest);
        let next = if load.effort > 0 { others[load.next] } else { shortening[0] };
        Floor { effort: delay.saturating_add(load.effort), next }
    }

    /// A lower bound of the effort from the delays alone: each performer's own chain must fit even when nobody else is
    /// live; only what lies on it, or going direct, helps.
    fn delay_floor(&self, chosen: &[RemedyId], open: &[RemedyId]) -> Floor {
        let now = self.problem.apply(chosen, &[]);
        let mut answer = Floor::default();
        for ((need, allowed), gains) in self.problem.needs.iter().zip(&self.allowed).zip(&self.delay_gains) {
            if now.direct.contains(&need.performer) {
                continue;
            }
            let over = (self.own_delay(need, &now) - *allowed).raw();
            let gains: Vec<(f64, u32)> =
                open.iter().map(|&r| (gains[r].min(over.max(0.0)), self.effort_of(r))).collect();
            answer = answer.max(fractional(over, &gains));
        }
        answer
    }

    /// What choosing a remedy adds to the effort.
    fn effort_of(&self, remedy: RemedyId) -> u32 {
        self.added_effort[remedy]
    }
}

impl SetProblem for Evaluation<'_, '_> {
    type Item = RemedyId;

    fn effort(&self, item: RemedyId) -> u32 {
        self.effort_of(item)
    }

    fn satisfied(&mut self, chosen: &[RemedyId]) -> bool {
        let applied = self.problem.apply(chosen, &[]);
        self.excess(&applied).frames.raw() <= 0.0 && self.dropouts(&applied) <= self.problem.target
    }

    fn hopeful(&mut self, chosen: &[RemedyId], open: &[RemedyId]) -> bool {
        let mut applied = self.problem.apply(chosen, open);
        if self.excess(&applied).frames.raw() > 0.0 {
            return false;
        }
        if self.dropouts(&applied) <= self.problem.target {
            return true;
        }
        // Another power plan need not be better: the present one may have been measured, the other is assumed.
        let switched = applied.full_power && !self.problem.apply(chosen, &[]).full_power;
        applied.full_power = false;
        switched && self.dropouts(&applied) <= self.problem.target
    }

    fn floor(&mut self, chosen: &[RemedyId], open: &[RemedyId]) -> Floor {
        let delay = self.delay_floor(chosen, open);
        let load = self.load_floor(chosen, open);
        // The machine first: it changes what work is allowed, and the bound is weak until that is settled.
        let on_machine =
            |r: &RemedyId| self.problem.remedies[*r].effects.iter().any(super::Effect::is_on_machine);
        let floor = delay.max(load).max(self.joint_floor(delay.effort, chosen, open));
        match open.iter().position(on_machine) {
            Some(next) if load.effort > 0 || delay.effort == 0 => Floor { effort: floor.effort, next },
            Some(_) | None => floor,
        }
    }
}

/// Least effort of covering `need` when items may be taken in part (a lower bound of taking them whole), rounded up
/// since efforts are whole; with the position of the best value for money.
#[must_use]
pub fn fractional(need: f64, gains: &[(f64, u32)]) -> Floor {
    if need <= 0.0 {
        // Nothing is missing by this bound; decide what weighs most.
        let heaviest = (0..gains.len()).max_by(|&a, &b| gains[a].0.total_cmp(&gains[b].0));
        return Floor { effort: 0, next: heaviest.unwrap_or(0) };
    }
    let value = |i: &usize| gains[*i].0 / f64::from(gains[*i].1).max(1e-9);
    let mut order: Vec<usize> = (0..gains.len()).filter(|&i| gains[i].0 > 0.0).collect();
    order.sort_by(|a, b| value(b).total_cmp(&value(a)));
    let Some(&best) = order.first() else { return Floor { effort: NEVER, next: 0 } };
    let (mut left, mut effort) = (need, 0.0);
    for i in order {
        let (gain, own) = gains[i];
        if gain >= left {
            effort += f64::from(own) * left / gain;
            return Floor { effort: (effort - 1e-9).ceil().max(0.0) as u32, next: best };
        }
        left -= gain;
        effort += f64::from(own);
    }
    Floor { effort: NEVER, next: best }
}
