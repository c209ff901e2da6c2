//! An open session-exchange archive (DAWproject 1.0: `project.xml` in a ZIP archive). Tracks with their channels, nested
//! tracks, devices, sends and clips come in; tracks, buses and the main output go out. Sound flows from
//! channel to channel, so every channel that others lead to is a bus, wherever it stands.

mod routes;
mod timeline;
mod xml;

use super::archive::{hashes_in, text_in};
use super::found::{FoundBus, FoundProcessor, FoundTrack, Ids, ImportedProject};
use super::notes_at_once::most_at_once;
use super::recordings::name_of;
use super::refused;
use crate::FileError;
use routes::{Route, break_circles};
use roxmltree::{Document, Node};
use std::collections::{HashMap, HashSet};
use std::path::Path;
use swiftloop_core::session::{ProcessorKind, Source, State};
use timeline::{Content, Timeline};
use xml::{child, is_deeper_than, is_silent, is_true, value};

/// The description in the archive.
const PROJECT: &str = "project.xml";
/// Elements that a project may have, and how deep they may lie in each other.
const MOST_NODES: u32 = 8_000_000;
const DEEPEST: usize = 200;

pub(super) fn read(path: &Path) -> Result<ImportedProject, FileError> {
    let text = text_in(path, PROJECT)?;
    let wrong = |why: String| refused(path, why, "save the project for exchange once more");
    let options =
        roxmltree::ParsingOptions { nodes_limit: MOST_NODES, ..roxmltree::ParsingOptions::default() };
    let document = Document::parse_with_options(&text, options)
        .map_err(|e| wrong(format!("{PROJECT} in it is damaged: {e}")))?;
    let root = document.root_element();
    if is_deeper_than(root, DEEPEST) {
        return Err(wrong(format!("{PROJECT} in it is more than {DEEPEST} elements deep")));
    }
    if !root.has_tag_name("Project") {
        return Err(wrong(format!(
            "{PROJECT} in it begins with {}, not with Project",
            root.tag_name().name()
        )));
    }
    let version = root.attribute("version").unwrap_or("1.0");
    if !version.starts_with("1.") {
        return Err(refused(
            path,
            format!("it is of version {version} of the exchange format; version 1 is read"),
            "save the project in version 1.0",
        ));
    }
    let mut found = Project::of(root).found();
    found.name = name_of(path);
    let file = path.file_name().unwrap_or_default().to_string_lossy();
    found.source = match child(root, "Application").and_then(|a| a.attribute("name")) {
        Some(by) => format!("{file}, written by {by}"),
        None => file.into_owned(),
    };
    if found.tracks.is_empty() {
        return Err(wrong("there is no track in it".into()));
    }
    let hashes = hashes_in(path, found.processors().filter_map(|p| p.settings.as_deref()));
    for p in found.processors_mut() {
        p.settings_hash = p.settings.as_ref().and_then(|name| hashes.get(name)).cloned();
    }
    Ok(found)
}

/// A track with its channel, and in which track it stands.
struct ExchangeTrack<'x> {
    node: Node<'x, 'x>,
    channel: Option<Node<'x, 'x>>,
    /// Position of the track that it is nested in.
    within: Option<usize>,
    role: &'x str,
}

/// The project, tracks laid out in a row.
struct Project<'x> {
    lanes: Vec<ExchangeTrack<'x>>,
    /// By the ids of channels.
    by_channel: HashMap<&'x str, usize>,
    timeline: Timeline<'x>,
    remarks: Vec<String>,
}

impl<'x> Project<'x> {
    fn of(root: Node<'x, 'x>) -> Self {
        let mut project = Self {
            lanes: Vec::new(),
            by_channel: HashMap::new(),
            timeline: Timeline::of(root),
            remarks: Vec::new(),
        };
        if let Some(structure) = child(root, "Structure") {
            project.add_tracks(structure, None);
        }
        for (i, lane) in project.lanes.iter().enumerate() {
            if let Some(id) = lane.channel.and_then(|c| c.attribute("id")) {
                project.by_channel.entry(id).or_insert(i);
            }
        }
        project
    }

    /// Tracks and channels below `node`; nested ones after that which holds them.
    fn add_tracks(&mut self, node: Node<'x, 'x>, within: Option<usize>) {
        for at in node.children() {
            match at.tag_name().name() {
                "Track" => {
                    let channel = child(at, "Channel");
                    let role = channel.and_then(|c| c.attribute("role")).unwrap_or("regular");
                    self.lanes.push(ExchangeTrack { node: at, channel, within, role });
                    let own = self.lanes.len() - 1;
                    self.add_tracks(at, Some(own));
                }
                // A channel that stands by itself.
                "Channel" if node.has_tag_name("Structure") => {
                    let role = at.attribute("role").unwrap_or("regular");
                    self.lanes.push(ExchangeTrack { node: at, channel: Some(at), within, role });
                }
                _ => {}
            }
        }
    }

