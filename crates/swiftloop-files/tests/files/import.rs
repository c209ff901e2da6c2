//! Sessions that nobody types: archives, notes and recordings are read, hostile ones refused, and what a user wrote stays.

use proptest::prelude::*;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use swiftloop_core::session::{ProcessorKind, Session, Source, State};
use swiftloop_files::import::project_archive;
use swiftloop_fixtures::projects::{Lane, project};

const BOATHOUSE: &str = include_str!("../../../swiftloop/demo/boathouse-project.xml");
use swiftloop_files::import::{ImportedProject, merged, read_source};
use swiftloop_files::{session_alone, tables};

struct Here(tempfile::TempDir);

impl Here {
    fn new() -> Self {
        Self(tempfile::tempdir().expect("a folder"))
    }

    fn write(&self, name: &str, bytes: &[u8]) -> PathBuf {
        let path = self.0.path().join(name);
        std::fs::write(&path, bytes).expect("written");
        path
    }

    fn project(&self, xml: &str) -> Result<ImportedProject, String> {
        read_source(&self.write("p.dawproject", &project_archive(xml))).map_err(|e| format!("{e:?}"))
    }
}

fn lane<'a>(name: &'a str) -> Lane<'a> {
    Lane { name, content: "audio", role: "regular", loaded: true, ..Lane::default() }
}

fn session_of(found: &ImportedProject) -> Session {
    let merged = merged(found, None, None).expect("sound");
    session_alone("session.toml", &merged.session, tables()).expect("read back")
}

/// Settings that lie in the archive are told by their hash, as weighing tells them; those that do not lie there have none.
#[test]
fn settings_in_an_archive_are_told_by_their_hash() {
    let here = Here::new();
    let devices = [
        ("ClapPlugin", "audioFX", "room", "boathouse.room", true),
        ("ClapPlugin", "audioFX", "hall", "boathouse.hall", true),
    ];
    let xml = project(&[Lane { devices: &devices, ..lane("voice") }]);
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in [("project.xml", xml.as_bytes()), ("plugins/0-0.state", b"abc")] {
        archive.start_file(name, zip::write::SimpleFileOptions::default()).expect("begun");
        archive.write_all(bytes).expect("written");
    }
    let bytes = archive.finish().expect("whole").into_inner();
    let found = read_source(&here.write("p.dawproject", &bytes)).expect("read");
    let hashes: Vec<Option<&str>> = found.processors().map(|p| p.settings_hash.as_deref()).collect();
    assert_eq!(hashes, [Some("ba7816bf8f01cfea414140de5dae2223"), None]);
    let session = session_of(&found);
    let track = session.tracks.iter().find(|t| t.id == "voice").expect("there");
    let settings: Vec<Option<&str>> = track.processors.iter().map(|p| p.settings.as_deref()).collect();
    assert_eq!(settings, hashes);
}

#[test]
fn the_boathouse_is_read_as_its_people_know_it() {
    let here = Here::new();
    let found = read_source(&here.write("boathouse.dawproject", &project_archive(BOATHOUSE))).expect("read");
    let track = |id: &str| found.tracks.iter().find(|t| t.id == id).expect(id);
    assert_eq!((found.name.as_str(), found.rates_hz.clone()), ("boathouse", vec![(48_000, 4), (44_100, 1)]));
    assert!(
        found.remarks.iter().any(|r| r.contains("Oars on the planks are at 44100 Hz")),
        "{:?}",
        found.remarks
    );
    assert_eq!(
        (track("ada").to.as_str(), track("ada").sends.as_slice()),
        ("singers", &["boathouse-room".to_string()][..])
    );
    // A fader that is all the way down sends nothing.
    assert_eq!(track("fiddle").sends, ["boathouse-room"]);
    assert_eq!(track("ada").processors[1].state, State::Off);
    assert_eq!(track("ada").processors[0].is.as_deref(), Some("clap:boathouse.voice-comp"));
    assert!(track("oars-on-the-planks").muted && track("old-strings").disabled && track("new-take").unused);
    let reeds = &track("harmonium").processors[0];
    assert_eq!((reeds.kind, reeds.voices), (ProcessorKind::Instrument, Some(4)));
    assert_eq!((track("harmonium").source, found.main.len(), found.buses.len()), (Source::Instrument, 2, 2));
    let session = session_of(&found);
    assert_eq!((session.tracks.len(), session.deliver.rate_hz.get()), (8, 48_000));
}

