//! How long the live chains may be. A setting comes in; for each performer who listens through the software the frames that
//! their chain may take go out, and by how much chains are over that.

use super::quantile_point::LITTLE;
use super::quantile_point::{Goal, QuantilePoint};
use super::question::{Need, PhaseQuestion};
use super::taken::Shortest;
use crate::loops::{ChainsRange, Electric, loop_of};
use crate::rig::Setting;
use swiftloop_units::ids::{PerformerId, ProcessorId};
use swiftloop_units::{Frames, Ms};
use typed_index_collections::TiVec;

/// How far performers are over their limits.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Excess {
    /// The most by which any chain is too long (0 when all fit).
    pub frames: Frames,
    pub performer: Option<PerformerId>,
}

/// A hair of tolerance, so that a sum of legs is not refused for its last bit.
const HAIR: Frames = Frames::new(1e-6);

/// Frames that the live chains may take at a setting, of each need in the order of the needs.
#[derive(Debug, Clone)]
pub struct LatencyBudget {
    playable: Vec<Frames>,
    immediate: Vec<Frames>,
    /// What it counts like at the least that performers notice their delay.
    pub(super) noticed: u32,
}

impl LatencyBudget {
    /// In the share of rigs that a design asks for: the limit less the loop without its chain. Where a chain cannot be so short
    /// that it is not noticed, not being noticed in half of all rigs is enough, or being playable.
    pub(super) fn at(
        question: &PhaseQuestion<'_>,
        shortest: &Shortest,
        setting: &Setting,
        design: QuantilePoint,
    ) -> Self {
        let bare = question.bare_chains();
        let bare = ChainsRange { high: &bare, typical: &bare, low: &bare };
        let context = &question.context;
        let electric = Electric::of(context, setting);
        let of = |need: &Need| {
            let whole = loop_of(context, setting, question.phase, need.performer, &electric, bare, false);
            let endless = Frames::new(f64::INFINITY);
            let Some(each) = whole.per_rig(context, setting) else { return (endless, endless, 0.0) };
            let under = |limit: &[f64], share: f64| {
                let left: Vec<f64> =
                    limit.iter().zip(&each.delay).map(|(limit, delay)| limit - delay).collect();
                Ms::new(context.rigs.at_least(&left, share)).frames_at(question.rate) + HAIR
            };
            let playable = under(&each.fails, design.share());
            let least = shortest_chain(question, need, shortest);
            let unnoticed = [design.share(), 0.5].map(|share| under(&each.noticed, share));
            let immediate = unnoticed.into_iter().find(|allowed| least <= *allowed).unwrap_or(playable);
            let direct = shortest.direct.contains(&need.performer);
            let least = least.at(question.rate).raw();
            let noticed = context.rigs.share(|i| !direct && each.delay[i] + least > each.noticed[i] + 1e-6);
            (playable, immediate, noticed.raw())
        };
        let all: Vec<_> = question.needs.iter().map(of).collect();
        Self {
            playable: all.iter().map(|a| a.0).collect(),
            immediate: all.iter().map(|a| a.1).collect(),
            noticed: (LITTLE * all.iter().map(|a| a.2).sum::<f64>()).round() as u32,
        }
    }

    pub(super) fn allowed(self, goal: Goal) -> Vec<Frames> {
        match goal {
            Goal::Playable => self.playable,
            Goal::Immediate => self.immediate,
        }
    }
}

/// How far performers are over what is allowed, with these latencies and these performers gone direct.
#[must_use]
pub fn excess(
    question: &PhaseQuestion<'_>,
    allowed: &[Frames],
    latency: &TiVec<ProcessorId, Frames>,
    direct: &[PerformerId],
) -> Excess {
    let chains = question.chains(|p| latency[p], direct);
    let mut worst = Excess { frames: Frames::new(0.0), performer: None };
    for (need, allowed) in question.needs.iter().zip(allowed) {
        if !direct.contains(&need.performer) {
            let over = chains.at(need.cue) - *allowed;
            if over > worst.frames {
                worst = Excess { frames: over, performer: Some(need.performer) };
            }
        }
    }
    worst
}

/// The shortest that remedies can make a performer's chain; nothing for one who can go direct.
fn shortest_chain(question: &PhaseQuestion<'_>, need: &Need, shortest: &Shortest) -> Frames {
    if shortest.direct.contains(&need.performer) {
        return Frames::new(0.0);
    }
    question.own_delay(need, &shortest.latency)
}
