//! The risk of an arrangement with its doubt, cause by cause: what is not known well (wake-ups, what processors cost, the order
//! in which the software works, how many blocks the device holds) comes in, each with its hopeful and its gloomy
//! figure; dropouts go out, for all causes together or for one alone, so that the widest doubt can be named.

use super::block_work::{Applied, BlockWork};
use super::evaluation::Evaluation;
use super::machine_work::Worked;
use crate::ids::RemedyId;
use crate::load::{WorkDoubt, WorkPart, WorkShare, best_schedule};
use crate::risk::{Dropouts, RiskModel, WakeSet, Work};
use crate::units::{Block, Factor, Micros, Origin, PerHour, Range};
use serde::Serialize;

/// What the dropouts of a setting rest on and nobody knows exactly.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum RiskCause {
    /// How late the audio thread wakes up.
    WakeUps,
    /// What the processors cost, and how fast a core is.
    WorkCost,
    /// In which order the software works on its nodes.
    Order,
    /// How many blocks the device holds.
    Blocks,
    /// How long a disk stalls.
    Disk,
}

/// What one cause does to the dropouts, all others as expected.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RiskDoubt {
    /// The cause.
    pub cause: RiskCause,
    /// With its hopeful figure.
    pub low: PerHour,
    /// With its gloomy figure.
    pub high: PerHour,
}

impl RiskDoubt {
    /// The answer is another one with its hopeful figure than with its gloomy one.
    #[must_use]
    pub fn decides(&self, target: PerHour) -> bool {
        self.low <= target && self.high > target
    }

    /// How wide it is: the logarithm of high over low; what is far below once a year is as good as never.
    #[must_use]
    pub fn width(&self) -> f64 {
        const NEVER: f64 = 1e-6;
        (self.high.raw().max(NEVER) / self.low.raw().max(NEVER)).ln()
    }
}

/// Which causes are taken with their doubt.
#[derive(Debug, Clone, Copy)]
pub(super) struct Causes {
    wake: bool,
    work: bool,
    order: bool,
    blocks: bool,
}

impl Causes {
    pub(super) const ALL: Self = Self { wake: true, work: true, order: true, blocks: true };
    const NONE: Self = Self { wake: false, work: false, order: false, blocks: false };

    /// This one alone.
    fn only(cause: RiskCause) -> Self {
        match cause {
            RiskCause::WakeUps => Self { wake: true, ..Self::NONE },
            RiskCause::WorkCost => Self { work: true, ..Self::NONE },
            RiskCause::Order => Self { order: true, ..Self::NONE },
            RiskCause::Blocks => Self { blocks: true, ..Self::NONE },
            RiskCause::Disk => Self::NONE,
        }
    }
}

/// What each kind of block takes, with the best of several orders.
struct Kinds {
    worked: Vec<Worked>,
    best: Vec<Micros>,
    doubt: WorkDoubt,
}

/// The roll block.
pub(super) struct RollRisk {
    pub(super) block: Block,
    pub(super) worked: Vec<Worked>,
    /// How long roll blocks take, with low, typical and high figures of the order.
    responses: [Vec<WorkShare>; 3],
    doubt: WorkDoubt,
    expected: PerHour,
}

impl RollRisk {
    /// The longest response to expect.
    pub(super) fn longest(&self) -> Micros {
        self.responses[1].iter().map(|r| r.work).fold(Micros::new(0.0), Micros::max)
    }
}

/// All that the risk of an arrangement rests on.
pub(super) struct Risk<'s> {
    pub(super) cue: Vec<Worked>,
    /// Cue blocks with low, typical and high figures of the order.
    cue_work: [Work; 3],
    cue_doubt: WorkDoubt,
    cue_model: RiskModel<'s>,
    expected: PerHour,
    pub(super) roll: Option<RollRisk>,
    roll_model: Option<RiskModel<'s>>,
}

