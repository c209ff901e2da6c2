//! Bounds of the effort from the work: what the remedies that are still open must take at the least so that blocks are done
//! in time. Each is a necessary condition relaxed until it is linear, so none is ever more than the truth; a wrong one
//! would make the plan dearer than need be, which the test against exhaustive search would show.

use super::cheapest_set::EffortBound;
use super::relaxation::fractional;
use crate::load::{critical_path, longest_turn};
use crate::plan::block_work::BlockWork;
use crate::plan::block_work::SavedWork;
use crate::plan::evaluation::Evaluation;
use crate::plan::question::PhaseQuestion;
use crate::plan::taken::RemediesTaken;
use num_integer::Integer;
use std::cell::OnceCell;
use swiftloop_units::Micros;
use swiftloop_units::ids::{NodeId, RemedyId};
use typed_index_collections::TiVec;

const US_PER_HOUR: f64 = 3.6e9;
/// What takes longer than its deadline is late at least in this share of cases, whatever its pace.
const SURELY_LATE: f64 = 0.1;

/// What a kind of block takes at the least on the reference core, whatever the order: a share of all work for each
/// worker, and one chain.
#[derive(Debug)]
struct Least {
    kind: usize,
    /// What each node takes.
    costs: TiVec<NodeId, Micros>,
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
#[derive(Debug, Clone, Copy, Default)]
struct SavedLoad {
    total: f64,
    path: f64,
    turn: f64,
}

/// The work as it stands after what was chosen, and what each remedy would save of it, once that was asked for.
#[derive(Debug)]
pub(super) struct LoadBound {
    /// The worst cue block.
    cue: Least,
    saved: TiVec<RemedyId, OnceCell<SavedLoad>>,
    /// The lightest cue block and the worst roll block behind it, where a late one is too much.
    behind: Option<(Least, Least)>,
    gains: TiVec<RemedyId, OnceCell<f64>>,
}

/// What a set of remedies leaves behind, and what was worked out about it so far.
#[derive(Debug)]
pub struct SearchState {
    pub(super) applied: RemediesTaken,
    pub(super) load: OnceCell<LoadBound>,
}

impl SearchState {
    pub(super) fn of(question: &PhaseQuestion<'_>, chosen: &[RemedyId]) -> Self {
        Self { applied: question.apply(chosen, &[]), load: OnceCell::new() }
    }
}

impl Evaluation<'_, '_> {
    pub(super) fn fractional(
        &self,
        need: f64,
        open: &[RemedyId],
        gains: impl Iterator<Item = f64>,
    ) -> EffortBound {
        let weighed: Vec<(f64, u32)> = gains.zip(open).map(|(g, &r)| (g, self.effort_of(r))).collect();
        fractional(need, &weighed)
    }

    /// What choosing a remedy adds to the effort.
    pub(super) fn effort_of(&self, remedy: RemedyId) -> u32 {
        self.added_effort[remedy]
    }

    /// A lower bound of the effort from the work alone. No schedule is shorter than `total/P`, nor than any one chain; both
    /// fall by at most the sum of what each remedy saves of them. The chain is the longest as things stand, so nothing
    /// is lost at the start.
    pub(super) fn load_floor(
        &self,
        state: &SearchState,
        best: &RemediesTaken,
        open: &[RemedyId],
    ) -> EffortBound {
        let now = &state.applied;
        let limit = self.work_limit(best).max(self.work_limit(now));
        let on_reference = 1.0 / self.slowness(best);
        let workers = f64::from(self.arrangement.workers);
        let load = state.load.get_or_init(|| self.load_now(now));
        let cue = &load.cue;
        let limit = (limit * on_reference).raw();
        let saved: Vec<SavedLoad> = open
            .iter()
            .map(|&r| *load.saved[r].get_or_init(|| self.saving(&self.cue, cue, r, now)))
            .collect();
        let by_total = self.fractional(cue.total - workers * limit, open, saved.iter().map(|s| s.total));
        let by_path = self.fractional(cue.path - limit, open, saved.iter().map(|s| s.path));
        let by_turn = self.fractional(cue.turn - limit, open, saved.iter().map(|s| s.turn));
        let chains = self.chains_floor((&self.cue, &cue.costs), Micros::new(limit), now, best, open);
        let mut answer = by_total.max(by_path).max(by_turn).max(chains);
        if let Some((need, gains, chains)) = self.roll_needs(load, now, best, on_reference, open) {
            answer = answer.max(self.fractional(need, open, gains.into_iter())).max(chains);
        }
        answer
    }

    fn load_now(&self, now: &RemediesTaken) -> LoadBound {
        let roll = self.roll.as_ref().filter(|_| self.one_late_roll_is_too_much());
        LoadBound {
            cue: self.least(&self.cue, self.cue.worst_index(), now),
            saved: self.problem.question.remedies.iter().map(|_| OnceCell::new()).collect(),
            behind: roll.map(|work| {
                let lightest = self.least(&self.cue, self.cue.cycle.least, now);
                (lightest, self.least(work, work.worst_index(), now))
            }),
            gains: self.problem.question.remedies.iter().map(|_| OnceCell::new()).collect(),
        }
    }

    /// Whether one roll block in so many that is always late must be too much for the target; it need not be.
    fn one_late_roll_is_too_much(&self) -> bool {
        let (Some(work), Some(block)) = (&self.roll, self.arrangement.roll) else { return false };
        let deadline = block.period(self.problem.question.rate);
        let (frames, device) = (u64::from(block.get()), u64::from(self.cue.block.get()));
        let joint =
            (device * self.cue.cycle.order.len() as u64).lcm(&(frames * work.cycle.order.len() as u64));
        let seldom = deadline.raw() * (joint / frames).max(1) as f64;
        joint != 0 && US_PER_HOUR / seldom * SURELY_LATE > self.problem.question.target.raw()
    }

