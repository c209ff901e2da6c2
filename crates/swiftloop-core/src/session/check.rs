//! Proof that a session can be true: ids are unique, references lead somewhere, figures are possible.

use super::{Description, Phase, Processor, ProcessorCost, Routes, Session, alike};
use crate::contradiction::{
    CostOffer, PhaseContradiction, ProcessorContradiction, SessionContradiction, Thing,
};
use crate::rig::{missing, twice};
use crate::tables::{Listener, PhaseKind, Tables};
use crate::{Invalid, PathStep};
use std::collections::{BTreeSet, HashSet};
use swiftloop_units::ids::{NodeId, PerformerId};
use typed_index_collections::TiVec;

impl Session {
    /// The session, if it can be true; interfaces named by phases are checked against the rig later.
    ///
    /// # Errors
    /// The first contradiction, with its path.
    pub fn checked(mut description: Description, tables: &Tables) -> Result<Self, Invalid> {
        let written = alike::write_out(&mut description, tables)?;
        Self::each_checked(description, tables).map_err(|e| alike::as_written(e, &written))
    }

    /// The same with every track written out.
    fn each_checked(description: Description, tables: &Tables) -> Result<Self, Invalid> {
        check_ids(&description)?;
        check_engine(&description).map_err(|e| e.at("engine"))?;
        if ![16, 24, 32].contains(&description.deliver.depth) {
            return Err(Invalid::new(SessionContradiction::Depth).at("depth").at("deliver"));
        }
        let mut costs = TiVec::new();
        for (list, at, chain) in chains(&description) {
            for (p, processor) in chain.iter().enumerate() {
                let here = check_processor(processor, tables).map_err(|e| e.in_list("processor", p));
                costs.push(here.map_err(|e| at.map_or(e.clone().at(list), |i| e.clone().in_list(list, i)))?);
            }
        }
        for (i, track) in description.tracks.iter().enumerate() {
            if track.channels == 0 || track.channels > 128 {
                return Err(Invalid::new(SessionContradiction::Channels).at("channels").in_list("track", i));
            }
        }
        let routes = Routes::lay_out(&description)?;
        let listeners = check_people(&description, tables)?;
        check_cues(&description, &routes)?;
        if description.phases.is_empty() {
            return Err(Invalid::new(SessionContradiction::NoPhase));
        }
        let mut kinds = TiVec::new();
        for (i, phase) in description.phases.iter().enumerate() {
            let here = |e: Invalid| e.in_list("phase", i);
            if description.phases[..i].iter().any(|other| other.id() == phase.id()) {
                return Err(here(twice(Thing::Phase, phase.id()).at(if phase.id.is_some() {
                    "id"
                } else {
                    "kind"
                })));
            }
            kinds.push(check_phase(phase, &description, tables).map_err(here)?);
        }
        Ok(Self { description, routes, listeners, kinds, costs, is_metered: false })
    }

    /// Checks that every interface a phase names exists in the rig.
    ///
    /// # Errors
    /// The first reference that leads nowhere.
    pub fn check_interfaces(&self, rig: &crate::rig::Rig) -> Result<(), Invalid> {
        let known: Vec<&str> = rig.interfaces.iter().map(|i| i.id.as_str()).collect();
        for (i, phase) in self.phases.iter().enumerate() {
            if phase.interfaces.as_ref().is_some_and(Vec::is_empty) {
                return Err(Invalid::new(PhaseContradiction::NoInterface)
                    .at("interfaces")
                    .in_list("phase", i));
            }
            self.check_direct(phase, rig).map_err(|e| e.in_list("phase", i))?;
            let fars: Vec<&str> = rig.fars.iter().map(|f| f.id.as_str()).collect();
            for (j, id) in phase.far.iter().flatten().enumerate() {
                if !fars.contains(&id.as_str()) {
                    return Err(missing(Thing::FarSide, id, &fars).in_list("far", j).in_list("phase", i));
                }
            }
            for (j, id) in phase.interfaces.iter().flatten().enumerate() {
                if !known.contains(&id.as_str()) {
                    return Err(missing(Thing::Interface, id, &known)
                        .in_list("interfaces", j)
                        .in_list("phase", i));
                }
            }
        }
        Ok(())
    }
}

impl Session {
    /// Whoever listens through the interface needs one that can do that, wherever the phase may take place.
    fn check_direct(&self, phase: &Phase, rig: &crate::rig::Rig) -> Result<(), Invalid> {
        let meant = |id: &String| phase.interfaces.as_ref().is_none_or(|all| all.contains(id));
        let cannot = rig.interfaces.iter().find(|i| meant(&i.id) && i.direct == crate::rig::Direct::None);
        let direct = self.performers_in(phase).find(|(_, p)| p.listens == super::Listens::Direct);
        match (cannot, direct) {
            (Some(interface), Some((_, performer))) => {
                Err(Invalid::new(PhaseContradiction::CannotListenDirect {
                    performer: performer.id.clone(),
                    phase: phase.id().into(),
                    interface: interface.id.clone(),
                })
                .at("performers"))
            }
            (None, _) | (_, None) => Ok(()),
        }
    }
}

