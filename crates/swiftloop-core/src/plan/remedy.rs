//! A remedy: a single change to the session or the machine that lowers delay or load, with its id, its effort and what it changes.

use super::Effect;
use crate::loops::Context;
use crate::rig::PowerPlan;
use crate::tables::{RemedyAction, RemedyKind};
use swiftloop_measure::link::packet::Spare;
use swiftloop_units::Block;
use swiftloop_units::ids::{BusId, FarId, MeetingId, PerformerId, ProcessorId, ProgramId, RemedyId, TrackId};
use typed_index_collections::TiVec;

/// One change with its effort.
#[derive(Debug, Clone, PartialEq)]
pub struct Remedy {
    /// `kind:target`, or the kind alone.
    pub id: String,
    /// What kind of change.
    pub kind: RemedyKind,
    /// What it is done to.
    pub target: Target,
    /// How much it disturbs the work.
    pub effort: u32,
    pub effects: Vec<Effect>,
}

/// What a remedy is done to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Target {
    /// The session or the machine as a whole.
    Whole,
    Processor(ProcessorId),
    Track(TrackId),
    Bus(BusId),
    Program(ProgramId),
    Performer(PerformerId),
    /// Copies that carry this word.
    Copies(String),
    /// The timeline, which has so many ticks now.
    Ticks(u32),
    /// The power plan, which is this one now.
    Power(PowerPlan),
    /// Roll blocks of this size.
    Roll(Block),
    /// So many device blocks.
    Blocks(u32),
    Far(FarId),
    /// Packets of this size, to a far side.
    FarPacket(FarId, Block),
    /// Spare packets of this kind, to a far side.
    FarSpare(FarId, Spare),
    Meeting(MeetingId),
}

impl Target {
    /// The second half of a remedy's id; none where the kind says it all.
    #[must_use]
    pub fn id(&self, context: &Context<'_>) -> Option<String> {
        let session = context.session;
        match self {
            Self::Whole | Self::Ticks(_) | Self::Power(_) => None,
            Self::Processor(p) => Some(session.processor(*p).id.clone()),
            Self::Track(t) => Some(session.track(*t).id.clone()),
            Self::Bus(b) => Some(session.bus(*b).id.clone()),
            Self::Program(p) => Some(context.rig.program(*p).id.clone()),
            Self::Performer(p) => Some(session.performer(*p).id.clone()),
            Self::Copies(word) => Some(word.replace(' ', "-")),
            Self::Roll(block) => Some(block.to_string()),
            Self::Blocks(count) => Some(count.to_string()),
            Self::Far(f) => Some(context.rig.far(*f).id.clone()),
            Self::FarPacket(f, block) => Some(format!("{}-{block}", context.rig.far(*f).id)),
            Self::FarSpare(f, spare) => Some(format!("{}-{}", context.rig.far(*f).id, spare.as_str())),
            Self::Meeting(m) => Some(context.rig.meeting(*m).id.clone()),
        }
    }

    /// The name for people; empty where the kind says it all.
    #[must_use]
    pub fn title(&self, context: &Context<'_>) -> String {
        let session = context.session;
        match self {
            Self::Whole => String::new(),
            Self::Processor(p) => session.processor(*p).title().into(),
            Self::Track(t) => session.track(*t).title().into(),
            Self::Bus(b) => session.bus(*b).title().into(),
            Self::Program(p) => context.rig.program(*p).title().into(),
            Self::Performer(p) => session.performer(*p).title().into(),
            Self::Copies(word) => word.clone(),
            Self::Ticks(ticks) => ticks.to_string(),
            Self::Power(plan) => plan.as_str().into(),
            Self::Roll(block) => block.to_string(),
            Self::Blocks(count) => count.to_string(),
            Self::Far(f) | Self::FarSpare(f, _) => context.rig.far(*f).title().into(),
            Self::FarPacket(f, block) => format!("{block} frames to {}", context.rig.far(*f).title()),
            Self::Meeting(m) => context.rig.meeting(*m).title().into(),
        }
    }
}

/// A remedy of a kind for a target; `extra` is added to the table's effort.
pub(super) fn remedy(
    context: &Context<'_>,
    kind: RemedyKind,
    target: Target,
    effects: Vec<Effect>,
    extra: u32,
) -> Remedy {
    let id = match target.id(context) {
        Some(target) => format!("{}:{target}", kind.as_str()),
        None => kind.as_str().into(),
    };
    Remedy { id, kind, target, effort: context.tables.remedy(kind).effort + extra, effects }
}

/// `set` without what another remedy of it does as well.
#[must_use]
pub fn without_included(remedies: &TiVec<RemedyId, Remedy>, set: &[RemedyId]) -> Vec<RemedyId> {
    let needed = |r: &RemedyId| !set.iter().any(|s| s != r && remedies[*s].includes(&remedies[*r]));
    set.iter().copied().filter(needed).collect()
}

impl Remedy {
    /// Whether it prints a track.
    #[must_use]
    pub fn is_print(&self) -> bool {
        self.kind.action() == RemedyAction::Prints
    }

    /// Whether this does at least what `other` does (and more than the same).
    #[must_use]
    pub fn includes(&self, other: &Self) -> bool {
        let all = other.effects.iter().all(|e| self.effects.iter().any(|own| own.includes(e)));
        all && !other.effects.is_empty() && self.effects != other.effects
    }
}

/// For each remedy that touches disk or memory, those that do all of it and more. (For all others it makes no difference:
/// what is off twice is off.)
pub(super) fn covered_by(remedies: &TiVec<RemedyId, Remedy>) -> TiVec<RemedyId, Vec<RemedyId>> {
    let stores = |r: &Remedy| r.effects.iter().any(Effect::is_stored);
    let storing: Vec<RemedyId> =
        remedies.iter_enumerated().filter(|(_, r)| stores(r)).map(|(id, _)| id).collect();
    let mut all: TiVec<RemedyId, Vec<RemedyId>> = remedies.iter().map(|_| Vec::new()).collect();
    for &less in &storing {
        let more = storing.iter().copied().filter(|&r| r != less && remedies[r].includes(&remedies[less]));
        all[less] = more.collect();
    }
    all
}
