//! What blocks take on this machine: an arrangement and the state that remedies leave come in; for every distinct block its
//! work, its longest chain and its schedule go out, at the speed that is left beside other programs.

use super::block_work::{Applied, BlockWork};
use super::evaluation::Evaluation;
use crate::load::{Rule, WorkShare, first_ready_bound, graham_bound, least_bound, list_schedule};
use swiftloop_units::ids::NodeId;
use swiftloop_units::{Factor, Micros, Range};
use typed_index_collections::TiVec;

/// What one distinct block takes on this machine.
#[derive(Debug, Clone, Copy)]
pub struct Worked {
    /// Its share of the cycle.
    pub share: f64,
    /// All work.
    pub total: Micros,
    /// Longest chain.
    pub critical: Micros,
    /// No order takes less.
    pub least: Micros,
    /// In the order in which such software works.
    pub typical: Micros,
    /// No order takes more (Graham's bound).
    pub most: Micros,
}

/// How work on the reference core turns into time on this machine. The timeline is sorted before any node can begin.
#[derive(Debug, Clone, Copy)]
pub(super) struct Here {
    timeline: Micros,
    times: f64,
}

impl Here {
    pub(super) fn takes(self, work: Micros) -> Micros {
        (work + self.timeline) * self.times
    }
}

/// How much slower work gets when others are busy with such a share of all cores.
fn slowed(crowding: Factor, busy: f64) -> f64 {
    1.0 + crowding.raw() * busy.min(1.0)
}

impl Worked {
    pub(super) fn share(self, work: Micros) -> WorkShare {
        WorkShare { share: self.share, work }
    }
}

impl Evaluation<'_, '_> {
    /// Cost of the timeline in each block on the reference core.
    pub(super) fn timeline(&self) -> Micros {
        let ticks = self.problem.context.session.engine.ticks_per_quarter;
        self.problem.context.tables.assume.timeline_us_per_kilotick * (f64::from(ticks) / 1000.0)
    }

    /// Programs that run beside the session after `applied`, as shares of all cores: those that play sound themselves, whose
    /// threads have the same priority as ours; and all others.
    fn others(&self, applied: &Applied) -> (f64, f64) {
        let rig = self.problem.context.rig;
        let running = self.problem.programs.iter().filter(|id| !applied.quit.contains(id));
        let (mut equal, mut rest) = (0.0, rig.machine.other_load.raw());
        for program in running.map(|&id| rig.program(id)) {
            let load = program.load.raw();
            if program.sound.is_some() { equal += load } else { rest += load }
        }
        // Without real-time priority our threads wait their turn behind everybody's.
        let realtime = rig.machine.wake.as_ref().and_then(|w| w.realtime).unwrap_or(true);
        if realtime { (equal, rest) } else { (equal + rest, 0.0) }
    }

    /// Share of a worker's time that programs of the same priority take: they use free cores first.
    fn lost_to_equals(&self, equal: f64) -> f64 {
        let cores = f64::from(self.problem.context.rig.machine.cores);
        let workers = f64::from(self.arrangement.workers);
        ((equal * cores - (cores - workers).max(0.0)).max(0.0) / workers).min(0.95)
    }

    /// How much slower work gets from sharing caches, memory and clocks with other programs. (Those of lower priority take
    /// no time away: a real-time thread goes before them.)
    pub(super) fn crowding(&self, applied: &Applied) -> Range<Factor> {
        let (equal, rest) = self.others(applied);
        self.problem.context.tables.assume.crowding.map(|c| Factor::new(slowed(c, equal + rest)))
    }

    /// Time on this machine for one unit on the reference core, with the figures of the design.
    pub(super) fn slowness(&self, applied: &Applied) -> f64 {
        let (equal, rest) = self.others(applied);
        let crowded = slowed(self.problem.context.tables.assume.crowding.typical(), equal + rest);
        self.dearer * crowded / (self.problem.machine(applied).speed * (1.0 - self.lost_to_equals(equal)))
    }

    /// Every distinct block of a kind after `applied`.
    #[must_use]
    pub fn worked(&self, block: &BlockWork, applied: &Applied) -> Vec<Worked> {
        let here = self.here(applied);
        (0..block.base.len()).map(|k| self.worked_at(block, k, applied, here)).collect()
    }

    /// The same where only the bounds are asked for: to expect is what it takes at the least.
    pub(super) fn bounded(&self, block: &BlockWork, applied: &Applied) -> Vec<Worked> {
        let here = self.here(applied);
        (0..block.base.len()).map(|k| self.bounded_at(block, k, applied, here).0).collect()
    }

    fn worked_at(&self, block: &BlockWork, k: usize, applied: &Applied, here: Here) -> Worked {
        let (bounded, cost) = self.bounded_at(block, k, applied, here);
        let workers = self.arrangement.workers;
        if workers <= 1 {
            return bounded;
        }
        let work = list_schedule(&block.graph, &cost, workers, Rule::FirstReady);
        let typical = here.takes(work);
        // A design that is gloomy takes the order in which the software works as worse.
        let worse = (bounded.most - typical).max(Micros::new(0.0)) * self.design.lean();
        Worked { typical: typical + worse, ..bounded }
    }

    pub(super) fn bounded_at(
        &self,
        block: &BlockWork,
        k: usize,
        applied: &Applied,
        on: Here,
    ) -> (Worked, TiVec<NodeId, Micros>) {
        let cost = block.node_costs(self.problem, k, applied);
        let workers = self.arrangement.workers;
        let total: Micros = cost.iter().copied().sum();
        let (turn, critical) = first_ready_bound(&block.graph, &cost, workers);
        let turn = if workers <= 1 { total } else { turn };
        let least = least_bound(total, critical, workers).max(turn);
        let here = |work: Micros| on.takes(work);
        let worked = Worked {
            share: block.cycle.blocks[k].share,
            total: here(total),
            critical: here(critical),
            least: here(least),
            typical: here(least),
            most: here(graham_bound(total, critical, workers)),
        };
        (worked, cost)
    }

    /// How work on the reference core turns into time here after `applied`.
    pub(super) fn here(&self, applied: &Applied) -> Here {
        Here {
            timeline: self.timeline() * applied.timeline,
            times: applied.all_work * self.slowness(applied),
        }
    }

    /// The same state with every processor at its mean share of computing.
    pub(super) fn resting(&self, applied: &Applied) -> Applied {
        let mut resting = applied.clone();
        let routes = self.problem.context.session.routes();
        for (p, share) in self.problem.computing.iter_enumerated().filter(|(_, share)| **share < 1.0) {
            resting.factor[p] = resting.factor[p].times(*share, *share);
            resting.touched.push(routes.processors[p].node);
        }
        resting.touched.sort_unstable();
        resting.touched.dedup();
        resting
    }
}
