//! What is remembered while a question is answered: what follows from it for every setting, worked out once, and what many settings
//! share, worked out when it is first asked for. A new memory changes no answer, only how long one takes.

use super::block_work::{BlockWork, Nodes};
use super::latency_budget::LatencyBudget;
use super::quantile_point::QuantilePoint;
use super::question::{Need, PhaseQuestion};
use super::remedy::Remedy;
use super::taken::{Shortest, WorkFactor};
use crate::load::BlockGraph;
use crate::rig::Setting;
use crate::session::ProcessorKind;
use std::sync::{Arc, Mutex, PoisonError};
use swiftloop_units::ids::{NodeId, PerformerId, ProcessorId, RemedyId};
use swiftloop_units::{Block, Frames, Gigabytes};
use typed_index_collections::TiVec;

/// Values that were worked out, by what they were asked for.
#[derive(Debug)]
pub(super) struct Memo<K, V>(Mutex<Vec<(K, V)>>);

impl<K, V> Default for Memo<K, V> {
    fn default() -> Self {
        Self(Mutex::default())
    }
}

impl<K: PartialEq, V: Clone> Memo<K, V> {
    /// The value of `key`: known, or worked out now and known from then on.
    pub(super) fn get_or(&self, key: K, work_out: impl FnOnce() -> V) -> V {
        if let Some(known) = self.get(|k| *k == key) {
            return known;
        }
        // Not under the lock: working one out may ask for others.
        let value = work_out();
        self.0.lock().unwrap_or_else(PoisonError::into_inner).push((key, value.clone()));
        value
    }

    fn get(&self, is: impl Fn(&K) -> bool) -> Option<V> {
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        known.iter().find(|(key, _)| is(key)).map(|(_, value)| value.clone())
    }
}

/// A processor on a live path that cannot ride the cue block as it stands.
#[derive(Debug, Clone)]
pub struct LiveBlocker {
    pub processor: ProcessorId,
    /// It cannot ride at all, however quick.
    pub gone: bool,
    /// Who hears it through the software.
    pub heard_by: Vec<PerformerId>,
    /// Remedies on it after which it rides, the least effort first.
    pub cures: Vec<RemedyId>,
}

/// What is remembered of one question.
#[derive(Debug)]
pub struct Memory {
    /// What cannot ride the cue block as it stands.
    pub live_blockers: Vec<LiveBlocker>,
    /// Remedies that rendering ahead demands in any case; or the processor that cannot go.
    pub forced_by_roll: Result<Vec<RemedyId>, ProcessorId>,
    /// Whether each remedy can shorten any performer's wait: by themselves, or by freeing others from a slower branch.
    pub(super) shortens: TiVec<RemedyId, bool>,
    /// Of remedies that print a track all that tells one such track from another, but for the memory that is freed; and that.
    pub(super) alike: TiVec<RemedyId, Option<(String, Gigabytes)>>,
    /// For each need, by how many frames each remedy shortens its chain at the most.
    pub(super) delay_gains: Vec<TiVec<RemedyId, f64>>,
    /// The shortest delays that remedies can reach.
    pub(super) shortest: Shortest,
    /// The parts of the graph that some kind of block works on.
    pub(super) graphs: Memo<TiVec<NodeId, bool>, Arc<BlockGraph>>,
    /// The work of blocks before any remedy.
    pub(super) works: Memo<(Block, Nodes), Arc<BlockWork>>,
    /// How long live chains may be.
    pub(super) budgets: Memo<(Setting, QuantilePoint), LatencyBudget>,
    /// How much more the work of a block takes at each quantile point.
    pub(super) heavier: Memo<(Block, Nodes), Arc<[f64]>>,
}

impl Memory {
    /// What follows from a question for every setting.
    #[must_use]
    pub fn of(question: &PhaseQuestion<'_>) -> Self {
        let routes = question.context.session.routes();
        let best = question.apply(&[], &question.remedies.keys().collect::<Vec<_>>());
        let latency: TiVec<_, Frames> = question.latency.iter().map(|l| l.typical()).collect();
        let shortens =
            |r: &Remedy| r.effects.iter().any(|e| e.touches_delay(routes, &latency, &question.cue));
        let blockers = live_blockers(question);
        Self {
            forced_by_roll: forced_by_roll(question, &blockers),
            live_blockers: blockers,
            shortens: question.remedies.iter().map(shortens).collect(),
            alike: question.remedies.iter().map(|r| question.print_of_a_kind(r)).collect(),
            delay_gains: delay_gains(question),
            shortest: Shortest { latency: best.latency, direct: best.direct },
            graphs: Memo::default(),
            works: Memo::default(),
            budgets: Memo::default(),
            heavier: Memo::default(),
        }
    }
}

