//! The work to soak a machine with: a plan and one of its places come in; rate, blocks and what each has to compute go
//! out, as the plan chose it or as somebody asks.

use super::{Arrangement, Evaluation, PhaseProblem, Plan};
use crate::loops::Context;
use crate::plan::block_times::Worked;
use crate::rig::{LinkSetting, Offered, Setting};
use crate::soak::WorkPattern;
use swiftloop_units::Micros;
use swiftloop_units::ids::{InterfaceId, PhaseId, RemedyId};
use swiftloop_units::{Block, Hz, PerHour};

/// What is asked otherwise than planned.
#[derive(Debug, Clone, Copy, Default)]
pub struct WorkAsked {
    pub rate: Option<Hz>,
    /// Another block; of a ladder the largest.
    pub block: Option<Block>,
    /// All blocks that the driver offers.
    pub ladder: bool,
    pub workers: Option<u32>,
}

/// What is to be soaked.
#[derive(Debug, Clone)]
pub struct PlannedWork {
    pub rate: Hz,
    /// Periods until a block must be done.
    pub reserve: f64,
    /// Dropouts that are allowed.
    pub target: PerHour,
    /// Rising blocks, each with its work on the reference core.
    pub blocks: Vec<(Block, Vec<WorkPattern>)>,
    /// Tracks are rendered ahead; their blocks are not among these.
    pub renders_ahead: bool,
}

/// Why there is none.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NoWork {
    /// The plan has no such place.
    NotPlanned,
    /// The driver does not offer the block.
    NoSuchBlock {
        driver: String,
        /// Block that was asked for.
        asked: Block,
        /// Blocks that are offered.
        offered: Vec<Block>,
    },
}

/// The work of a place as planned.
///
/// # Errors
/// [`NoWork`].
pub fn planned_work(
    context: Context<'_>,
    plan: &Plan,
    (interface, phase): (InterfaceId, PhaseId),
    asked: WorkAsked,
) -> Result<PlannedWork, NoWork> {
    let chosen = plan.choice(interface, phase).ok_or(NoWork::NotPlanned)?;
    let rate = asked.rate.unwrap_or(plan.rate);
    let problem = PhaseProblem::new(context, interface, phase, rate);
    let is_chosen = |id: &String| chosen.report.remedies.iter().any(|r| r.id == *id);
    let remedies: Vec<RemedyId> = problem
        .question
        .remedies
        .iter_enumerated()
        .filter(|(_, r)| is_chosen(&r.id))
        .map(|(at, _)| at)
        .collect();
    let planned = &chosen.arrangement.setting;
    let driver = context.driver(planned);
    let offered = driver.buffers.offered(rate);
    let mut buffers: Vec<Offered> = if asked.ladder {
        offered.into_iter().filter(|o| asked.block.is_none_or(|largest| o.block <= largest)).collect()
    } else {
        let block = asked.block.unwrap_or(planned.buffer.block);
        let known = offered.iter().map(|o| o.block).collect();
        let none = NoWork::NoSuchBlock { driver: driver.id().into(), asked: block, offered: known };
        vec![offered.into_iter().find(|o| o.block == block).ok_or(none)?]
    };
    buffers.sort_by_key(|o| o.block);
    buffers.dedup_by_key(|o| o.block);
    let workers = asked.workers.unwrap_or(chosen.arrangement.workers);
    let work = |buffer: Offered| {
        let block = buffer.block;
        let setting = Setting { buffer, rate, ..planned.clone() };
        let roll = chosen.arrangement.roll.filter(|r| *r > block);
        let evaluation =
            Evaluation::new(&problem, Arrangement { setting, roll, workers, link: LinkSetting::default() });
        (block, reference_work(&evaluation, &remedies))
    };
    Ok(PlannedWork {
        rate,
        reserve: context.reserve(planned).typical().raw(),
        target: problem.question.target,
        blocks: buffers.into_iter().map(work).collect(),
        renders_ahead: chosen.arrangement.roll.is_some(),
    })
}

/// The work of each worker on the reference core. The first worker is given what the whole block takes, the others
/// share what is left of the total, so that the sum is that of the session. Other programs are left out: on a real
/// machine they run themselves.
#[must_use]
pub fn reference_work(evaluation: &Evaluation<'_, '_>, chosen: &[RemedyId]) -> Vec<WorkPattern> {
    let applied = evaluation.problem.question.apply(chosen, &[]);
    let slowness = evaluation.slowness(&applied);
    let others = evaluation.arrangement.workers.max(1) as usize - 1;
    let split = |w: Worked| {
        let left = (w.total - w.typical).max(Micros::new(0.0)) / others.max(1) as f64;
        let each = std::iter::once(w.typical).chain(std::iter::repeat_n(left, others));
        WorkPattern { share: w.share, work: each.map(|us| us / slowness).collect() }
    };
    evaluation.worked(&evaluation.cue, &applied).into_iter().map(split).collect()
}