    /// It is there for others.
    fn is_bus(&self, i: usize) -> bool {
        let lane = &self.lanes[i];
        let holds =
            || lane.node.attribute("contentType").unwrap_or("").split_whitespace().any(|w| w == "tracks");
        matches!(lane.role, "effect" | "effectTrack" | "submix") || holds()
    }

    fn found(mut self) -> ImportedProject {
        let count = self.lanes.len();
        let led_to = self.led_to();
        let kind: Vec<LaneBecomes> = (0..count)
            .map(|i| match self.lanes[i].role {
                "master" => LaneBecomes::Main,
                "vca" => LaneBecomes::Nothing,
                _ if self.is_bus(i) || led_to.contains(&i) => LaneBecomes::Bus,
                _ => LaneBecomes::Track,
            })
            .collect();
        let mut ids = Ids::without(&["main", "out"]);
        let lane_ids: Vec<String> = (0..count)
            .map(|i| match kind[i] {
                LaneBecomes::Main => "main".to_string(),
                LaneBecomes::Nothing => String::new(),
                LaneBecomes::Bus => ids.of(self.lanes[i].name(), "bus"),
                LaneBecomes::Track => ids.of(self.lanes[i].name(), "track"),
            })
            .collect();
        let mut routes = self.routes(&kind);
        for (from, to) in break_circles(&mut routes) {
            let (from, to) = (self.lanes[from].name(), self.lanes[to].name());
            self.remarks
                .push(format!("{from} and {to} feed each other; the way from {from} to {to} was left out"));
        }
        let mut own = Ids::without(&[]);
        let mut found = ImportedProject::default();
        for i in 0..count {
            if kind[i] == LaneBecomes::Nothing {
                self.remarks.push(format!(
                    "{} only moves the faders of others, and was left out",
                    self.lanes[i].name()
                ));
                continue;
            }
            let mut processors = self.devices(i, &lane_ids[i], &mut own);
            if kind[i] == LaneBecomes::Main {
                found.main.extend(processors);
                continue;
            }
            let target = routes[i].to.map_or("main".to_string(), |t| lane_ids[t].clone());
            let sends = routes[i].sends.iter().map(|&t| lane_ids[t].clone()).collect();
            let lane = &self.lanes[i];
            let name = lane.name().to_string();
            let disabled = !is_true(lane.node.attribute("loaded"), true);
            let muted = lane.channel.is_some_and(|c| is_true(value(c, "Mute"), false));
            let from = format!("track {}", i + 1);
            let content = lane.node.attribute("id").and_then(|id| self.timeline.on(id));
            let plain = |id: String, processors| FoundTrack {
                id,
                name: name.clone(),
                from: from.clone(),
                source: Source::Disk,
                because: "it holds audio",
                channels: lane.channels(),
                to: target.clone(),
                sends: Vec::new(),
                processors,
                muted,
                disabled,
                unused: false,
            };
            if kind[i] == LaneBecomes::Track {
                let track = FoundTrack { sends, ..plain(lane_ids[i].clone(), processors) };
                found.tracks.push(self.track(i, content, track));
                continue;
            }
            // What others lead to may sound by itself as well: then a track of its own leads to it.
            let sounding = processors.iter().position(|p| p.kind == ProcessorKind::Instrument);
            if sounding.is_some() || content.is_some_and(|c| c.clips > 0) {
                let own = sounding.map(|at| processors.remove(at)).into_iter().collect();
                let track = FoundTrack {
                    to: lane_ids[i].clone(),
                    ..plain(ids.of(&format!("{name} itself"), "track"), own)
                };
                found.tracks.push(self.track(i, content, track));
            }
            found.buses.push(FoundBus {
                id: lane_ids[i].clone(),
                name,
                from,
                to: target,
                sends,
                processors,
                disabled,
            });
        }
        found.count_rates(self.timeline.rates.iter().map(|r| r.0));
        let name_of = |track: &str| {
            let lane = self.lanes.iter().find(|l| l.node.attribute("id") == Some(track));
            lane.map_or("an unnamed track", ExchangeTrack::name)
        };
        self.remarks.extend(self.timeline.disagreeing(found.rate_hz(), name_of));
        if self.timeline.is_cut_short() {
            self.remarks
                .push("its clips hold each other too often: not all of their notes were counted".into());
        }
        found.remarks = self.remarks;
        found
    }

    /// What lies on a track says where its sound comes from.
    fn track(&self, i: usize, content: Option<&Content>, mut track: FoundTrack) -> FoundTrack {
        let kinds = self.lanes[i].node.attribute("contentType").unwrap_or("");
        let instrument = track.processors.iter().position(|p| p.kind == ProcessorKind::Instrument);
        let audio = content.is_some_and(|c| c.audio);
        if instrument.is_some() || (kinds.split_whitespace().any(|w| w == "notes") && !audio) {
            track.source = Source::Instrument;
            track.because = if instrument.is_some() { "an instrument is on it" } else { "it holds notes" };
        }
        if let (Some(at), Some(content)) = (instrument, content) {
            let most = most_at_once(content.notes.iter().copied());
            track.processors[at].voices = (most > 0).then_some(most.min(10_000));
        }
        if content.is_none_or(|c| c.clips == 0) {
            track.unused = track.source == Source::Disk;
            track.because = if track.unused { "nothing lies on it" } else { track.because };
        }
        track
    }