/// What cannot ride the cue block (analysers, split chains, hardware inserts, latency over the threshold), with those who
/// hear it through the software. What nobody hears so may be as slow as it likes.
fn live_blockers(question: &PhaseQuestion<'_>) -> Vec<LiveBlocker> {
    let session = question.context.session;
    let routes = session.routes();
    let hears = |p: PerformerId| session.performer(p).hears.iter().filter_map(|id| session.node_of(id));
    let on_way: Vec<(PerformerId, TiVec<NodeId, bool>)> = question
        .needs
        .iter()
        .map(|need| {
            let own: Vec<NodeId> = hears(need.performer).filter(|n| question.live.contains(n)).collect();
            let (reached, feeds) = (routes.downstream(&own), routes.upstream(need.cue));
            (need.performer, reached.iter().zip(&feeds).map(|(&r, &f)| r && f).collect())
        })
        .collect();
    let mut blockers = Vec::new();
    for (processor, seat) in routes.processors.iter_enumerated() {
        if !question.cue[seat.node] || !question.active[seat.node] {
            continue;
        }
        let gone = match session.processor(processor).kind {
            ProcessorKind::Analyser | ProcessorKind::Split | ProcessorKind::Insert => true,
            ProcessorKind::Effect | ProcessorKind::Instrument => false,
        };
        if !(gone || question.is_slow(question.latency[processor].typical())) {
            continue;
        }
        let heard = on_way.iter().filter(|(_, on_way)| on_way[seat.node]).map(|(p, _)| *p);
        // What is quick enough afterwards, and gone where it cannot ride at all.
        let helps = |r: &RemedyId| {
            let only = question.apply(&[*r], &[]);
            let touches = only.latency[processor] < question.latency[processor].typical()
                || only.factor[processor] != WorkFactor::ONE;
            touches
                && !question.is_slow(only.latency[processor])
                && (!gone || only.factor[processor].is_gone())
        };
        let mut cures: Vec<RemedyId> = question.on_processor(processor).filter(helps).collect();
        cures.sort_by_key(|r| question.remedies[*r].effort);
        blockers.push(LiveBlocker { processor, gone, heard_by: heard.collect(), cures });
    }
    blockers.retain(|r| !r.heard_by.is_empty());
    blockers
}

/// Remedies that rendering ahead demands in any case: of each processor that cannot ride and is heard by somebody who cannot
/// go direct, the only one that helps; or the processor that nothing helps.
fn forced_by_roll(
    question: &PhaseQuestion<'_>,
    blockers: &[LiveBlocker],
) -> Result<Vec<RemedyId>, ProcessorId> {
    let mut forced = Vec::new();
    for blocker in blockers {
        if blocker.heard_by.iter().all(|p| question.may_go_direct(*p)) {
            continue;
        }
        match blocker.cures.as_slice() {
            [] => return Err(blocker.processor),
            [only] => forced.push(*only),
            [_, ..] => {}
        }
    }
    forced.sort_unstable();
    forced.dedup();
    Ok(forced)
}

/// How much each remedy can shorten each performer's chain at the most.
fn delay_gains(question: &PhaseQuestion<'_>) -> Vec<TiVec<RemedyId, f64>> {
    let session = question.context.session;
    let routes = session.routes();
    let latency: TiVec<_, Frames> = question.latency.iter().map(|l| l.typical()).collect();
    let of_need = |need: &Need| {
        let hears = session.performer(need.performer).hears.iter();
        let own: Vec<NodeId> = hears.filter_map(|id| session.node_of(id)).collect();
        let (reached, feeds) = (routes.downstream(&own), routes.upstream(need.cue));
        let on_path = |n: NodeId| reached[n] && feeds[n];
        let gain = |r: &Remedy| {
            let each = r.effects.iter().map(|e| e.shortens_chain(need.performer, routes, &latency, on_path));
            each.sum()
        };
        question.remedies.iter().map(gain).collect()
    };
    question.needs.iter().map(of_need).collect()
}