    /// What is missing for roll blocks to be done in time behind cue blocks, what each open remedy saves of that, and what
    /// chains that are too long by themselves demand. A roll block that is done by D has waited for at least m cue
    /// blocks, so `B_roll + m·B_cue ≤ D`: with the lightest cue block, and for whichever of total and chain is the larger.
    fn roll_needs(
        &self,
        load: &LoadBound,
        now: &RemediesTaken,
        best: &RemediesTaken,
        on_reference: f64,
        open: &[RemedyId],
    ) -> Option<(f64, Vec<f64>, EffortBound)> {
        let (work, block) = (self.roll.as_ref()?, self.arrangement.roll?);
        let (cue, roll) = load.behind.as_ref()?;
        let deadline = block.period(self.problem.question.rate);
        let (frames, device) = (u64::from(block.get()), u64::from(self.cue.block.get()));
        let waits = (frames / device).saturating_sub(u64::from(!frames.is_multiple_of(device))) as f64;
        let workers = f64::from(self.arrangement.workers);
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
        let of = |l: &Least, s: SavedLoad| pick(l, s.total, s.turn, s.path);
        let gain = |&r: &RemedyId| {
            *load.gains[r].get_or_init(|| {
                of(roll, self.saving(work, roll, r, now))
                    + waits * of(cue, self.saving(&self.cue, cue, r, now))
            })
        };
        let time = (deadline * on_reference).raw();
        let cue_least = self.bounded_at(&self.cue, self.cue.cycle.least, best, self.here(best)).0.least
            / self.slowness(best);
        let left = Micros::new(time) - cue_least * waits;
        let chains = self.chains_floor((work, &roll.costs), left, now, best, open);
        Some((side(roll) + waits * side(cue) - time, open.iter().map(gain).collect(), chains))
    }

    /// A lower bound of the effort from chains that are too long each by itself: every track's chain must fit even when
    /// all that it shares with others has been made as light as it can be; what helps one track helps no other, so
    /// their efforts add up.
    fn chains_floor(
        &self,
        (block, costs): (&BlockWork, &TiVec<NodeId, Micros>),
        limit: Micros,
        now: &RemediesTaken,
        best: &RemediesTaken,
        open: &[RemedyId],
    ) -> EffortBound {
        let (problem, session) = (self.problem, self.problem.question.context.session);
        let k = block.worst_index();
        let least_costs = block.node_costs(&problem.question, k, best);
        let mut after: TiVec<NodeId, Micros> = least_costs.iter().map(|_| Micros::new(0.0)).collect();
        for &n in block.graph.order.iter().rev() {
            for &t in block.graph.to(n) {
                after[n] = after[n].max(after[t] + least_costs[t]);
            }
        }
        let timeline = self.timeline() * best.timeline;
        let over = |n: NodeId| ((costs[n] + after[n] + timeline) * best.all_work - limit).raw();
        let tracks = session.track_ids().map(|(t, _)| session.node_of_track(t));
        let too_long: Vec<NodeId> =
            tracks.filter(|&n| block.included[n] && costs[n].raw() > 0.0 && over(n) > 0.0).collect();
        if too_long.is_empty() {
            return EffortBound::default();
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
            for effect in &problem.question.remedies[r].effects {
                match block.saved_by(&problem.question, effect, k, now) {
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
        EffortBound { effort, next: first.unwrap_or(0) }
    }

    /// What a kind of block takes at the least on the reference core.
    fn least(&self, block: &BlockWork, kind: usize, now: &RemediesTaken) -> Least {
        let problem = self.problem;
        let costs = block.node_costs(&problem.question, kind, now);
        let (path, nodes) = critical_path(&block.graph, &costs);
        let marked = |nodes: &[NodeId]| {
            let mut marks: TiVec<NodeId, bool> = block.included.iter().map(|_| false).collect();
            for &n in nodes {
                marks[n] = true;
            }
            marks
        };
        let workers = self.arrangement.workers;
        let turn = longest_turn(&block.graph, &costs, workers);
        let timeline = self.timeline() * now.timeline;
        let of = |work: Micros| ((work + timeline) * now.all_work).raw();
        // Each worker waits for the timeline before it begins.
        let shared = timeline * f64::from(self.arrangement.workers);
        let total = (costs.iter().copied().sum::<Micros>() + shared) * now.all_work;
        Least {
            costs,
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
    fn saving(&self, block: &BlockWork, least: &Least, remedy: RemedyId, now: &RemediesTaken) -> SavedLoad {
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
            SavedLoad { total: work, path, turn }
        };
        let mut sum = SavedLoad::default();
        let mut add = |s: SavedLoad| {
            sum = SavedLoad { total: sum.total + s.total, path: sum.path + s.path, turn: sum.turn + s.turn };
        };
        for effect in &self.problem.question.remedies[remedy].effects {
            match block.saved_by(&self.problem.question, effect, least.kind, now) {
                SavedWork::None => {}
                SavedWork::OnNode { node, work } => add(on(node, work)),
                SavedWork::Copies { each, in_all } => {
                    each.into_iter().for_each(|(n, work)| add(SavedLoad { total: 0.0, ..on(n, work) }));
                    add(SavedLoad { total: in_all.raw() * all, ..SavedLoad::default() });
                }
                SavedWork::Timeline(share) => {
                    let saved = self.timeline().raw() * share * all;
                    add(SavedLoad { total: saved * workers, path: saved, turn: saved });
                }
                SavedWork::OfAll(share) => add(SavedLoad {
                    total: least.total * share,
                    path: least.path * share,
                    turn: least.turn * share,
                }),
            }
        }
        sum
    }
}