#[test]
fn nested_tracks_and_whatever_leads_in_circles() {
    let here = Here::new();
    let xml = r#"<Project version="1.0"><Structure>
      <Track id="g" name="Band" contentType="tracks"><Channel id="cg" role="regular"><Sends><Send destination="cf"/></Sends></Channel>
        <Track id="a" name="Bass" contentType="audio"><Channel id="ca" role="regular"><Sends><Send destination="ca"/><Send destination="cf"/></Sends></Channel></Track>
      </Track>
      <Track id="f" name="Echo" contentType="audio"><Channel id="cf" role="effect" destination="cg"/></Track>
    </Structure></Project>"#;
    let found = here.project(xml).expect("read");
    assert_eq!(found.tracks[0].to, "band");
    // A send to itself is none; the circle of band and echo is opened, and told.
    assert_eq!(found.tracks[0].sends, ["echo"]);
    assert!(found.remarks.iter().any(|r| r.contains("feed each other")), "{:?}", found.remarks);
    session_of(&found);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// Whatever leads wherever: the session that is written can be true.
    #[test]
    fn any_routing_becomes_a_session(
        roles in prop::collection::vec(0usize..4, 1..14),
        leads in prop::collection::vec((0usize..14, prop::option::of(0usize..14), 0.0f64..1.0), 0..40),
    ) {
        let names = ["Bass", "Band", "Echo", "Bass"];
        let sends: Vec<Vec<(usize, f64)>> = (0..roles.len())
            .map(|i| leads.iter().filter(|l| l.0 == i).map(|l| (l.1.unwrap_or(0), if l.2 < 0.2 { 0.0 } else { l.2 })).collect())
            .collect();
        let lanes: Vec<Lane<'_>> = roles
            .iter()
            .enumerate()
            .map(|(i, r)| Lane {
                role: ["regular", "effect", "submix", "master"][*r],
                to: leads.iter().find(|l| l.0 == i).and_then(|l| l.1),
                sends: &sends[i],
                audio_hz: (i % 2 == 0).then_some(48_000),
                ..lane(names[i % 4])
            })
            .collect();
        let here = Here::new();
        match here.project(&project(&lanes)) {
            Ok(found) => { session_of(&found); }
            Err(why) => prop_assert!(why.contains("no track"), "{}", why),
        }
    }

    /// No bytes make it fall over.
    #[test]
    fn any_damage_is_an_error(at in 0usize..4000, to in any::<u8>(), cut in 0usize..4000) {
        let here = Here::new();
        let mut bytes = project_archive(BOATHOUSE);
        let len = bytes.len();
        bytes[at % len] = to;
        let _ = read_source(&here.write("a.dawproject", &bytes));
        bytes.truncate(cut % len);
        let _ = read_source(&here.write("b.dawproject", &bytes));
    }
}

