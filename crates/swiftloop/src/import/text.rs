//! After `import`: what was found and written, what changed since the last time, and what only a person knows.

use crate::shared::answer::{Detail, quoted};
use crate::shared::page::{answer, clean, command, counted, para, title, wrapped};
use crate::shared::words::warnings::capital;
use serde_json::{Value, json};
use std::path::Path;
use swiftloop_core::session::Source;
use swiftloop_files::import::{ImportedProject, Merged};

pub struct Imported<'a> {
    pub found: &'a ImportedProject,
    pub merged: &'a Merged,
    pub into: &'a Path,
    /// The rig to plan with, where it was named.
    pub rig: Option<&'a Path>,
    /// There was no session before.
    pub is_new: bool,
}

/// What only a person knows.
struct OpenQuestion {
    what: String,
    usual: String,
    how: &'static str,
}

impl Imported<'_> {
    pub fn show(&self, detail: Detail) -> String {
        /// Told of each kind on one screen.
        const FEW: usize = 6;
        let most = if detail.is_full() { usize::MAX } else { FEW };
        let m = self.merged;
        let lead = if self.is_new { "Written" } else { "Brought up to date" };
        let mut text =
            answer(&format!("{lead}: {}, from {}", self.into.display(), clean(&self.found.source)));
        text.push_str(&para(&self.counts()));
        for remark in self.found.remarks.iter().take(most) {
            text.push_str(&para(&clean(&format!("{}.", capital(remark)))));
        }
        let left = self.found.remarks.len().saturating_sub(most);
        if left > 0 {
            text.push_str(&para(&format!("{left} more of this kind: --full.")));
        }
        if !self.is_new {
            text.push_str(&title("Since the last time"));
            for (what, all) in [
                ("New", &m.added),
                ("Changed in the source", &m.changed),
                ("Gone from the source, and from here", &m.removed),
                ("Otherwise in the source; yours stays", &m.kept),
            ] {
                if !all.is_empty() {
                    text.push_str(&wrapped("  ", &format!("{what}: {}.", named(all, most))));
                }
            }
            if m.added.is_empty() && m.changed.is_empty() && m.removed.is_empty() && m.kept.is_empty() {
                text.push_str(&wrapped("  ", "Nothing has changed."));
            }
        }
        text.push_str(&title("What only you know"));
        for q in self.questions() {
            text.push_str(&wrapped("  ", &format!("{} Taken for now: {}. {}", q.what, q.usual, q.how)));
        }
        text.push_str(&title("Next"));
        let session = quoted(&self.into.display().to_string());
        match self.rig {
            Some(rig) => text.push_str(&command(&format!(
                "swiftloop plan {} {session}",
                quoted(&rig.display().to_string())
            ))),
            None => {
                text.push_str(&wrapped("  ", "With a rig (`swiftloop survey --save rig.toml` writes one):"));
                text.push_str(&command(&format!("swiftloop plan rig.toml {session}")));
            }
        }
        text
    }

    /// What was found, and what is odd about it.
    pub fn lead(&self) -> Vec<String> {
        std::iter::once(self.counts())
            .chain(self.found.remarks.iter().map(|r| clean(&format!("{}.", capital(r))).into_owned()))
            .collect()
    }

    fn counts(&self) -> String {
        let f = self.found;
        let instruments = f.tracks.iter().filter(|t| t.source == Source::Instrument).count();
        let mut tracks = counted(f.tracks.len(), "track", "tracks");
        if instruments > 0 {
            tracks.push_str(&format!(" ({instruments} of them with an instrument)"));
        }
        let mut parts = vec![tracks];
        if !f.buses.is_empty() {
            parts.push(counted(f.buses.len(), "bus", "buses"));
        }
        parts.push(counted(f.processors().count(), "plug-in", "plug-ins"));
        let rate = f.rate_hz().map_or(String::new(), |r| format!("; recordings at {r} Hz"));
        format!("{}{rate}.", parts.join(", "))
    }

    fn questions(&self) -> Vec<OpenQuestion> {
        let f = self.found;
        let idle: Vec<String> = f.tracks.iter().filter(|t| t.unused).map(|t| t.id.clone()).collect();
        let maybe = if idle.is_empty() {
            String::new()
        } else {
            format!(" ({}: nothing lies on {})", named(&idle, 4), if idle.len() == 1 { "it" } else { "them" })
        };
        let mut all = vec![
            OpenQuestion {
                what: format!("Which tracks are live inputs{maybe}?"),
                usual: "none".into(),
                how: if idle.is_empty() {
                    "Write source = \"live\" there."
                } else {
                    "Write source = \"live\" there, and take out unused."
                },
            },
            OpenQuestion {
                what: "Who performs, and how do they listen?".into(),
                usual: "nobody".into(),
                how: "Add a [[performer]].",
            },
            OpenQuestion {
                what: "Which phases are there?".into(),
                usual: "mixing".into(),
                how: "Add a [[phase]] for each.",
            },
        ];
        if f.tracks.iter().any(|t| t.source == Source::Instrument) {
            all.push(OpenQuestion {
                what: "How much memory do the samples of each instrument take?".into(),
                usual: "none".into(),
                how: "Write memory_gb there.",
            });
        }
        all
    }

    pub fn json(&self) -> Value {
        let (f, m) = (self.found, self.merged);
        json!({
            "format": "swiftloop.import/1",
            "source": f.source,
            "session": self.into.display().to_string(),
            "is_new": self.is_new,
            "tracks": f.tracks.iter().map(|t| json!({
                "id": t.id, "name": t.name, "from": t.from, "source": t.source, "because": t.because,
                "channels": t.channels, "to": t.to, "sends": t.sends, "muted": t.muted, "disabled": t.disabled,
                "unused": t.unused, "processors": t.processors.iter().map(processor).collect::<Vec<_>>(),
            })).collect::<Vec<_>>(),
            "buses": f.buses.iter().map(|b| json!({
                "id": b.id, "name": b.name, "from": b.from, "to": b.to, "sends": b.sends, "disabled": b.disabled,
                "processors": b.processors.iter().map(processor).collect::<Vec<_>>(),
            })).collect::<Vec<_>>(),
            "main": f.main.iter().map(processor).collect::<Vec<_>>(),
            "recording_rates": f.rates_hz.iter().map(|(rate, n)| json!({ "rate_hz": rate, "recordings": n })).collect::<Vec<_>>(),
            "remarks": f.remarks,
            "added": m.added,
            "changed": m.changed,
            "removed": m.removed,
            "kept": m.kept,
            "questions": self.questions().iter().map(|q| json!({
                "what": q.what, "taken_for_now": q.usual, "how": q.how,
            })).collect::<Vec<_>>(),
        })
    }
}

fn processor(p: &swiftloop_files::import::FoundProcessor) -> Value {
    json!({
        "id": p.id, "name": p.name, "is": p.is, "kind": p.kind, "voices": p.voices, "state": p.state, "settings": p.settings,
    })
}

/// Some of them by name, the rest by number.
fn named(all: &[String], most: usize) -> String {
    let few: Vec<&str> = all.iter().take(most).map(String::as_str).collect();
    match all.len().saturating_sub(most) {
        0 => few.join(", "),
        more => format!("{} and {more} more", few.join(", ")),
    }
}
