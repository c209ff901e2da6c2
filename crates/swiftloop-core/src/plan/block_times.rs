//! How long the blocks of an arrangement take, with typical figures: the device's (or only) ones, and those that are rendered
//! ahead behind them.

use super::block_work::Applied;
use super::evaluation::Evaluation;
use super::machine_work::Worked;
use crate::load::WorkShare;
use swiftloop_units::{Block, Micros};

/// The roll block.
#[derive(Debug, Clone)]
pub(super) struct RollTimes {
    pub(super) block: Block,
    pub(super) worked: Vec<Worked>,
    /// From release to done.
    pub(super) responses: Vec<WorkShare>,
}

/// What blocks take.
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
    pub(super) fn of(evaluation: &Evaluation<'_, '_>, applied: &Applied) -> Self {
        let cue = evaluation.worked(&evaluation.cue, applied);
        let roll = evaluation.roll.as_ref().zip(evaluation.arrangement.roll).map(|(work, block)| {
            let worked = evaluation.worked(work, applied);
            let responses = evaluation.roll_responses(&cue, &worked, block, |w| w.typical);
            RollTimes { block, worked, responses }
        });
        Self { cue, roll }
    }
}