impl<'s> Risk<'s> {
    pub(super) fn of(evaluation: &Evaluation<'s, '_>, applied: &Applied) -> Self {
        let cue = kinds(evaluation, &evaluation.cue, applied);
        let order = &evaluation.cue.cycle.order;
        let low = cue.worked.iter().zip(&cue.best).map(|(w, &work)| WorkShare { share: w.share, work });
        let cue_work = [
            Work::in_order(low.collect(), order),
            evaluation.cue_work(&cue.worked, |w| w.typical),
            evaluation.cue_work(&cue.worked, |w| w.most),
        ];
        let roll = evaluation.roll.as_ref().zip(evaluation.arrangement.roll).map(|(work, block)| {
            let own = kinds(evaluation, work, applied);
            let of = |pick: fn(&Worked) -> Micros, worst| {
                evaluation.roll_responses(&cue.worked, &own.worked, block, pick, worst)
            };
            let responses = [of(|w| w.least, false), of(|w| w.typical, false), of(|w| w.most, true)];
            let doubt =
                WorkDoubt { low: own.doubt.low.min(cue.doubt.low), high: own.doubt.high.max(cue.doubt.high) };
            let model = evaluation.roll_risk(block, applied);
            let expected = model.typical(&Work::mixed(&responses[1]));
            (RollRisk { block, worked: own.worked, responses, doubt, expected }, model)
        });
        let cue_model = evaluation.cue_risk(applied);
        let (roll, roll_model) = roll.unzip();
        Self {
            expected: cue_model.typical(&cue_work[1]),
            cue_model,
            roll_model,
            cue: cue.worked,
            cue_work,
            cue_doubt: cue.doubt,
            roll,
        }
    }

    /// Dropouts from late blocks, with the doubt of some causes.
    pub(super) fn dropouts(&self, of: Causes) -> Dropouts {
        let cue = self.of_blocks(&self.cue_model, of, &self.cue_work, self.cue_doubt, self.expected);
        let (Some(roll), Some(model)) = (&self.roll, &self.roll_model) else { return cue };
        let work = [0, 1, 2].map(|i| Work::mixed(&roll.responses[i]));
        cue.plus(self.of_blocks(model, of, &work, roll.doubt, roll.expected))
    }

    /// Dropouts from late blocks to expect.
    fn expected(&self) -> PerHour {
        self.roll.as_ref().map_or(self.expected, |roll| self.expected + roll.expected)
    }

    fn of_blocks(
        &self,
        model: &RiskModel<'_>,
        of: Causes,
        work: &[Work; 3],
        doubt: WorkDoubt,
        expected: PerHour,
    ) -> Dropouts {
        let wake = if of.wake {
            model.wake.clone()
        } else {
            let typical = &model.wake.typical;
            WakeSet { low: typical.clone(), high: typical.clone(), ..model.wake.clone() }
        };
        let reserve = if of.blocks { model.reserve } else { Range::exact(model.reserve.typical()) };
        let factor = if of.work { doubt } else { WorkDoubt::NONE };
        let ordered = |at: usize| if of.order { &work[at] } else { &work[1] };
        let (low, high) = (ordered(0).times(factor.low), ordered(2).times(factor.high));
        RiskModel { period: model.period, reserve, wake: &wake }.around(&low, expected, &high)
    }
}

/// Whether even the gloomy figures of everything meet the target.
pub(super) fn holds(evaluation: &Evaluation<'_, '_>, applied: &Applied) -> bool {
    let rest = evaluation.from_disk(applied).typical + evaluation.from_memory(applied).high;
    let target = evaluation.problem.target;
    if rest > target {
        return false;
    }
    let model = evaluation.cue_risk(applied);
    let cue = evaluation.worked(&evaluation.cue, applied);
    let doubt = |block: &BlockWork| work_doubt(evaluation, block, block.worst_index(), applied).high;
    let cue_doubt = doubt(&evaluation.cue);
    let work = evaluation.cue_work(&cue, |w| w.most).times(cue_doubt);
    let (Some(roll), Some(block)) = (&evaluation.roll, evaluation.arrangement.roll) else {
        return !model.is_more_at_worst(&work, target - rest);
    };
    let worked = evaluation.worked(roll, applied);
    let responses = evaluation.roll_responses(&cue, &worked, block, |w| w.most, true);
    let roll_work = Work::mixed(&responses).times(cue_doubt.max(doubt(roll)));
    let roll_model = evaluation.roll_risk(block, applied);
    // Each must meet it alone before the sum is worth its price.
    !model.is_more_at_worst(&work, target - rest)
        && !roll_model.is_more_at_worst(&roll_work, target - rest)
        && model.at_worst(&work) + roll_model.at_worst(&roll_work) <= target - rest
}