    /// Lanes to which some output or send of another leads, or that hold others.
    fn led_to(&self) -> HashSet<usize> {
        let of = |(i, lane): (usize, &ExchangeTrack<'_>)| {
            let mut all = self.sends_of(i);
            all.extend(self.destination(i));
            all.extend(lane.within);
            all
        };
        self.lanes.iter().enumerate().flat_map(of).collect()
    }

    /// The lane that a lane says it goes to, if that is another.
    fn destination(&self, i: usize) -> Option<usize> {
        let id = self.lanes[i].channel?.attribute("destination")?;
        self.by_channel.get(id).copied().filter(|to| *to != i)
    }

    /// Other lanes that a lane sends to: a fader that is down, or a send that is off, sends nothing.
    fn sends_of(&self, i: usize) -> Vec<usize> {
        let mut all: Vec<usize> = Vec::new();
        for send in self.lanes[i].send_nodes() {
            let silent = child(send, "Volume").is_some_and(is_silent);
            let on = is_true(value(send, "Enable"), true);
            let to = send.attribute("destination").and_then(|id| self.by_channel.get(id).copied());
            all.extend(to.filter(|to| *to != i && on && !silent && !all.contains(to)));
        }
        all
    }

    /// Where each lane leads: where it says, or to the one that holds it.
    fn routes(&self, kind: &[LaneBecomes]) -> Vec<Route> {
        let bus = |i: &usize| kind[*i] == LaneBecomes::Bus;
        let of = |(i, lane): (usize, &ExchangeTrack<'_>)| Route {
            to: match self.destination(i) {
                Some(to) => Some(to).filter(bus),
                None => lane.within.filter(bus),
            },
            sends: self.sends_of(i).into_iter().filter(bus).collect(),
        };
        self.lanes.iter().enumerate().map(of).collect()
    }

    fn devices(&mut self, i: usize, owner: &str, ids: &mut Ids) -> Vec<FoundProcessor> {
        let Some(devices) = self.lanes[i].channel.and_then(|c| child(c, "Devices")) else {
            return Vec::new();
        };
        let of = |at: Node<'x, 'x>| {
            let name = at.attribute("name").or(at.attribute("deviceName")).unwrap_or(at.tag_name().name());
            let kind = match at.attribute("deviceRole") {
                Some("instrument") => ProcessorKind::Instrument,
                Some("analyzer") => ProcessorKind::Analyser,
                Some(_) | None => ProcessorKind::Effect,
            };
            let state = match (is_true(at.attribute("loaded"), true), is_true(value(at, "Enabled"), true)) {
                (false, _) => State::Unloaded,
                (true, false) => State::Off,
                (true, true) => State::Active,
            };
            FoundProcessor {
                id: ids.of(&format!("{owner} {name}"), "processor"),
                name: name.to_string(),
                is: standard(at.tag_name().name())
                    .zip(at.attribute("deviceID"))
                    .map(|(standard, id)| format!("{standard}:{id}")),
                kind,
                voices: None,
                state,
                settings: child(at, "State").and_then(|s| s.attribute("path")).map(String::from),
                settings_hash: None,
            }
        };
        // What only changes notes makes no sound and takes next to nothing.
        let sounds = |at: &Node<'x, 'x>| at.is_element() && at.attribute("deviceRole") != Some("noteFX");
        devices.children().filter(sounds).map(of).collect()
    }
}

/// What becomes of a lane.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum LaneBecomes {
    Track,
    Bus,
    Main,
    Nothing,
}

impl<'x> ExchangeTrack<'x> {
    fn name(&self) -> &'x str {
        self.node.attribute("name").unwrap_or("")
    }

    fn channels(&self) -> u32 {
        let said = self.channel.and_then(|c| c.attribute("audioChannels")).and_then(|c| c.parse().ok());
        said.unwrap_or(2u32).clamp(1, 128)
    }

    fn send_nodes(&self) -> impl Iterator<Item = Node<'x, 'x>> + use<'x> {
        let sends = self.channel.and_then(|c| child(c, "Sends"));
        sends.into_iter().flat_map(|s| s.children().filter(|c| c.has_tag_name("Send")))
    }
}

/// The standard of a plug-in, by the word of its element.
fn standard(element: &str) -> Option<&'static str> {
    Some(match element {
        "Vst3Plugin" => "vst3",
        "Vst2Plugin" => "vst2",
        "ClapPlugin" => "clap",
        "AuPlugin" => "au",
        _ => return None,
    })
}
