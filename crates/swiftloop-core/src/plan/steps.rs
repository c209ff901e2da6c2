//! What to change when one phase ends and the next begins. Choices in the order of the work come in; what to restore and what
//! to set go out, phase by phase. There is one session and one machine, whatever interface is used, so their
//! state is carried along from the first phase to the last, and nothing is said that does not change it.

use super::{Choice, Remedy};
use crate::loops::Context;
use crate::plan::line::is_on_the_line;
use crate::rig::{FarSetting, Offered, Setting};
use crate::session::Phase;
use crate::tables::RemedyKind;
use swiftloop_units::Block;
use swiftloop_units::ids::{DriverId, InterfaceId, PhaseId};

/// The changes at the beginning of a phase.
#[derive(Debug, Clone)]
pub struct PhaseStep {
    pub interface: InterfaceId,
    /// The phase that begins.
    pub phase: PhaseId,
    /// What to undo of the phases before.
    pub restore: Vec<Remedy>,
    /// What to set and do.
    pub set: Vec<PhaseChange>,
}

/// One thing to set or do.
#[derive(Debug, Clone, PartialEq)]
pub enum PhaseChange {
    /// Choose a driver of the interface.
    Driver(DriverId),
    Buffer(Offered),
    /// Render ahead in blocks of this size.
    RollAhead(Block),
    /// Render nothing ahead any more.
    RollOff,
    /// Let so many workers work for the session.
    Workers(u32),
    Remedy(Remedy),
    /// Set the line to a far side.
    Line(FarSetting),
}

impl PhaseStep {
    /// Nothing has to be changed.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.restore.is_empty() && self.set.is_empty()
    }
}

/// How session, machine and interfaces stand.
struct WorkState {
    remedies: Vec<Remedy>,
    /// The last setting of each interface that was used.
    settings: Vec<Setting>,
    roll: Option<Block>,
    workers: u32,
    lines: Vec<FarSetting>,
}

/// The steps of all choices, which stand in the order of the work.
pub(super) fn steps(context: &Context<'_>, choices: &[Choice]) -> Vec<PhaseStep> {
    let mut state = WorkState {
        remedies: Vec::new(),
        settings: Vec::new(),
        roll: None,
        workers: context.rig.machine.cores,
        lines: Vec::new(),
    };
    choices.iter().map(|choice| state.step(context, choice)).collect()
}

impl WorkState {
    fn step(&mut self, context: &Context<'_>, now: &Choice) -> PhaseStep {
        let phase = context.session.phase(now.phase);
        let on_lines = now.report.arranged.iter().filter(|r| is_on_the_line(r.kind));
        let wanted: &Vec<Remedy> = &now.report.remedies.iter().chain(on_lines).cloned().collect();
        let has = |list: &[Remedy], r: &Remedy| list.iter().any(|known| known.id == r.id);
        let stays = |r: &Remedy| has(wanted, r) || stays_anyway(context, phase, r, wanted);
        let (stay, restore): (Vec<Remedy>, Vec<Remedy>) = self.remedies.drain(..).partition(stays);
        self.remedies = stay;
        let arrangement = &now.arrangement;
        let setting = &arrangement.setting;
        let was = self.settings.iter().find(|s| s.interface == now.interface);
        let mut set = Vec::new();
        if was.is_none_or(|w| w.driver != setting.driver) {
            set.push(PhaseChange::Driver(setting.driver));
        }
        if was.is_none_or(|w| w.buffer != setting.buffer || w.driver != setting.driver) {
            set.push(PhaseChange::Buffer(setting.buffer.clone()));
        }
        self.settings.retain(|s| s.interface != now.interface);
        self.settings.push(setting.clone());
        if self.roll != arrangement.roll {
            set.push(arrangement.roll.map_or(PhaseChange::RollOff, PhaseChange::RollAhead));
            self.roll = arrangement.roll;
        }
        if self.workers != arrangement.workers {
            set.push(PhaseChange::Workers(arrangement.workers));
            self.workers = arrangement.workers;
        }
        for line in &arrangement.link.fars {
            if !self.lines.contains(line) {
                set.push(PhaseChange::Line(line.clone()));
                self.lines.retain(|l| l.far != line.far);
                self.lines.push(line.clone());
            }
        }
        let new: Vec<Remedy> = wanted.iter().filter(|r| !has(&self.remedies, r)).cloned().collect();
        self.remedies.extend(new.iter().cloned());
        set.extend(new.into_iter().map(PhaseChange::Remedy));
        PhaseStep { interface: now.interface, phase: now.phase, restore, set }
    }
}

/// What is not undone although the phase does not ask for it: what nobody misses, the power plan, and prints, which cost their
/// time again; unless the phase cannot do without what they touch.
fn stays_anyway(context: &Context<'_>, phase: &Phase, r: &Remedy, wanted: &[Remedy]) -> bool {
    match r.kind {
        RemedyKind::RemoveUnused
        | RemedyKind::DisableMuted
        | RemedyKind::Unload
        | RemedyKind::FullPower
        | RemedyKind::CoarserTimeline => true,
        RemedyKind::Print | RemedyKind::PrintDry => {
            let printed_otherwise = wanted.iter().any(|w| w.target == r.target);
            !printed_otherwise && !keeps(context, phase, r)
        }
        RemedyKind::Bypass
        | RemedyKind::BypassMain
        | RemedyKind::DeviceBlocks
        | RemedyKind::Direct
        | RemedyKind::Draft
        | RemedyKind::FewerVoices
        | RemedyKind::HideView
        | RemedyKind::LessOversampling
        | RemedyKind::LowDelay
        | RemedyKind::Precision32
        | RemedyKind::Quit
        | RemedyKind::ReleaseCore
        | RemedyKind::ReserveCore
        | RemedyKind::Roll
        | RemedyKind::SmallerPacket
        | RemedyKind::ShorterReceive
        | RemedyKind::QuietLine
        | RemedyKind::SparePackets
        | RemedyKind::Cable
        | RemedyKind::StraightWay
        | RemedyKind::OtherMeeting
        | RemedyKind::Mono
        | RemedyKind::ShareSend => false,
    }
}

/// Whether a phase cannot do without the track of a print, or a processor on it.
fn keeps(context: &Context<'_>, phase: &Phase, r: &Remedy) -> bool {
    let super::Target::Track(track) = r.target else { return false };
    let about = context.session.track(track);
    let on_it = about.processors.iter().map(|p| &p.id).chain([&about.id]);
    let performed = |id: &String| {
        phase
            .performers
            .iter()
            .any(|who| context.session.performers.iter().any(|p| &p.id == who && p.hears.contains(id)))
    };
    performed(&about.id) || on_it.into_iter().any(|id| phase.keep.contains(id))
}
