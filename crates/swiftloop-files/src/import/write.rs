//! What was found, as a session file: every line with where it comes from, what is usual left out, and what only a person knows
//! asked at the end.

use super::found::{FoundProcessor, ImportedProject};
use std::fmt::Write;
use swiftloop_core::session::{ProcessorKind, Source, State};

const COMMENT: usize = 34;

pub(super) fn session(found: &ImportedProject) -> String {
    let mut text = format!(
        "# Imported from {}. What you write or change here stays when it is imported again.\n\
         # Every key, with its meaning: swiftloop schema session\n\
         format = \"swiftloop.session/1\"\nname = {}\n\n[deliver]\n",
        plain(&found.source),
        quoted(&found.name)
    );
    match found.rates_hz.first() {
        Some((rate, n)) => {
            line(&mut text, "rate_hz", &rate.to_string(), &format!("{n} recordings are at it"))
        }
        None => line(&mut text, "rate_hz", "48000", "usual: there is no recording that says"),
    }
    for t in &found.tracks {
        let _ = writeln!(text, "\n[[track]]");
        line(&mut text, "id", &quoted(&t.id), &t.from);
        named(&mut text, &t.name, &t.id);
        let source = match t.source {
            Source::Disk => "disk",
            Source::Live => "live",
            Source::Instrument => "instrument",
        };
        line(&mut text, "source", &quoted(source), t.because);
        if t.channels != 1 {
            line(&mut text, "channels", &t.channels.to_string(), "");
        }
        routed(&mut text, &t.to, &t.sends);
        for (key, on) in [("muted", t.muted), ("disabled", t.disabled), ("unused", t.unused)] {
            if on {
                line(&mut text, key, "true", "");
            }
        }
        processors(&mut text, &t.processors);
    }
    for b in &found.buses {
        let _ = writeln!(text, "\n[[bus]]");
        line(&mut text, "id", &quoted(&b.id), &b.from);
        named(&mut text, &b.name, &b.id);
        routed(&mut text, &b.to, &b.sends);
        if b.disabled {
            line(&mut text, "disabled", "true", "");
        }
        processors(&mut text, &b.processors);
    }
    if !found.main.is_empty() {
        let _ = writeln!(text, "\n[main]");
        processors(&mut text, &found.main);
    }
    text.push_str(
        "\n# What only a person knows:\n\
         # - Who performs? [[performer]] with id, plays (voice, drums, plucked, wind, bowed, keys, pads) and listens.\n\
         # - On which tracks? They get source = \"live\" (or stay instruments), and their ids go into the performer's hears.\n\
         # - In which phases? tracking, overdub, writing, editing, mixing, mastering, show, remote, with their performers.\n\
         [[phase]]\nkind = \"mixing\"\n",
    );
    text
}

fn line(text: &mut String, key: &str, value: &str, comment: &str) {
    let said = format!("{key} = {value}");
    let _ = if comment.is_empty() {
        writeln!(text, "{said}")
    } else {
        writeln!(text, "{said:<COMMENT$} # {}", plain(comment))
    };
}

/// A name that its id does not say already.
fn named(text: &mut String, name: &str, id: &str) {
    if !name.is_empty() && name != id {
        line(text, "name", &quoted(name), "");
    }
}

fn routed(text: &mut String, to: &str, sends: &[String]) {
    if to != "main" {
        line(text, "to", &quoted(to), "");
    }
    if !sends.is_empty() {
        let all: Vec<String> = sends.iter().map(|s| format!("{{ to = {} }}", quoted(s))).collect();
        line(text, "sends", &format!("[{}]", all.join(", ")), "");
    }
}

fn processors(text: &mut String, all: &[FoundProcessor]) {
    if all.is_empty() {
        return;
    }
    text.push_str("processor = [\n");
    for p in all {
        let mut keys = vec![format!("id = {}", quoted(&p.id))];
        if !p.name.is_empty() {
            keys.push(format!("name = {}", quoted(&p.name)));
        }
        keys.extend(p.is.as_deref().map(|is| format!("is = {}", quoted(is))));
        match p.kind {
            ProcessorKind::Effect => {}
            ProcessorKind::Instrument => keys.push("kind = \"instrument\"".into()),
            ProcessorKind::Analyser => keys.push("kind = \"analyser\"".into()),
            ProcessorKind::Split => keys.push("kind = \"split\"".into()),
            ProcessorKind::Insert => keys.push("kind = \"insert\"".into()),
        }
        keys.extend(p.voices.map(|v| format!("voices = {v}")));
        match p.state {
            State::Active => {}
            State::Off => keys.push("state = \"off\"".into()),
            State::Unloaded => keys.push("state = \"unloaded\"".into()),
        }
        keys.extend(p.settings_hash.as_deref().map(|hash| format!("settings = {}", quoted(hash))));
        let settings = p.settings.as_deref().map_or(String::new(), |s| format!(" # settings: {}", plain(s)));
        let _ = writeln!(text, "  {{ {} }},{settings}", keys.join(", "));
    }
    text.push_str("]\n");
}

fn quoted(word: &str) -> String {
    toml_edit::Value::from(word).to_string()
}

/// Fit for a comment.
fn plain(words: &str) -> String {
    words.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

#[cfg(test)]
mod tests {
    use super::session;
    use crate::import::{FoundTrack, ImportedProject};
    use crate::{session_alone, tables};
    use proptest::prelude::*;
    use swiftloop_core::session::Source;

    proptest! {
        /// Whatever names a source has, the file is read back with just these.
        #[test]
        fn any_name_is_read_back(name in ".{0,60}", source in ".{0,60}") {
            let track = FoundTrack {
                id: "one".into(), name: name.clone(), from: source.clone(), source: Source::Disk, because: "a recording",
                channels: 2, to: "main".into(), sends: Vec::new(), processors: Vec::new(), muted: true, disabled: false,
                unused: false,
            };
            let found = ImportedProject { name: name.clone(), source, tracks: vec![track], ..ImportedProject::default() };
            let read = session_alone("session.toml", &session(&found), tables()).expect("sound");
            prop_assert_eq!(&read.name, &name);
            prop_assert!(read.tracks[0].muted && read.tracks[0].channels == 2);
            let read_name = read.tracks[0].name.clone().unwrap_or_default();
            prop_assert!(read_name == name || name == "one");
        }
    }
}
