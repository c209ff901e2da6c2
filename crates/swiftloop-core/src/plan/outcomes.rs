//! What becomes of a setting in every possible rig: its loops and its dropouts rig by rig come in; who is late in which rig,
//! and where it breaks too often, go out.

use super::Evaluation;
use super::block_times::BlockTimes;
use super::taken::RemediesTaken;
use crate::doubt::Rigs;
use crate::loops::ChainsRange;
use crate::loops::loops_of;
use crate::loops::{Loop, PerRig};
use crate::plan::quantile_point::LITTLE;
use swiftloop_units::Ms;
use swiftloop_units::ids::ProcessorId;
use swiftloop_units::ids::{FarId, PerformerId};
use swiftloop_units::{PerHour, Seconds, Share};

/// What becomes of a setting, rig by rig.
#[derive(Debug, Clone, PartialEq)]
pub struct Outcomes {
    /// Dropouts per hour.
    pub rates: Vec<f64>,
    /// Loops that are not the same in all rigs, or not in time.
    pub(super) loops: Vec<(PerformerId, Option<FarId>, PerRig)>,
    target: PerHour,
}

/// A show without a second try.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CleanShow {
    /// How long it lasts.
    pub lasts: Seconds,
    /// In which share of shows, on rigs like this, nothing breaks from beginning to end.
    pub clean: Share,
}

impl Outcomes {
    /// After `applied`, with the loops that go with it.
    pub(super) fn after(evaluation: &Evaluation<'_, '_>, applied: &RemediesTaken, loops: &[Loop]) -> Self {
        let rates = evaluation.rates(applied, &BlockTimes::of(evaluation, applied));
        Self::of(evaluation, loops, rates)
    }

    /// In which share of rigs limits and target are met.
    pub(super) fn sound(&self, rigs: &Rigs) -> Share {
        rigs.share(|i| self.is_sound(i))
    }

    pub(super) fn of(evaluation: &Evaluation<'_, '_>, loops: &[Loop], rates: Vec<f64>) -> Self {
        let problem = evaluation.problem;
        let setting = &evaluation.arrangement.setting;
        let doubted = loops.iter().filter(|l| l.shares.immediate.raw() < 1.0);
        let each = doubted
            .filter_map(|l| Some((l.performer?, l.far, l.per_rig(&problem.question.context, setting)?)));
        Self { rates, loops: each.collect(), target: problem.question.target }
    }

    /// No more dropouts than allowed in rig `i`.
    #[must_use]
    pub fn holds(&self, i: usize) -> bool {
        self.rates[i] <= self.target.raw()
    }

    /// Everybody can play in time in rig `i`.
    #[must_use]
    pub fn is_playable(&self, i: usize) -> bool {
        self.loops.iter().all(|(_, _, l)| l.delay[i] <= l.fails[i] + 1e-9)
    }

    #[must_use]
    pub fn is_sound(&self, i: usize) -> bool {
        self.holds(i) && self.is_playable(i)
    }

    /// How a performer's delay and limits lie in every rig, where that is not the same in all: that of their own sound, or from them
    /// to a far side and back.
    #[must_use]
    pub fn of_performer(&self, who: PerformerId, far: Option<FarId>) -> Option<&PerRig> {
        self.loops.iter().find(|(p, f, _)| *p == who && *f == far).map(|(_, _, l)| l)
    }
}

impl CleanShow {
    /// Dropouts come by themselves (Poisson): nothing breaks in `exp(−rate × time)` of shows, in the mean over all rigs.
    #[must_use]
    pub fn of(lasts: Seconds, rates: &[f64], rigs: &Rigs) -> Self {
        Self { lasts, clean: Share::new(rigs.mean(|i| (-rates[i] * lasts.hours()).exp()).clamp(0.0, 1.0)) }
    }
}

/// Whoever has more to complain about first, then whoever has the least room.
pub(super) fn tightest_first(a: &Loop, b: &Loop) -> std::cmp::Ordering {
    b.verdict().cmp(&a.verdict()).then(a.room().raw().total_cmp(&b.room().raw()))
}

/// The longest of all.
pub(super) fn longest(loops: &[Loop]) -> Ms {
    loops.iter().map(|l| l.total.typical()).fold(Ms::new(0.0), Ms::max)
}

/// The loops after `applied`, the least room first.
pub(super) fn loops_after(evaluation: &Evaluation<'_, '_>, applied: &RemediesTaken) -> Vec<Loop> {
    let problem = evaluation.problem;
    let setting = &evaluation.arrangement.setting;
    // The low figure of a latency survives a remedy only if the remedy did not change it.
    let low = |p: ProcessorId| problem.question.latency[p].low().min(applied.latency[p]);
    let unchanged = |p: ProcessorId| applied.latency[p] == problem.question.latency[p].typical();
    let high =
        |p: ProcessorId| if unchanged(p) { problem.question.latency[p].high() } else { applied.latency[p] };
    let high = problem.question.chains(high, &applied.direct);
    let typical = problem.question.chains(|p| applied.latency[p], &applied.direct);
    let low = problem.question.chains(low, &applied.direct);
    let chains = ChainsRange { high: &high, typical: &typical, low: &low };
    let mut loops = loops_of(
        &problem.question.context,
        setting,
        problem.question.phase,
        chains,
        &applied.direct,
        &evaluation.arrangement.link,
    );
    loops.sort_by(tightest_first);
    loops
}

/// What it counts like that performers notice their delay: a change that somebody feels for each, by the share of rigs in
/// which they do.
pub(super) fn noticed_by(loops: &[Loop]) -> u32 {
    let share = |l: &Loop| 1.0 - l.shares.immediate.raw();
    (LITTLE * loops.iter().map(share).sum::<f64>()).round() as u32
}
