//! What blocks take on this machine: an arrangement and the state that remedies leave come in; for every distinct block its
//! work, its longest chain and its schedule go out, at the speed that is left beside other programs.

use super::block_work::BlockWork;
use super::evaluation::Evaluation;
use crate::load::BlockSequence;
use crate::load::response_time;
use crate::load::responses;
use crate::load::{ScheduleRule, WorkShare, first_ready_bound, graham_bound, least_bound, list_schedule};
use crate::plan::taken::RemediesTaken;
use crate::risk::BlockMix;
use swiftloop_units::Block;
use swiftloop_units::ids::NodeId;
use swiftloop_units::ids::RemedyId;
use swiftloop_units::{Factor, Micros, Range};
use typed_index_collections::TiVec;

/// What one distinct block takes on this machine.
#[derive(Debug, Clone, Copy)]
pub struct Worked {
    /// Its share of the cycle.
    pub share: f64,
    pub total: Micros,
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
        let ticks = self.problem.question.context.session.engine.ticks_per_quarter;
        self.problem.question.context.tables.assume.timeline_us_per_kilotick * (f64::from(ticks) / 1000.0)
    }

    /// Programs that run beside the session after `applied`, as shares of all cores: those that play sound themselves, whose
    /// threads have the same priority as ours; and all others.
    fn others(&self, applied: &RemediesTaken) -> (f64, f64) {
        let rig = self.problem.question.context.rig;
        let running = self.problem.question.programs.iter().filter(|id| !applied.quit.contains(id));
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
        let cores = f64::from(self.problem.question.context.rig.machine.cores);
        let workers = f64::from(self.arrangement.workers);
        ((equal * cores - (cores - workers).max(0.0)).max(0.0) / workers).min(0.95)
    }

    /// How much slower work gets from sharing caches, memory and clocks with other programs. (Those of lower priority take
    /// no time away: a real-time thread goes before them.)
    pub(super) fn crowding(&self, applied: &RemediesTaken) -> Range<Factor> {
        let (equal, rest) = self.others(applied);
        self.problem.question.context.tables.assume.crowding.map(|c| Factor::new(slowed(c, equal + rest)))
    }

    /// Time on this machine for one unit on the reference core, with the figures of the design.
    pub(super) fn slowness(&self, applied: &RemediesTaken) -> f64 {
        let (equal, rest) = self.others(applied);
        let crowded = slowed(self.problem.question.context.tables.assume.crowding.typical(), equal + rest);
        self.dearer * crowded
            / (self.problem.question.machine(applied).speed * (1.0 - self.lost_to_equals(equal)))
    }

    /// Every distinct block of a kind after `applied`.
    #[must_use]
    pub fn worked(&self, block: &BlockWork, applied: &RemediesTaken) -> Vec<Worked> {
        let here = self.here(applied);
        (0..block.base.len()).map(|k| self.worked_at(block, k, applied, here)).collect()
    }

    /// The same where only the bounds are asked for: to expect is what it takes at the least.
    pub(super) fn bounded(&self, block: &BlockWork, applied: &RemediesTaken) -> Vec<Worked> {
        let here = self.here(applied);
        (0..block.base.len()).map(|k| self.bounded_at(block, k, applied, here).0).collect()
    }

    fn worked_at(&self, block: &BlockWork, k: usize, applied: &RemediesTaken, here: Here) -> Worked {
        let (bounded, cost) = self.bounded_at(block, k, applied, here);
        let workers = self.arrangement.workers;
        if workers <= 1 {
            return bounded;
        }
        let work = list_schedule(&block.graph, &cost, workers, ScheduleRule::FirstReady);
        let typical = here.takes(work);
        // A design that is bad takes the order in which the software works as worse.
        let worse = (bounded.most - typical).max(Micros::new(0.0)) * self.design.lean();
        Worked { typical: typical + worse, ..bounded }
    }

    pub(super) fn bounded_at(
        &self,
        block: &BlockWork,
        k: usize,
        applied: &RemediesTaken,
        on: Here,
    ) -> (Worked, TiVec<NodeId, Micros>) {
        let cost = block.node_costs(&self.problem.question, k, applied);
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
    pub(super) fn here(&self, applied: &RemediesTaken) -> Here {
        Here {
            timeline: self.timeline() * applied.timeline,
            times: applied.all_work * self.slowness(applied),
        }
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
        let deadline = block.period(self.problem.question.rate);
        let rate = self.problem.question.rate;
        let limit = deadline * 10.0;
        let device = self.arrangement.setting.buffer.block;
        let work_of = |order: &[usize], w: &[Worked]| order.iter().map(|&k| pick(&w[k])).collect::<Vec<_>>();
        let cue_work = work_of(&self.cue.cycle.order, cue);
        let roll_work = self.roll.as_ref().map(|r| work_of(&r.cycle.order, roll)).unwrap_or_default();
        let live = BlockSequence { frames: device.get(), work: &cue_work };
        let behind = BlockSequence { frames: block.get(), work: &roll_work };
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

    /// The device's blocks as the risk sees them: what each takes, in the order in which they come.
    pub(super) fn cue_work(&self, worked: &[Worked], pick: fn(&Worked) -> Micros) -> BlockMix {
        let shares: Vec<WorkShare> = worked.iter().map(|w| w.share(pick(w))).collect();
        BlockMix::in_order(shares, &self.cue.cycle.order)
    }

    /// The same state with every processor at its mean share of computing.
    pub(super) fn resting(&self, applied: &RemediesTaken) -> RemediesTaken {
        let mut resting = applied.clone();
        let routes = self.problem.question.context.session.routes();
        for (p, share) in self.problem.question.computing.iter_enumerated().filter(|(_, share)| **share < 1.0)
        {
            resting.factor[p] = resting.factor[p].times(*share, *share);
            resting.touched.push(routes.processors[p].node);
        }
        resting.touched.sort_unstable();
        resting.touched.dedup();
        resting
    }
}

#[derive(Debug, Clone)]
pub(super) struct RollTimes {
    pub(super) block: Block,
    pub(super) worked: Vec<Worked>,
    /// From release to done.
    pub(super) responses: Vec<WorkShare>,
}

#[derive(Debug, Clone)]
pub(super) struct BlockTimes {
    pub(super) cue: Vec<Worked>,
    pub(super) roll: Option<RollTimes>,
}

impl RollTimes {
    /// The longest response to expect.
    pub(super) fn longest(&self) -> Micros {
        self.responses.iter().map(|r| r.work).fold(Micros::new(0.0), Micros::max)
    }
}

impl BlockTimes {
    pub(super) fn of(evaluation: &Evaluation<'_, '_>, applied: &RemediesTaken) -> Self {
        let cue = evaluation.worked(&evaluation.cue, applied);
        let roll = evaluation.roll.as_ref().zip(evaluation.arrangement.roll).map(|(work, block)| {
            let worked = evaluation.worked(work, applied);
            let responses = evaluation.roll_responses(&cue, &worked, block, |w| w.typical);
            RollTimes { block, worked, responses }
        });
        Self { cue, roll }
    }
}

/// Shares of the time of a block.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SessionBusy {
    /// In the mean, with what rests while it is silent.
    pub mean: f64,
    pub worst: f64,
}