/// Every chain of processors with the key and position of its owner.
fn chains(d: &Description) -> impl Iterator<Item = (&'static str, Option<usize>, &[Processor])> {
    let tracks = d.tracks.iter().enumerate().map(|(i, t)| ("track", Some(i), t.processors.as_slice()));
    let buses = d.buses.iter().enumerate().map(|(i, b)| ("bus", Some(i), b.processors.as_slice()));
    tracks.chain(buses).chain([("main", None, d.main.processors.as_slice())])
}

fn check_ids(d: &Description) -> Result<(), Invalid> {
    let mut seen = HashSet::from(["main", "out"]);
    let places = d.tracks.iter().enumerate().map(|(i, t)| ("track", i, &t.id));
    for (list, i, id) in places.chain(d.buses.iter().enumerate().map(|(i, b)| ("bus", i, &b.id))) {
        if !seen.insert(id) {
            return Err(Invalid::new(SessionContradiction::NameTaken { id: id.clone() })
                .at("id")
                .in_list(list, i));
        }
    }
    let mut seen = HashSet::new();
    for (list, at, chain) in chains(d) {
        for (p, processor) in chain.iter().enumerate() {
            if !seen.insert(processor.id.as_str()) {
                let e = twice(Thing::Processor, &processor.id).at("id").in_list("processor", p);
                return Err(match at {
                    Some(i) => e.in_list(list, i),
                    None => e.at(list),
                });
            }
        }
    }
    Ok(())
}

fn check_engine(d: &Description) -> Result<(), Invalid> {
    let engine = &d.engine;
    if ![32, 64].contains(&engine.precision) {
        return Err(Invalid::new(SessionContradiction::Precision).at("precision"));
    }
    if engine.workers == Some(0) {
        return Err(Invalid::new(SessionContradiction::NoWorkers).at("workers"));
    }
    if !(24..=100_000).contains(&engine.ticks_per_quarter) {
        return Err(Invalid::new(SessionContradiction::Ticks).at("ticks_per_quarter"));
    }
    if engine.renders_ahead && engine.roll_frames.is_empty() {
        return Err(Invalid::new(SessionContradiction::NoRollBlock).at("roll_frames"));
    }
    Ok(())
}

/// What the processor costs, its class looked up.
fn check_processor(p: &Processor, tables: &Tables) -> Result<ProcessorCost, Invalid> {
    let cost = ProcessorCost::of(&p.cost, tables).map_err(|class| unknown_cost(class, tables).at("cost"))?;
    if cost.channels.is_some_and(|n| n == 0 || n > 128) {
        return Err(Invalid::new(ProcessorContradiction::Channels).at("channels").at("cost"));
    }
    if cost.burst.is_some() && p.internal_block.is_none() {
        return Err(Invalid::new(ProcessorContradiction::BurstWithoutBlock).at("burst_ns").at("cost"));
    }
    if ![1, 2, 4, 8, 16].contains(&p.oversampling) {
        return Err(Invalid::new(ProcessorContradiction::Oversampling).at("oversampling"));
    }
    if p.voices.is_some_and(|v| v == 0 || v > 10_000) {
        return Err(Invalid::new(ProcessorContradiction::Voices).at("voices"));
    }
    if p.low_delay_frames.is_some_and(|l| l > p.latency_frames) {
        return Err(Invalid::new(ProcessorContradiction::LowDelay).at("low_delay_frames"));
    }
    if !p.tail_s.is_finite() || p.tail_s < 0.0 {
        return Err(Invalid::new(ProcessorContradiction::Tail).at("tail_s"));
    }
    Ok(cost)
}

/// A word that is no class: the nearest, and what each class stands for.
fn unknown_cost(word: &str, tables: &Tables) -> Invalid {
    let known: Vec<&str> = tables.cost.iter().map(|c| c.id.as_str()).collect();
    Invalid::new(ProcessorContradiction::UnknownCost {
        word: word.into(),
        nearest: crate::rig::nearest(word, &known).map(Into::into),
        classes: tables.cost.iter().map(CostOffer::of).collect(),
    })
}

