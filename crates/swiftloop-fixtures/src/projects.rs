//! Made-up projects as software describes them for exchange: with the tracks that a test asks for, or of any size.

use std::fmt::Write as _;

/// One track of a project.
#[derive(Debug, Clone, Default)]
pub struct Lane<'a> {
    pub name: &'a str,
    /// `audio`, `notes` or `tracks`.
    pub content: &'a str,
    /// `regular`, `effect`, `submix` or `master`.
    pub role: &'a str,
    /// Where its channel goes, by the number of the lane; the main output when left out.
    pub to: Option<usize>,
    /// Sends to lanes, with the fader.
    pub sends: &'a [(usize, f64)],
    /// Devices: standard, role, name, id, whether it is switched on.
    pub devices: &'a [(&'a str, &'a str, &'a str, &'a str, bool)],
    pub muted: bool,
    pub loaded: bool,
    /// Notes of one clip: begin and length in beats.
    pub notes: &'a [(f64, f64)],
    /// Rate of the recording in one clip.
    pub audio_hz: Option<u32>,
}

/// The description of a project.
#[must_use]
pub fn project(lanes: &[Lane<'_>]) -> String {
    let mut text = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<Project version=\"1.0\">\n  <Application name=\"generated\" version=\"1\"/>\n  <Structure>\n",
    );
    for (i, lane) in lanes.iter().enumerate() {
        let name = lane.name.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;");
        let to = lane.to.map_or(String::new(), |to| format!(" destination=\"channel{to}\""));
        let _ = write!(
            text,
            "    <Track id=\"track{i}\" name=\"{name}\" contentType=\"{}\" loaded=\"{}\">\n      \
             <Channel id=\"channel{i}\" role=\"{}\" audioChannels=\"2\"{to}>\n        <Mute value=\"{}\"/>\n        <Devices>\n",
            lane.content, lane.loaded, lane.role, lane.muted
        );
        for (n, (standard, role, name, id, on)) in lane.devices.iter().enumerate() {
            let _ = writeln!(
                text,
                "          <{standard} deviceName=\"{name}\" deviceID=\"{id}\" deviceRole=\"{role}\" loaded=\"true\" name=\"{name}\">\
                 <Enabled value=\"{on}\"/><State path=\"plugins/{i}-{n}.state\"/></{standard}>"
            );
        }
        text.push_str("        </Devices>\n        <Sends>\n");
        for (to, fader) in lane.sends {
            let _ = writeln!(
                text,
                "          <Send destination=\"channel{to}\" type=\"post\"><Volume value=\"{fader}\" unit=\"linear\"/></Send>"
            );
        }
        text.push_str("        </Sends>\n      </Channel>\n    </Track>\n");
    }
    text.push_str("  </Structure>\n  <Arrangement id=\"arrangement\">\n    <Lanes timeUnit=\"beats\">\n");
    for (i, lane) in lanes.iter().enumerate() {
        if lane.notes.is_empty() && lane.audio_hz.is_none() {
            continue;
        }
        let _ = writeln!(text, "      <Lanes track=\"track{i}\"><Clips>");
        if !lane.notes.is_empty() {
            text.push_str("        <Clip time=\"0\" duration=\"64\"><Notes>");
            for (from, long) in lane.notes {
                let _ = write!(text, "<Note time=\"{from}\" duration=\"{long}\" channel=\"0\" key=\"60\"/>");
            }
            text.push_str("</Notes></Clip>\n");
        }
        if let Some(rate) = lane.audio_hz {
            let _ = writeln!(
                text,
                "        <Clip time=\"0\" duration=\"64\"><Audio channels=\"2\" duration=\"30\" sampleRate=\"{rate}\"><File path=\"audio/{i}.wav\"/></Audio></Clip>"
            );
        }
        text.push_str("      </Clips></Lanes>\n");
    }
    text.push_str("    </Lanes>\n  </Arrangement>\n</Project>\n");
    text
}

