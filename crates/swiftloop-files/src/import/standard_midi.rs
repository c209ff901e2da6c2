//! A Standard MIDI file: each track (or, where all lies in one, each channel) with notes is an instrument. How many notes sound
//! at once is counted, those that the pedal holds among them.

use super::found::{FoundProcessor, FoundTrack, Ids, ImportedProject};
use super::notes_at_once::most_at_once;
use super::recordings::name_of;
use super::refused;
use crate::FileError;
use midly::{Format, MetaMessage, MidiMessage, Smf, TrackEventKind};
use std::collections::BTreeMap;
use std::path::Path;
use swiftloop_core::session::{ProcessorKind, Source, State};

/// A file of notes is small.
const LARGEST: u64 = 64 * 1024 * 1024;
/// The controller that is the sustaining pedal, and from which value on it is down (MIDI 1.0).
const PEDAL: u8 = 64;
const DOWN: u8 = 64;

pub(super) fn read(path: &Path) -> Result<ImportedProject, FileError> {
    let about = std::fs::metadata(path).map_err(|e| FileError::unreadable(path, &e))?;
    if about.len() > LARGEST {
        return Err(refused(
            path,
            format!("it is {} MB large", about.len() / 1_000_000),
            "files of notes are small; is this another file?",
        ));
    }
    let bytes = std::fs::read(path).map_err(|e| FileError::unreadable(path, &e))?;
    let damaged =
        |why: String| refused(path, format!("the MIDI file is damaged: {why}"), "export it once more");
    // Time counted in frames of a picture: minus 24, 25, 29 or 30 a second (the standard names no other). The parser
    // would negate whatever stands there.
    if bytes.get(12).is_some_and(|b| b & 0x80 != 0 && ![-24i8, -25, -29, -30].contains(&b.cast_signed())) {
        return Err(damaged("its time has no unit".into()));
    }
    let smf = Smf::parse(&bytes).map_err(|e| damaged(e.to_string()))?;
    let mut found = ImportedProject {
        name: name_of(path),
        source: path.file_name().unwrap_or_default().to_string_lossy().into_owned(),
        ..ImportedProject::default()
    };
    let mut ids = Ids::without(&["main", "out"]);
    let mut own = Ids::without(&[]);
    let by_channel = smf.header.format == Format::SingleTrack;
    for (t, events) in smf.tracks.iter().enumerate() {
        let mut parts: BTreeMap<u8, MidiPart> = BTreeMap::new();
        let mut name = String::new();
        let mut now = 0u64;
        for event in events {
            now += u64::from(event.delta.as_int());
            match event.kind {
                TrackEventKind::Midi { channel, message } => {
                    let part = if by_channel { channel.as_int() } else { 0 };
                    parts.entry(part).or_default().hear(channel.as_int(), message, now as f64);
                }
                TrackEventKind::Meta(MetaMessage::TrackName(said)) if name.is_empty() => {
                    name = String::from_utf8_lossy(said).trim().chars().filter(|c| !c.is_control()).collect();
                }
                TrackEventKind::SysEx(_) | TrackEventKind::Escape(_) | TrackEventKind::Meta(_) => {}
            }
        }
        for (channel, part) in parts {
            let notes = part.ended(now as f64);
            if notes.is_empty() {
                continue;
            }
            let (from, usual) = if by_channel {
                (format!("channel {}", channel + 1), format!("channel {}", channel + 1))
            } else {
                (format!("track {}", t + 1), format!("track {}", t + 1))
            };
            let name = if name.is_empty() || by_channel { usual } else { name.clone() };
            let id = ids.of(&name, "track");
            found.tracks.push(FoundTrack {
                processors: vec![FoundProcessor {
                    id: own.of(&format!("{id} instrument"), "instrument"),
                    name: String::new(),
                    is: None,
                    kind: ProcessorKind::Instrument,
                    voices: Some(most_at_once(notes).clamp(1, 10_000)),
                    state: State::Active,
                    settings: None,
                    settings_hash: None,
                }],
                id,
                name,
                from,
                source: Source::Instrument,
                because: "it holds notes",
                channels: 2,
                to: "main".into(),
                sends: Vec::new(),
                muted: false,
                disabled: false,
                unused: false,
            });
        }
    }
    if found.tracks.is_empty() {
        return Err(refused(path, "there is no note in it", "export the tracks that play instruments"));
    }
    Ok(found)
}

/// What one instrument plays.
#[derive(Default)]
struct MidiPart {
    /// Notes that are down, by channel and key: since when.
    down: BTreeMap<(u8, u8), f64>,
    /// Notes that only the pedal of their channel still holds.
    held: Vec<(u8, f64)>,
    pedal: BTreeMap<u8, bool>,
    notes: Vec<(f64, f64)>,
}

impl MidiPart {
    fn hear(&mut self, channel: u8, message: MidiMessage, now: f64) {
        match message {
            MidiMessage::NoteOn { key, vel } if vel.as_int() > 0 => {
                self.let_go((channel, key.as_int()), now);
                self.down.insert((channel, key.as_int()), now);
            }
            MidiMessage::NoteOn { key, .. } | MidiMessage::NoteOff { key, .. } => {
                self.let_go((channel, key.as_int()), now)
            }
            MidiMessage::Controller { controller, value } if controller.as_int() == PEDAL => {
                let down = value.as_int() >= DOWN;
                self.pedal.insert(channel, down);
                if !down {
                    let (ended, still) =
                        std::mem::take(&mut self.held).into_iter().partition(|h| h.0 == channel);
                    self.held = still;
                    let ended: Vec<(u8, f64)> = ended;
                    self.notes.extend(ended.into_iter().map(|(_, from)| (from, now)));
                }
            }
            MidiMessage::Aftertouch { .. }
            | MidiMessage::Controller { .. }
            | MidiMessage::ProgramChange { .. }
            | MidiMessage::ChannelAftertouch { .. }
            | MidiMessage::PitchBend { .. } => {}
        }
    }

    fn let_go(&mut self, note: (u8, u8), now: f64) {
        let Some(from) = self.down.remove(&note) else { return };
        if self.pedal.get(&note.0).copied().unwrap_or(false) {
            self.held.push((note.0, from));
        } else {
            self.notes.push((from, now));
        }
    }

    /// All notes, when the file ends at `end`.
    fn ended(mut self, end: f64) -> Vec<(f64, f64)> {
        let open = self.down.values().copied().chain(self.held.iter().map(|h| h.1));
        let open: Vec<f64> = open.collect();
        self.notes.extend(open.into_iter().map(|from| (from, end.max(from + 1.0))));
        self.notes
    }
}
