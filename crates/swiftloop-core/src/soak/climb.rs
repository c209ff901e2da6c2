//! Up the rungs. A machine that can be put to work and the blocks with their work come in, a rung for each block that was
//! tried goes out. The machine is listened to in stretches between those that are judged: what is predicted for a block
//! comes from the stretches in between, so that it can be wrong, and so that a noisy minute strikes both alike.

use super::{Decision, Observed, Provenance, Rung, Samples, SoakTest, ValueCounts, learn};
use crate::load::WorkShare;
use crate::risk::{BlockMix, Dropouts, RiskModel, WakeSet};
use swiftloop_units::{Block, Blocks, Hz, Micros, Range, Seconds};

/// One kind of block.
#[derive(Debug, Clone, PartialEq)]
pub struct WorkPattern {
    /// How often it comes: a share of all blocks.
    pub share: f64,
    /// Its work on each worker.
    pub work: Vec<Micros>,
}

/// A stretch of time to live through.
#[derive(Debug, Clone, Copy)]
pub struct SoakStretch<'a> {
    pub block: Block,
    /// The work of a block.
    pub patterns: &'a [WorkPattern],
    pub length: Seconds,
    /// Its misses count; otherwise it is only listened to.
    pub judged: bool,
}

/// How a stretch ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum End {
    #[default]
    Whole,
    /// Somebody stopped it; what was seen counts.
    Stopped,
    /// What was soaked through went away; what it did while dying says nothing about the machine.
    Gone,
}

/// What a machine lived through in a stretch.
#[derive(Debug, Clone)]
pub struct StretchResult {
    pub observed: Observed,
    pub heard: Samples,
    /// Execution times in µs.
    pub exec_us: ValueCounts,
    pub end: End,
}

/// A machine that can be put to work.
pub trait SoakMachine {
    type Error;

    /// A rung begins that lasts so long at the most.
    fn begin(&mut self, block: Block, longest: Seconds);

    /// Lives through a stretch. `goes_on` is asked now and then, with the misses of this stretch so far and how long it has lasted.
    ///
    /// # Errors
    /// When it cannot.
    fn live(
        &mut self,
        stretch: SoakStretch<'_>,
        goes_on: &mut dyn FnMut(u64, Seconds) -> bool,
    ) -> Result<StretchResult, Self::Error>;
}

#[derive(Debug)]
pub struct Climb<'a> {
    pub rate: Hz,
    /// Periods until a block must be done.
    pub reserve: f64,
    /// Blocks, rising, with their work.
    pub blocks: Vec<(Block, Vec<WorkPattern>)>,
    /// What is asked of each.
    pub question: SoakTest,
    /// How long each block is judged.
    pub length: Seconds,
    /// Stop at the first block that holds or shows no miss, and at each block as soon as its answer is known.
    pub ladder: bool,
    /// Wake-up delays when too little was heard to learn from.
    pub unknown: &'a WakeSet,
}

/// What came of it.
#[derive(Debug, Clone, Default)]
pub struct Climbed {
    /// Every block that was judged.
    pub rungs: Vec<Rung>,
    /// What was only listened to.
    pub listened: Samples,
    pub judged: Samples,
    pub end: End,
}

/// Length of a stretch, listened to or judged: of one length, so that what builds up within a stretch (the system's own
/// limit on real-time threads, heat) strikes both alike.
const STRETCH: Seconds = Seconds::new(2.0);
/// Periods in a stretch at the least, and in a rung.
const FEWEST_PERIODS: (f64, f64) = (4.0, 8.0);
/// A remainder shorter than this, or than so many periods, is left out: it might bring no block, again and again.
const REMAINDER: (Seconds, f64) = (Seconds::new(0.02), 2.0);
/// Fewer blocks say too little about the pace at one block.
const FEWEST_PACES: u64 = 200;

/// One rung while it is climbed.
#[derive(Default)]
struct RungProgress {
    observed: Observed,
    listened: Samples,
    judged: Samples,
    exec_us: ValueCounts,
    end: End,
}