fn kinds(evaluation: &Evaluation<'_, '_>, block: &BlockWork, applied: &Applied) -> Kinds {
    let worked = evaluation.worked(block, applied);
    let workers = evaluation.arrangement.workers;
    let here = evaluation.here(applied);
    let best = |(k, w): (usize, &Worked)| {
        if workers <= 1 {
            return w.typical;
        }
        let cost = block.node_costs(evaluation.problem, k, applied);
        let best = best_schedule(&block.graph, &cost, workers);
        here.takes(best).min(w.typical)
    };
    Kinds {
        best: worked.iter().enumerate().map(best).collect(),
        doubt: work_doubt(evaluation, block, block.worst_index(), applied),
        worked,
    }
}

/// How far the work of blocks of kind `k` may be off.
pub(super) fn work_doubt(
    evaluation: &Evaluation<'_, '_>,
    block: &BlockWork,
    k: usize,
    applied: &Applied,
) -> WorkDoubt {
    let problem = evaluation.problem;
    let (session, routes) = (problem.context.session, problem.context.session.routes());
    let served = &block.cycle.blocks[k].served;
    let part = |p: crate::ids::ProcessorId| {
        let factor = applied.factor[p];
        let of = |cost: crate::load::CallCost| {
            cost.times(factor.call, factor.frame).in_block(&block.cycle, served)
        };
        let cost = problem.costs[p];
        let work = Range::spanning(of(cost.low), of(cost.typical), of(cost.high));
        WorkPart { known: session.cost(p).known, work }
    };
    let here = |&p: &crate::ids::ProcessorId| {
        let node = routes.processors[p].node;
        block.included[node] && !applied.nodes_off.contains(&node)
    };
    let total: Micros = block.node_costs(problem, k, applied).iter().copied().sum();
    let of_costs = WorkDoubt::of_costs(problem.costs.keys().filter(here).map(part), total);
    of_costs.and(speed_doubt(evaluation)).and(evaluation.crowding(applied))
}

/// Factors on all work: how well the speed of a core is known.
fn speed_doubt(evaluation: &Evaluation<'_, '_>) -> Range<Factor> {
    let (machine, assume) =
        (&evaluation.problem.context.rig.machine, &evaluation.problem.context.tables.assume);
    let off = if machine.measured_speed().is_some() {
        assume.measured_speed_doubt
    } else if machine.core_speed.is_some() {
        assume.declared_speed_doubt
    } else {
        assume.class_speed_doubt
    };
    Range::spanning(Factor::new(1.0 / off.raw()), Factor::new(1.0), off)
}

/// What each cause does to the dropouts of an arrangement with `chosen` remedies, the widest first; what hardly does
/// anything is left out.
#[must_use]
pub fn risk_doubts(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Vec<RiskDoubt> {
    /// Less than a tenth more or less is no doubt.
    const SMALL: f64 = 0.1;
    let applied = evaluation.problem.apply(chosen, &[]);
    let risk = Risk::of(evaluation, &applied);
    let (disk, memory) = (evaluation.from_disk(&applied), evaluation.from_memory(&applied).typical);
    let mut all = Vec::new();
    for cause in [RiskCause::WakeUps, RiskCause::WorkCost, RiskCause::Order, RiskCause::Blocks] {
        let of = risk.dropouts(Causes::only(cause));
        let rest = disk.typical + memory;
        all.push(RiskDoubt { cause, low: of.low + rest, high: of.high + rest });
    }
    let rest = risk.expected() + memory;
    all.push(RiskDoubt { cause: RiskCause::Disk, low: disk.low + rest, high: disk.high + rest });
    // What was measured is as good as it gets.
    if evaluation.problem.machine(&applied).wake.origin == Origin::Measured {
        all.retain(|d| d.cause != RiskCause::WakeUps);
    }
    all.retain(|d| d.width() > SMALL);
    all.sort_by(|a, b| b.width().total_cmp(&a.width()));
    all
}