/// What the tables say of each performer.
fn check_people(d: &Description, tables: &Tables) -> Result<TiVec<PerformerId, Listener>, Invalid> {
    let mut listeners = TiVec::new();
    let tracks: Vec<&str> = d.tracks.iter().map(|t| t.id.as_str()).collect();
    let mixes: Vec<&str> = d.buses.iter().map(|b| b.id.as_str()).chain(["main"]).collect();
    for (i, person) in d.performers.iter().enumerate() {
        let here = |e: Invalid| e.in_list("performer", i);
        if d.performers[..i].iter().any(|other| other.id == person.id) {
            return Err(here(twice(Thing::Performer, &person.id).at("id")));
        }
        listeners.push(tables.listener(&person.plays).cloned().ok_or_else(|| {
            let known: Vec<&str> = tables.listener.iter().map(|l| l.id.as_str()).collect();
            here(missing(Thing::WayToPlay, &person.plays, &known).at("plays"))
        })?);
        if person.hears.is_empty() {
            return Err(here(Invalid::new(SessionContradiction::HearsNothing).at("hears")));
        }
        for (j, id) in person.hears.iter().enumerate() {
            match d.tracks.iter().find(|t| &t.id == id) {
                None => return Err(here(missing(Thing::Track, id, &tracks).in_list("hears", j))),
                Some(t) if t.source == super::Source::Disk => {
                    return Err(here(
                        Invalid::new(SessionContradiction::DiskTrack { id: id.clone() }).in_list("hears", j),
                    ));
                }
                Some(_) => {}
            }
        }
        if !mixes.contains(&person.cue.as_str()) {
            return Err(here(missing(Thing::Bus, &person.cue, &mixes).at("cue")));
        }
    }
    Ok(listeners)
}

/// Everybody must hear themselves: what they perform on has to reach the mix they listen to.
fn check_cues(d: &Description, routes: &Routes) -> Result<(), Invalid> {
    for (i, person) in d.performers.iter().enumerate() {
        let cue = match d.buses.iter().position(|b| b.id == person.cue) {
            Some(bus) => NodeId::from(d.tracks.len() + bus),
            None => routes.main(),
        };
        for id in &person.hears {
            let Some(track) = d.tracks.iter().position(|t| &t.id == id) else { continue };
            if !routes.downstream(&[NodeId::from(track)])[cue] {
                return Err(Invalid::new(SessionContradiction::NotInCue {
                    cue: person.cue.clone(),
                    track: id.clone(),
                })
                .at("cue")
                .in_list("performer", i));
            }
        }
    }
    Ok(())
}

/// What the tables say of the phase.
fn check_phase(phase: &Phase, d: &Description, tables: &Tables) -> Result<PhaseKind, Invalid> {
    let kind = tables.phase_kind(&phase.kind).ok_or_else(|| {
        let known: Vec<&str> = tables.phase.iter().map(|p| p.id.as_str()).collect();
        missing(Thing::PhaseKind, &phase.kind, &known).at("kind")
    })?;
    let people: Vec<&str> = d.performers.iter().map(|p| p.id.as_str()).collect();
    for (j, id) in phase.performers.iter().enumerate() {
        if !people.contains(&id.as_str()) {
            return Err(missing(Thing::Performer, id, &people).in_list("performers", j));
        }
    }
    for id in phase.limits_ms.keys() {
        if !people.contains(&id.as_str()) {
            return Err(missing(Thing::Performer, id, &people)
                .under(PathStep::Named(id.clone()))
                .at("limits_ms"));
        }
    }
    if phase.target_per_hour.is_some_and(|t| !t.is_finite() || t <= 0.0) {
        return Err(Invalid::new(PhaseContradiction::TargetNotAboveZero).at("target_per_hour"));
    }
    if phase.target_per_hour.is_some_and(|t| !(1e-6..=1e6).contains(&t)) {
        return Err(Invalid::new(PhaseContradiction::Target).at("target_per_hour"));
    }
    if phase.minutes.is_some_and(|m| !m.is_finite() || m < 0.0) {
        return Err(Invalid::new(PhaseContradiction::Minutes).at("minutes"));
    }
    if phase.tempo_bpm.is_some_and(|t| !(20.0..=400.0).contains(&t)) {
        return Err(Invalid::new(PhaseContradiction::Tempo).at("tempo_bpm"));
    }
    if phase.late_packets_per_hour.is_some_and(|t| !(0.01..=1e6).contains(&t)) {
        return Err(Invalid::new(PhaseContradiction::LatePackets).at("late_packets_per_hour"));
    }
    let known: BTreeSet<&str> = chains(d)
        .flat_map(|(_, _, chain)| chain.iter().map(|p| p.id.as_str()))
        .chain(d.tracks.iter().map(|t| t.id.as_str()))
        .chain(d.buses.iter().map(|b| b.id.as_str()))
        .collect();
    for (j, id) in phase.keep.iter().enumerate() {
        if !known.contains(id.as_str()) {
            let all: Vec<&str> = known.iter().copied().collect();
            return Err(missing(Thing::Keepable, id, &all).in_list("keep", j));
        }
    }
    Ok(kind.clone())
}