impl RungProgress {
    fn take(&mut self, lived: StretchResult, judged: bool) {
        self.end = lived.end;
        if !judged {
            self.listened = std::mem::take(&mut self.listened).with(lived.heard);
        } else if lived.end != End::Gone {
            self.judged = std::mem::take(&mut self.judged).with(lived.heard);
            self.exec_us = self.exec_us.with(&lived.exec_us);
            self.observed = self.observed.plus(lived.observed);
        }
    }
}

impl Climb<'_> {
    /// Soaks every block, on a ladder up to the first that nothing speaks against.
    ///
    /// # Errors
    /// When the machine cannot.
    pub fn up<M: SoakMachine>(&self, machine: &mut M) -> Result<Climbed, M::Error> {
        let mut climbed = Climbed::default();
        for (block, patterns) in &self.blocks {
            let seen = self.live(machine, *block, patterns)?;
            let predicted = self.predict(&climbed.listened, &seen.listened, *block, patterns);
            let decision = self.decide(&seen.observed);
            climbed.end = seen.end;
            if seen.observed.blocks > 0 {
                climbed.rungs.push(Rung {
                    block: *block,
                    rate: self.rate,
                    observed: seen.observed,
                    wake_us: seen.judged.wakes.clone(),
                    exec_us: seen.exec_us,
                    predicted,
                    decision,
                });
            }
            climbed.listened = climbed.listened.with(seen.listened);
            climbed.judged = climbed.judged.with(seen.judged);
            let quiet = decision != Decision::Breaks && seen.observed.misses() == 0;
            if climbed.end != End::Whole || decision == Decision::Holds || self.ladder && quiet {
                break;
            }
        }
        Ok(climbed)
    }

    /// One block, in stretches, until the time is over or (on a ladder) the answer is known.
    fn live<M: SoakMachine>(
        &self,
        machine: &mut M,
        block: Block,
        patterns: &[WorkPattern],
    ) -> Result<RungProgress, M::Error> {
        let period = Seconds::from(block.period(self.rate));
        let longest = self.length.max(period * FEWEST_PERIODS.1);
        let length = STRETCH.max(period * FEWEST_PERIODS.0);
        let enough = longest - REMAINDER.0.max(period * REMAINDER.1);
        machine.begin(block, longest);
        let mut seen = RungProgress::default();
        while seen.observed.lasted < enough && !self.known(&seen.observed) {
            let so_far = seen.observed;
            let length = length.min(longest - so_far.lasted);
            for judged in [false, true] {
                let mut goes_on = |misses: u64, lasted: Seconds| {
                    let now = Observed { blocks: 0, late: 0, runs: misses, lasted };
                    !(judged && self.known(&so_far.plus(now)))
                };
                let stretch = SoakStretch { block, patterns, length, judged };
                seen.take(machine.live(stretch, &mut goes_on)?, judged);
                if seen.end != End::Whole {
                    return Ok(seen);
                }
            }
        }
        Ok(seen)
    }

    fn decide(&self, observed: &Observed) -> Decision {
        self.question.answer(observed.misses(), observed.lasted)
    }

    /// On a ladder a known answer ends a rung before its time.
    fn known(&self, observed: &Observed) -> bool {
        self.ladder && self.decide(observed) != Decision::Open
    }

    /// What the risk model says of a block: wake-ups from all that was listened to, pace from this rung if that is enough.
    fn predict(&self, before: &Samples, here: &Samples, block: Block, patterns: &[WorkPattern]) -> Dropouts {
        let mut heard = before.clone().with(here.clone());
        if here.pace.total() >= FEWEST_PACES {
            heard.pace = here.pace.clone();
            heard.pace_by_second.clone_from(&here.pace_by_second);
        }
        let learned = learn(&heard, &Provenance::default()).map(|p| WakeSet::measured(&p));
        let wake = learned.as_ref().unwrap_or(self.unknown);
        // Each worker can be late: their chances add up.
        let of_workers = |p: &WorkPattern| {
            let share = p.share;
            p.work.iter().map(move |&work| WorkShare { share, work }).collect::<Vec<_>>()
        };
        let each: Vec<WorkShare> = patterns.iter().flat_map(of_workers).collect();
        let reserve = Range::exact(Blocks::new(self.reserve));
        RiskModel { period: block.period(self.rate), reserve, wake, meter: None }
            .counted(&BlockMix::mixed(&each))
    }
}
