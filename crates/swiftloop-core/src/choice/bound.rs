//! Bounds for the search: what the remedies that are still open must take at least. Each is a necessary condition
//! relaxed until it is linear, so none is ever more than the truth; a wrong one would make the plan dearer than need be,
//! which the test against exhaustive search would show.

use super::block_work::{Applied, BlockWork};
use super::cheapest_set::{Floor, SetProblem};
use super::effect::SavedWork;
use super::evaluation::Evaluation;
use crate::ids::{NodeId, RemedyId};
use crate::load::{WorkShare, critical_path, longest_turn};
use crate::risk::Work;
use crate::units::{Frames, Micros};
use num_integer::Integer;
use typed_index_collections::TiVec;

/// Cannot be had: the bound when no gains suffice.
const NEVER: u32 = 1_000_000;
/// Halvings that bring the work limit within four millionths of the deadline.
const HALVINGS: u32 = 18;
const US_PER_HOUR: f64 = 3.6e9;
/// What takes longer than its deadline is late at least in this share of cases, whatever its pace.
const SURELY_LATE: f64 = 0.1;

/// What a kind of block takes at the least on the reference core, whatever the order: a share of all work for each
/// worker, and one chain.
struct Least {
    kind: usize,
    /// All work.
    total: f64,
    /// The longest chain as things stand.
    path: f64,
    on_path: TiVec<NodeId, bool>,
    /// The node that waits longest for its turn, and its way.
    turn: f64,
    before_turn: TiVec<NodeId, bool>,
    on_way: TiVec<NodeId, bool>,
}

/// What a remedy saves of both.
#[derive(Clone, Copy, Default)]
struct Saved {
    total: f64,
    path: f64,
    turn: f64,
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