/// How busy an arrangement is with `chosen` remedies.
#[must_use]
pub fn busy(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> SessionBusy {
    let applied = evaluation.problem.question.apply(chosen, &[]);
    let resting = evaluation.resting(&applied);
    let (mean, worst) = (BlockTimes::of(evaluation, &resting), BlockTimes::of(evaluation, &applied));
    let period = evaluation.cue_risk(&applied).period;
    let average = |all: &[WorkShare]| all.iter().map(|w| w.work * w.share).sum::<Micros>();
    let longest = |all: &[WorkShare]| all.iter().map(|w| w.work).fold(Micros::new(0.0), Micros::max);
    let cue = |times: &BlockTimes| times.cue.iter().map(|w| w.share(w.typical)).collect::<Vec<_>>();
    // A roll block's own work, spread over its longer time.
    let roll = |times: &BlockTimes, of: &dyn Fn(&[WorkShare]) -> Micros| {
        times.roll.as_ref().map_or(0.0, |roll| {
            let own: Vec<WorkShare> = roll.worked.iter().map(|w| w.share(w.typical)).collect();
            of(&own) / evaluation.roll_risk(roll.block, &applied).period
        })
    };
    SessionBusy {
        mean: average(&cue(&mean)) / period + roll(&mean, &average),
        worst: longest(&cue(&worst)) / period + roll(&worst, &longest),
    }
}