#[test]
fn hostile_archives_are_refused_with_a_reason() {
    let here = Here::new();
    let refused = |path: &Path| format!("{:?}", read_source(path).expect_err("refused"));
    // A gigabyte of nothing in a megabyte.
    let mut bomb = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    bomb.start_file("project.xml", zip::write::SimpleFileOptions::default()).expect("begun");
    let spaces = vec![b' '; 1 << 20];
    for _ in 0..130 {
        bomb.write_all(&spaces).expect("written");
    }
    let bomb = bomb.finish().expect("done").into_inner();
    assert!(refused(&here.write("bomb.dawproject", &bomb)).contains("unpacks to more than"));
    // Entities that stand for entities.
    let entities =
        "<!DOCTYPE p [<!ENTITY a \"aaaa\"><!ENTITY b \"&a;&a;\">]><Project version=\"1.0\">&b;</Project>";
    assert!(here.project(entities).expect_err("refused").contains("damaged"));
    // Tracks in tracks in tracks.
    let deep = format!(
        "<Project version=\"1.0\"><Structure>{}{}</Structure></Project>",
        "<Track id=\"a\">".repeat(1_000_000),
        "</Track>".repeat(1_000_000)
    );
    assert!(here.project(&deep).expect_err("refused").contains("elements deep"));
    // The same with names that look like ends.
    let sly = deep.replace("id=\"a\"", "name=\"/>\"");
    assert!(here.project(&sly).expect_err("refused").contains("elements deep"));
    assert!(here.project("<Project version=\"2.0\"/>").expect_err("refused").contains("version 2.0"));
    assert!(here.project("<Other/>").expect_err("refused").contains("Other"));
    let mut other = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    other.start_file("../project.xml", zip::write::SimpleFileOptions::default()).expect("begun");
    other.write_all(b"<Project/>").expect("written");
    let other = other.finish().expect("done").into_inner();
    assert!(refused(&here.write("other.dawproject", &other)).contains("without project.xml"));
    assert!(refused(&here.write("text.dawproject", b"hello")).contains("neither"));
    assert!(refused(&here.write("empty", b"")).contains("neither"));
    let mut latin = b"<Project version=\"1.0\"><Structure><Track id=\"a\" name=\"B".to_vec();
    latin.extend([0xe4, b'"', b'/', b'>']);
    let mut bad = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    bad.start_file("project.xml", zip::write::SimpleFileOptions::default()).expect("begun");
    bad.write_all(&latin).expect("written");
    assert!(
        refused(&here.write("latin.dawproject", &bad.finish().expect("done").into_inner())).contains("UTF-8")
    );
}

/// Ticks since the one before, and its bytes.
type Event = (u32, [u8; 3]);

/// Clips that loop within clips that loop would be played more often than anybody could count.
#[test]
fn loops_in_loops_come_to_an_end_and_recordings_count_once() {
    let here = Here::new();
    let clip = |round: &f64| {
        format!("<Clip time=\"0\" duration=\"100000\" loopStart=\"0\" loopEnd=\"{round}\"><Clips>")
    };
    let xml = |rounds: &[f64]| {
        format!(
            "<Project version=\"1.0\"><Structure><Track id=\"t\" name=\"Loop\"><Channel id=\"c\"/></Track></Structure>\
             <Arrangement><Lanes><Clips track=\"t\">{}<Clip time=\"0\" duration=\"1\"><Audio sampleRate=\"48000\"/><Notes>\
             <Note time=\"0\" duration=\"0.5\"/><Note time=\"0\" duration=\"0.5\"/></Notes></Clip>{}</Clips></Lanes></Arrangement></Project>",
            rounds.iter().map(clip).collect::<String>(),
            "</Clips></Clip>".repeat(rounds.len())
        )
    };
    // One in another of the same length is played once in each of its rounds; ever shorter ones multiply.
    for (rounds, cut) in [(&[1.0][..], false), (&[1.0; 40], false), (&[1.0, 5e-3, 25e-6], true)] {
        let found = here.project(&xml(rounds)).expect("read");
        assert_eq!(found.rates_hz, [(48_000, 1)], "{rounds:?}");
        assert_eq!(found.remarks.iter().any(|r| r.contains("not all of their notes")), cut, "{rounds:?}");
    }
}

