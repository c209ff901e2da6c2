//! What cannot ride the cue block when tracks are rendered ahead: a problem comes in; the processors on live paths that are too
//! slow or cannot be split from their track go out, with who hears them and what cures each. The one idea: what nobody hears
//! through the software need not ride.

use super::block_work::{Applied, WorkFactor};
use super::phase_problem::PhaseProblem;
use super::{Effect, remedy};
use crate::session::ProcessorKind;
use swiftloop_units::Frames;
use swiftloop_units::ids::{NodeId, PerformerId, ProcessorId, RemedyId};
use typed_index_collections::TiVec;

/// A processor on a live path that cannot ride the cue block as it stands.
#[derive(Debug, Clone)]
pub struct Rider {
    /// Which.
    pub processor: ProcessorId,
    /// It cannot ride at all, however quick.
    pub gone: bool,
    /// Who hears it through the software.
    pub heard_by: Vec<PerformerId>,
    /// Remedies on it after which it rides, the least effort first.
    pub cures: Vec<RemedyId>,
}

impl PhaseProblem<'_> {
    /// What cannot ride the cue block (analysers, split chains, hardware inserts, latency over the threshold), with those who
    /// hear it through the software. What nobody hears so may be as slow as it likes.
    pub(super) fn riders(&self) -> Vec<Rider> {
        let session = self.context.session;
        let routes = session.routes();
        let hears = |p: PerformerId| session.performer(p).hears.iter().filter_map(|id| session.node_of(id));
        let on_way: Vec<(PerformerId, TiVec<NodeId, bool>)> = self
            .needs
            .iter()
            .map(|need| {
                let own: Vec<NodeId> = hears(need.performer).filter(|n| self.live.contains(n)).collect();
                let (reached, feeds) = (routes.downstream(&own), routes.upstream(need.cue));
                (need.performer, reached.iter().zip(&feeds).map(|(&r, &f)| r && f).collect())
            })
            .collect();
        let mut riders = Vec::new();
        for (processor, seat) in routes.processors.iter_enumerated() {
            if !self.cue[seat.node] || !self.active[seat.node] {
                continue;
            }
            let gone = match session.processor(processor).kind {
                ProcessorKind::Analyser | ProcessorKind::Split | ProcessorKind::Insert => true,
                ProcessorKind::Effect | ProcessorKind::Instrument => false,
            };
            if !(gone || self.is_slow(self.latency[processor].typical())) {
                continue;
            }
            let heard = on_way.iter().filter(|(_, on_way)| on_way[seat.node]).map(|(p, _)| *p);
            // What is quick enough afterwards, and gone where it cannot ride at all.
            let helps = |r: &RemedyId| {
                let only = self.apply(&[*r], &[]);
                let touches = only.latency[processor] < self.latency[processor].typical()
                    || only.factor[processor] != WorkFactor::ONE;
                touches
                    && !self.is_slow(only.latency[processor])
                    && (!gone || only.factor[processor].is_gone())
            };
            let mut cures: Vec<RemedyId> = self.on_processor(processor).filter(helps).collect();
            cures.sort_by_key(|r| self.remedies[*r].effort);
            riders.push(Rider { processor, gone, heard_by: heard.collect(), cures });
        }
        riders.retain(|r| !r.heard_by.is_empty());
        riders
    }

    /// Over the phase's threshold for processors on a live path.
    fn is_slow(&self, frames: Frames) -> bool {
        frames.at(self.rate) > self.phase.bypass_over_ms.unwrap_or(self.kind.bypass_over_ms)
    }

    /// What cannot ride the cue block after `applied`, although somebody hears it through the software.
    pub fn cannot_ride(&self, applied: &Applied) -> impl Iterator<Item = &Rider> {
        let routes = self.context.session.routes();
        self.riders.iter().filter(move |r| {
            let cured = !self.is_slow(applied.latency[r.processor])
                && (!r.gone || applied.factor[r.processor].is_gone());
            !cured
                && !applied.nodes_off.contains(&routes.processors[r.processor].node)
                && !r.heard_by.iter().all(|p| applied.direct.contains(p))
        })
    }

    /// Whether a performer may be sent to the interface's own mixer.
    #[must_use]
    pub fn may_go_direct(&self, performer: PerformerId) -> bool {
        self.remedies.iter().any(|r| r.effects == [Effect::Direct(performer)])
    }

    /// Remedies that rendering ahead demands in any case: of each processor that cannot ride and is heard by somebody who cannot
    /// go direct, the only one that helps; or the processor that nothing helps.
    pub(super) fn forced_by_roll(&self) -> Result<Vec<RemedyId>, ProcessorId> {
        let mut forced = Vec::new();
        for rider in &self.riders {
            if rider.heard_by.iter().all(|p| self.may_go_direct(*p)) {
                continue;
            }
            match rider.cures.as_slice() {
                [] => return Err(rider.processor),
                [only] => forced.push(*only),
                [_, ..] => {}
            }
        }
        forced.sort_unstable();
        forced.dedup();
        Ok(forced)
    }

    /// Remedies that are done to one processor.
    fn on_processor(&self, p: ProcessorId) -> impl Iterator<Item = RemedyId> {
        let mine = move |r: &RemedyId| self.remedies[*r].target == remedy::Target::Processor(p);
        self.remedies.keys().filter(mine)
    }
}