    /// The most time that the worst block may take: the inverse of the risk.
    fn work_limit(&mut self, applied: &Applied) -> Micros {
        let limits = self.work_limits;
        if let Some(known) = if applied.full_power { limits.performance } else { limits.present } {
            return known;
        }
        let model = self.cue_risk(applied);
        let share = self.cue.cycle.blocks[self.cue.worst_index()].share;
        let deadline = model.period * model.reserve.typical().raw();
        let limit = if model.reserve.typical().raw() > 1.0 {
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
        let known = if applied.full_power {
            &mut self.work_limits.performance
        } else {
            &mut self.work_limits.present
        };
        *known = Some(limit);
        limit
    }

    /// A lower bound of the effort from the work alone. No schedule is shorter than `total/P`, nor than any one chain; both
    /// fall by at most the sum of what each remedy saves of them. The chain is the longest as things stand, so nothing
    /// is lost at the start.
    fn load_floor(&mut self, chosen: &[RemedyId], open: &[RemedyId]) -> Floor {
        let best = self.problem.apply(chosen, open);
        let now = self.problem.apply(chosen, &[]);
        let limit = self.work_limit(&best).max(self.work_limit(&now));
        let on_reference = 1.0 / self.slowness(&best);
        let workers = f64::from(self.arrangement.workers);
        let cue = self.least(&self.cue, self.cue.worst_index(), &now);
        let limit = (limit * on_reference).raw();
        let saved: Vec<Saved> = open.iter().map(|&r| self.saving(&self.cue, &cue, r, &now)).collect();
        let by_total = self.fractional(cue.total - workers * limit, open, saved.iter().map(|s| s.total));
        let by_path = self.fractional(cue.path - limit, open, saved.iter().map(|s| s.path));
        let by_turn = self.fractional(cue.turn - limit, open, saved.iter().map(|s| s.turn));
        let chains = self.chains_floor(&self.cue, Micros::new(limit), &now, &best, open);
        let mut answer = by_total.max(by_path).max(by_turn).max(chains);
        if let Some((need, gains, chains)) = self.roll_needs(&now, &best, on_reference, open) {
            answer = answer.max(self.fractional(need, open, gains.into_iter())).max(chains);
        }
        answer
    }

    fn fractional(&self, need: f64, open: &[RemedyId], gains: impl Iterator<Item = f64>) -> Floor {
        let weighed: Vec<(f64, u32)> = gains.zip(open).map(|(g, &r)| (g, self.effort_of(r))).collect();
        fractional(need, &weighed)
    }

    /// What is missing for roll blocks to be done in time behind cue blocks, what each open remedy saves of that, and what
    /// chains that are too long by themselves demand. A roll block that is done by D has waited for at least m cue
    /// blocks, so `B_roll + m·B_cue ≤ D`: with the lightest cue block, and for whichever of total and chain is the larger.
    fn roll_needs(
        &self,
        now: &Applied,
        best: &Applied,
        on_reference: f64,
        open: &[RemedyId],
    ) -> Option<(f64, Vec<f64>, Floor)> {
        let (work, block) = (self.roll.as_ref()?, self.arrangement.roll?);
        let deadline = block.period(self.problem.rate);
        let (frames, device) = (u64::from(block.get()), u64::from(self.cue.block.get()));
        // One roll block in so many that is always late must be too much for the target; it need not be.
        let joint =
            (device * self.cue.cycle.order.len() as u64).lcm(&(frames * work.cycle.order.len() as u64));
        let seldom = deadline.raw() * (joint / frames).max(1) as f64;
        if joint == 0 || US_PER_HOUR / seldom * SURELY_LATE <= self.problem.target.raw() {
            return None;
        }
        let waits = (frames / device).saturating_sub(u64::from(!frames.is_multiple_of(device))) as f64;
        let workers = f64::from(self.arrangement.workers);
        let cue = self.least(&self.cue, self.cue.cycle.least, now);
        let roll = self.least(work, work.worst_index(), now);
        let by_total = |l: &Least| l.total / workers >= l.path.max(l.turn);
        let by_turn = |l: &Least| !by_total(l) && l.turn >= l.path;
        let pick = |l: &Least, total: f64, turn: f64, path: f64| {
            if by_total(l) {
                total / workers
            } else if by_turn(l) {
                turn
            } else {
                path
            }
        };
        let side = |l: &Least| pick(l, l.total, l.turn, l.path);
        let of = |l: &Least, s: Saved| pick(l, s.total, s.turn, s.path);
        let gain = |&r: &RemedyId| {
            of(&roll, self.saving(work, &roll, r, now))
                + waits * of(&cue, self.saving(&self.cue, &cue, r, now))
        };
        let time = (deadline * on_reference).raw();
        let cue_least = self.bounded_at(&self.cue, self.cue.cycle.least, best).0.least / self.slowness(best);
        let left = Micros::new(time) - cue_least * waits;
        let chains = self.chains_floor(work, left, now, best, open);
        Some((side(&roll) + waits * side(&cue) - time, open.iter().map(gain).collect(), chains))
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
        let (problem, session) = (self.problem, self.problem.context.session);
        let graph = &problem.graph;
        let k = block.worst_index();
        let least_costs = block.node_costs(problem, k, best);
        let mut after: TiVec<NodeId, Micros> = least_costs.iter().map(|_| Micros::new(0.0)).collect();
        for &n in graph.order.iter().rev() {
            for &t in graph.to[n].iter().filter(|&&t| block.included[t]) {
                after[n] = after[n].max(after[t] + least_costs[t]);
            }
        }
        let costs = block.node_costs(problem, k, now);
        let timeline = self.timeline() * best.timeline;
        let over = |n: NodeId| ((costs[n] + after[n] + timeline) * best.all_work - limit).raw();
        let tracks = session.track_ids().map(|(t, _)| session.node_of_track(t));
        let too_long: Vec<NodeId> =
            tracks.filter(|&n| block.included[n] && costs[n].raw() > 0.0 && over(n) > 0.0).collect();
        if too_long.is_empty() {
            return Floor::default();
        }
        // What each open remedy saves on each of these tracks: position among the open ones, work, effort.
        let mut savings: Vec<Vec<(usize, f64, u32)>> = vec![Vec::new(); too_long.len()];
        for (place, &r) in open.iter().enumerate() {
            let effort = self.effort_of(r);
            let mut on = |node: NodeId, work: Micros, effort: u32| {
                let gain = work.raw().min(costs[node].raw());
                let Ok(at) = too_long.binary_search(&node) else { return };
                match savings[at].last_mut() {
                    Some(last) if last.0 == place => last.1 += gain,
                    Some(_) | None if gain > 0.0 => savings[at].push((place, gain, effort)),
                    Some(_) | None => {}
                }
            };
            for effect in &problem.remedies[r].effects {
                match effect.saves(problem, block, k, now) {
                    SavedWork::OnNode { node, work } => on(node, work, effort),
                    // It helps several tracks at once, so none of them can be charged for it.
                    SavedWork::Copies { each, .. } => each.into_iter().for_each(|(n, work)| on(n, work, 0)),
                    // These are taken as done already: `best` holds what they leave.
                    SavedWork::None | SavedWork::Timeline(_) | SavedWork::OfAll(_) => {}
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

    /// What a kind of block takes at the least on the reference core.
    fn least(&self, block: &BlockWork, kind: usize, now: &Applied) -> Least {
        let problem = self.problem;
        let costs = block.node_costs(problem, kind, now);
        let (path, nodes) = critical_path(&problem.graph, &costs, &block.included);
        let marked = |nodes: &[NodeId]| {
            let mut marks: TiVec<NodeId, bool> = block.included.iter().map(|_| false).collect();
            for &n in nodes {
                marks[n] = true;
            }
            marks
        };
        let workers = self.arrangement.workers;
        let turn = longest_turn(&problem.graph, &costs, workers, &block.included);
        let timeline = self.timeline() * now.timeline;
        let of = |work: Micros| ((work + timeline) * now.all_work).raw();
        // Each worker waits for the timeline before it begins.
        let shared = timeline * f64::from(self.arrangement.workers);
        let total = (costs.iter().copied().sum::<Micros>() + shared) * now.all_work;
        Least {
            kind,
            total: total.raw(),
            path: of(path),
            on_path: marked(&nodes),
            turn: of(turn.bound),
            before_turn: marked(&turn.before),
            on_way: marked(&turn.way),
        }
    }

    /// The most by which a remedy can lower both, on top of `now`, in µs.
    fn saving(&self, block: &BlockWork, least: &Least, remedy: RemedyId, now: &Applied) -> Saved {
        let workers = f64::from(self.arrangement.workers);
        let all = now.all_work;
        let on = |node: NodeId, work: Micros| {
            let work = work.raw() * all;
            let path = if least.on_path[node] { work } else { 0.0 };
            let turn = if least.on_way[node] {
                work
            } else if least.before_turn[node] {
                work / workers
            } else {
                0.0
            };
            Saved { total: work, path, turn }
        };
        let mut sum = Saved::default();
        let mut add = |s: Saved| {
            sum = Saved { total: sum.total + s.total, path: sum.path + s.path, turn: sum.turn + s.turn };
        };
        for effect in &self.problem.remedies[remedy].effects {
            match effect.saves(self.problem, block, least.kind, now) {
                SavedWork::None => {}
                SavedWork::OnNode { node, work } => add(on(node, work)),
                SavedWork::Copies { each, in_all } => {
                    each.into_iter().for_each(|(n, work)| add(Saved { total: 0.0, ..on(n, work) }));
                    add(Saved { total: in_all.raw() * all, ..Saved::default() });
                }
                SavedWork::Timeline(share) => {
                    let saved = self.timeline().raw() * share * all;
                    add(Saved { total: saved * workers, path: saved, turn: saved });
                }
                SavedWork::OfAll(share) => add(Saved {
                    total: least.total * share,
                    path: least.path * share,
                    turn: least.turn * share,
                }),
            }
        }
        sum
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

    /// A lower bound of the effort from what cannot ride the cue block: each processor takes a remedy of its own, unless all
    /// who hear it can go direct.
    fn ride_floor(&self, chosen: &[RemedyId], open: &[RemedyId]) -> Floor {
        if self.roll.is_none() {
            return Floor::default();
        }
        let now = self.problem.apply(chosen, &[]);
        let mut answer = Floor::default();
        for rider in self.problem.cannot_ride(&now) {
            if rider.heard_by.iter().all(|p| now.direct.contains(p) || self.problem.may_go_direct(*p)) {
                continue;
            }
            let cheapest = open.iter().enumerate().filter(|(_, r)| rider.cures.contains(r));
            match cheapest.map(|(place, r)| (self.effort_of(*r), place)).min() {
                Some((effort, next)) => answer = Floor { effort: answer.effort.saturating_add(effort), next },
                None => answer.effort = NEVER,
            }
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
        self.excess(&applied).frames.raw() <= 0.0 && self.rides(&applied) && self.meets_target(&applied)
    }

    fn hopeful(&mut self, chosen: &[RemedyId], open: &[RemedyId]) -> bool {
        let mut applied = self.problem.apply(chosen, open);
        if self.excess(&applied).frames.raw() > 0.0 || !self.rides(&applied) {
            return false;
        }
        if self.could_meet_target(&applied) {
            return true;
        }
        // Another power plan need not be better: the present one may have been measured, the other is assumed.
        let switched = applied.full_power && !self.problem.apply(chosen, &[]).full_power;
        applied.full_power = false;
        switched && self.could_meet_target(&applied)
    }

    fn floor(&mut self, chosen: &[RemedyId], open: &[RemedyId]) -> Floor {
        let delay = self.delay_floor(chosen, open);
        let load = self.load_floor(chosen, open);
        // The machine first: it changes what work is allowed, and the bound is weak until that is settled.
        let on_machine =
            |r: &RemedyId| self.problem.remedies[*r].effects.iter().any(super::Effect::is_on_machine);
        let floor = delay
            .max(load)
            .max(self.joint_floor(delay.effort, chosen, open))
            .max(self.ride_floor(chosen, open));
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