/// A file of notes.
fn midi(format: midly::Format, tracks: &[(&str, &[Event])]) -> Vec<u8> {
    use midly::live::LiveEvent;
    use midly::{Header, MetaMessage, Smf, Timing, TrackEvent, TrackEventKind};
    let mut smf = Smf::new(Header::new(format, Timing::Metrical(480.into())));
    for (name, events) in tracks {
        let mut all = vec![TrackEvent {
            delta: 0.into(),
            kind: TrackEventKind::Meta(MetaMessage::TrackName(name.as_bytes())),
        }];
        for (delta, bytes) in *events {
            let LiveEvent::Midi { channel, message } = LiveEvent::parse(bytes).expect("an event") else {
                continue;
            };
            all.push(TrackEvent { delta: (*delta).into(), kind: TrackEventKind::Midi { channel, message } });
        }
        all.push(TrackEvent { delta: 0.into(), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
        smf.tracks.push(all);
    }
    let mut bytes = Vec::new();
    smf.write_std(&mut bytes).expect("written");
    bytes
}

#[test]
fn the_pedal_holds_notes() {
    let here = Here::new();
    // Three notes one after another, the pedal down from before the first to after the last.
    let run = |pedal: u8| -> Vec<Event> {
        let mut all = vec![(0, [0xb0, 64, pedal])];
        for key in [60, 64, 67] {
            all.push((0, [0x90, key, 80]));
            all.push((120, [0x80, key, 0]));
        }
        all.push((10, [0xb0, 64, 0]));
        all
    };
    let (with, without) = (run(127), run(0));
    let bytes = midi(midly::Format::Parallel, &[("Piano", &with), ("Harp", &without), ("Tempo", &[])]);
    let found = read_source(&here.write("song.mid", &bytes)).expect("read");
    let voices: Vec<_> = found.tracks.iter().map(|t| (t.id.as_str(), t.processors[0].voices)).collect();
    assert_eq!(voices, [("piano", Some(3)), ("harp", Some(1))]);
    session_of(&found);
    let one = midi(
        midly::Format::SingleTrack,
        &[("All", &[(0, [0x90, 60, 9]), (5, [0x91, 60, 9]), (5, [0x81, 60, 0])])],
    );
    assert_eq!(read_source(&here.write("one.mid", &one)).expect("read").tracks.len(), 2);
    let none = midi(midly::Format::Parallel, &[("Tempo", &[])]);
    let refused = |path: &Path| format!("{:?}", read_source(path).expect_err("refused"));
    assert!(refused(&here.write("none.mid", &none)).contains("no note"));
    for cut in 0..bytes.len() {
        let _ = read_source(&here.write("cut.mid", &bytes[..cut]));
    }
    // Time counted in frames of a picture, of which there are no 128 a second.
    let timeless = [&bytes[..12], &[0x80, 40], &bytes[14..]].concat();
    assert!(refused(&here.write("timeless.mid", &timeless)).contains("no unit"));
}

#[test]
fn recordings_at_another_rate_are_named() {
    use swiftloop_files::{Depth, wav_bytes};
    use swiftloop_units::Hz;
    let here = Here::new();
    let wav = |rate, channels| {
        wav_bytes(&vec![vec![0.1; 100]; channels], Hz::new(rate), Depth::Int24).expect("made")
    };
    here.write("Fiddle 1.wav", &wav(48_000, 1));
    here.write("Fiddle 2.WAV", &wav(48_000, 2));
    here.write("Oars.wav", &wav(44_100, 1));
    here.write("broken.wav", b"RIFF");
    here.write("notes.txt", b"hello");
    let found = read_source(here.0.path()).expect("read");
    let all: Vec<_> = found.tracks.iter().map(|t| (t.id.as_str(), t.channels)).collect();
    assert_eq!(all, [("fiddle-1", 1), ("fiddle-2", 2), ("oars", 1)]);
    assert!(found.remarks.iter().any(|r| r.contains("Oars.wav is at 44100 Hz")), "{:?}", found.remarks);
    assert!(found.remarks.iter().any(|r| r.contains("broken.wav was left out")), "{:?}", found.remarks);
    let empty = read_source(Here::new().0.path()).expect_err("refused");
    assert!(format!("{empty:?}").contains("no WAV"));
}

/// Importing the same twice changes nothing; what the user wrote stays; what changed in the source comes.
#[test]
fn importing_again_keeps_what_the_user_wrote() {
    let here = Here::new();
    let eq: [(&str, &str, &str, &str, bool); 1] = [("ClapPlugin", "audioFX", "Eq", "x.eq", true)];
    let two: [(&str, &str, &str, &str, bool); 2] = [eq[0], ("ClapPlugin", "audioFX", "Comp", "x.comp", true)];
    let before = [
        Lane { devices: &eq, audio_hz: Some(48_000), ..lane("Voice") },
        Lane { audio_hz: Some(48_000), ..lane("Bass") },
        lane("Spare"),
        Lane { audio_hz: Some(48_000), ..lane("Drums") },
    ];
    let after = [
        Lane { devices: &two, audio_hz: Some(48_000), muted: true, ..lane("Voice") },
        Lane { audio_hz: Some(48_000), muted: true, ..lane("Bass") },
        Lane { audio_hz: Some(48_000), ..lane("Drums") },
        Lane { audio_hz: Some(48_000), ..lane("Tin whistle") },
    ];
    let first = merged(&here.project(&project(&before)).expect("read"), None, None).expect("sound");
    let path = Path::new("session.toml");
    let found = here.project(&project(&before)).expect("read");
    let again = merged(&found, Some((path, &first.session)), Some(&first.written)).expect("sound");
    assert_eq!(again.session, first.session);
    assert!(
        again.added.is_empty()
            && again.changed.is_empty()
            && again.removed.is_empty()
            && again.kept.is_empty()
    );
    // The user weighs the equaliser, names the bass a live input and unmutes it for good, drops the drums, adds people.
    let mine = first
        .session
        .replace("name = \"Eq\"", "name = \"Eq\", cost = \"heavy\"")
        .replace("id = \"bass\"", "id = \"bass\"  # borrowed\nmuted = false");
    let drums = mine.find("\n[[track]]\nid = \"drums\"").expect("there");
    let end = drums + 1 + mine[drums + 1..].find("\n\n").expect("an end");
    let spare = mine.find("id = \"spare\"").expect("there");
    let mine = format!(
        "{}{}{}\n[[performer]]\nid = \"me\"\nplays = \"voice\"\nhears = [\"spare\"]\n",
        &mine[..spare],
        mine[spare..drums].replace("\"disk\"", "\"live\"").replace("unused = true\n", ""),
        &mine[end..]
    );
    let found = here.project(&project(&after)).expect("read");
    let now = merged(&found, Some((path, &mine)), Some(&first.written)).expect("sound");
    let session = session_alone("session.toml", &now.session, tables()).expect("read");
    let track = |id: &str| session.tracks.iter().find(|t| t.id == id);
    let voice = track("voice").expect("there");
    assert!(voice.muted && voice.processors.len() == 2, "{}", now.session);
    assert!(now.session.contains("cost = \"heavy\"") && now.session.contains("# borrowed"));
    assert!(!track("bass").expect("there").muted);
    // Gone from the source, but a performer plays on it and somebody changed it.
    assert_eq!(track("spare").expect("there").source, Source::Live);
    assert!(track("drums").is_none() && track("tin-whistle").is_some());
    assert_eq!(now.added, ["voice-comp", "tin-whistle"]);
    assert!(now.changed.contains(&"voice.muted".to_string()), "{:?}", now.changed);
    assert!(now.kept.contains(&"bass.muted".to_string()), "{:?}", now.kept);
    // Without what the last import wrote nothing of the user's is touched.
    let careful = merged(&found, Some((path, &mine)), None).expect("sound");
    assert!(
        careful.changed.is_empty() && careful.removed.is_empty(),
        "{:?} {:?}",
        careful.changed,
        careful.removed
    );
}