/// A project with so many tracks and so many devices on each: notes on every fifth, a bus for every tenth.
#[must_use]
pub fn sized(tracks: usize, devices: usize) -> String {
    let names: Vec<String> = (0..tracks).map(|t| format!("Track {t}")).collect();
    let ids: Vec<String> = (0..devices).map(|d| format!("made.up.{d}")).collect();
    let effects: Vec<(&str, &str, &str, &str, bool)> =
        ids.iter().map(|id| ("ClapPlugin", "audioFX", "Effect", id.as_str(), true)).collect();
    let notes: Vec<(f64, f64)> = (0..64).map(|n| (f64::from(n) * 0.5, 1.0)).collect();
    let lanes: Vec<Lane<'_>> = names
        .iter()
        .enumerate()
        .map(|(t, name)| Lane {
            name,
            content: if t % 5 == 0 { "notes" } else { "audio" },
            role: if t % 10 == 9 { "submix" } else { "regular" },
            to: (t % 10 != 9).then_some(t / 10 * 10 + 9).filter(|to| *to < tracks),
            devices: &effects,
            loaded: true,
            notes: if t % 5 == 0 { &notes } else { &[] },
            audio_hz: (t % 5 != 0 && t % 10 != 9).then_some(48_000),
            ..Lane::default()
        })
        .collect();
    project(&lanes)
}

/// The folk session in the boathouse, as its software might save it.
#[must_use]
pub fn boathouse() -> String {
    const AUDIO: Lane<'_> = Lane {
        name: "",
        content: "audio",
        role: "regular",
        to: None,
        sends: &[],
        devices: &[],
        muted: false,
        loaded: true,
        notes: &[],
        audio_hz: Some(48_000),
    };
    let chord = [(0.0, 4.0), (0.0, 4.0), (0.0, 4.0), (3.5, 4.5), (4.0, 4.0)];
    project(&[
        Lane {
            name: "Main",
            content: "tracks",
            role: "master",
            audio_hz: None,
            devices: &[
                ("ClapPlugin", "audioFX", "Wide equaliser", "boathouse.wide-eq", true),
                ("ClapPlugin", "audioFX", "Last limiter", "boathouse.last-limit", true),
            ],
            ..AUDIO
        },
        Lane {
            name: "Singers",
            content: "tracks",
            role: "submix",
            audio_hz: None,
            devices: &[("ClapPlugin", "audioFX", "Glue", "boathouse.glue", true)],
            ..AUDIO
        },
        Lane {
            name: "Boathouse room",
            role: "effect",
            audio_hz: None,
            devices: &[("ClapPlugin", "audioFX", "Room", "boathouse.room", true)],
            ..AUDIO
        },
        Lane {
            name: "Ada",
            to: Some(1),
            sends: &[(2, 0.4)],
            devices: &[
                ("ClapPlugin", "audioFX", "Voice compressor", "boathouse.voice-comp", true),
                ("ClapPlugin", "audioFX", "Pitch correction", "boathouse.tune", false),
            ],
            ..AUDIO
        },
        Lane { name: "Choir left", to: Some(1), sends: &[(2, 0.3)], ..AUDIO },
        Lane { name: "Choir right", to: Some(1), sends: &[(2, 0.3)], ..AUDIO },
        Lane {
            name: "Fiddle",
            sends: &[(2, 0.5), (1, 0.0)],
            devices: &[("ClapPlugin", "audioFX", "Equaliser", "boathouse.eq", true)],
            ..AUDIO
        },
        Lane { name: "Oars on the planks", audio_hz: Some(44_100), muted: true, ..AUDIO },
        Lane {
            name: "Harmonium",
            content: "notes",
            audio_hz: None,
            notes: &chord,
            devices: &[("ClapPlugin", "instrument", "Reed organ", "boathouse.reeds", true)],
            ..AUDIO
        },
        Lane { name: "New take", audio_hz: None, ..AUDIO },
        Lane {
            name: "Old strings",
            content: "notes",
            audio_hz: None,
            loaded: false,
            notes: &chord,
            devices: &[("ClapPlugin", "instrument", "Strings", "boathouse.strings", true)],
            ..AUDIO
        },
    ])
}
