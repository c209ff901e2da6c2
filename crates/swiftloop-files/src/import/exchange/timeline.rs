//! What lies on the timeline. Clips come in, which may hold clips and play over and over; for each track whether audio lies on it and
//! when notes begin and end go out, and the rates of all recordings. A clip in a clip that loops is played as often as
//! both say, so the work is bounded: [`MOST_VISITS`] elements, and no more.

use super::xml::{child, number};
use roxmltree::Node;
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// Elements that are looked at, those of a loop again in each of its rounds.
const MOST_VISITS: usize = 4_000_000;
/// Times that a clip may play its content over again, to count notes.
const MOST_ROUNDS: usize = 256;

/// What lies on a track.
#[derive(Default)]
pub(super) struct Content {
    pub clips: usize,
    pub audio: bool,
    /// When notes begin and end, in beats.
    pub notes: Vec<(f64, f64)>,
    /// Rates of its recordings, each once however often it is played.
    rates: BTreeMap<usize, u32>,
}

#[derive(Default)]
pub(super) struct Timeline<'x> {
    /// By the ids of tracks.
    tracks: HashMap<&'x str, Content>,
    /// Rates of recordings, with the id of the track that each lies on.
    pub rates: Vec<(u32, Option<&'x str>)>,
    visits: usize,
}

impl<'x> Timeline<'x> {
    pub(super) fn of(root: Node<'x, 'x>) -> Self {
        let mut timeline = Self::default();
        for place in ["Arrangement", "Scenes"] {
            if let Some(node) = child(root, place) {
                timeline.add(node, None);
            }
        }
        timeline
    }

    /// What lies on a track.
    pub(super) fn on(&self, track: &str) -> Option<&Content> {
        self.tracks.get(track)
    }

    /// There was more than is looked at.
    pub(super) fn is_cut_short(&self) -> bool {
        self.visits >= MOST_VISITS
    }

    /// What lies below `node`, which belongs to `track`.
    fn add(&mut self, node: Node<'x, 'x>, track: Option<&'x str>) {
        for at in node.children().filter(Node::is_element) {
            let own = at.attribute("track").or(track);
            if !matches!(at.tag_name().name(), "Clip" | "Notes" | "Audio") {
                self.add(at, own);
                continue;
            }
            let mut content = own.and_then(|t| self.tracks.remove(t)).unwrap_or_default();
            content.clips += 1;
            self.add_content(at, 0.0, ALWAYS, &mut content);
            self.rates.extend(std::mem::take(&mut content.rates).into_values().map(|rate| (rate, own)));
            if let Some(track) = own {
                self.tracks.insert(track, content);
            }
        }
    }

    /// Tracks with recordings at another rate than most, in a sentence for each rate.
    pub(super) fn disagreeing<'n>(
        &self,
        most: Option<u32>,
        name_of: impl Fn(&str) -> &'n str,
    ) -> Vec<String> {
        let mut others: BTreeMap<u32, BTreeSet<&str>> = BTreeMap::new();
        for (rate, track) in self.rates.iter().filter(|r| Some(r.0) != most) {
            others.entry(*rate).or_default().insert(track.unwrap_or_default());
        }
        let said = |(rate, tracks): (u32, BTreeSet<&str>)| {
            let names: Vec<&str> = tracks.into_iter().map(&name_of).collect();
            format!(
                "recordings of {} are at {rate} Hz, unlike most: they play at the wrong speed unless the software converts them",
                names.join(", ")
            )
        };
        others.into_iter().map(said).collect()
    }

    /// A clip that begins at `from`, as far as it lies within a stretch of the timeline: what is in it, once or over and over.
    fn add_clip(&mut self, clip: Node<'_, '_>, from: f64, within: (f64, f64), content: &mut Content) {
        let lasts = number(clip, "duration").unwrap_or(f64::INFINITY);
        let ends = (from + lasts).min(within.1);
        let starts = number(clip, "playStart").unwrap_or(0.0);
        let (begin, end) = (number(clip, "loopStart").unwrap_or(0.0), number(clip, "loopEnd"));
        let mut once = |shift: f64, from: f64, to: f64| {
            for at in clip.children().filter(Node::is_element) {
                self.add_content(at, shift, (from.max(within.0), to), content);
            }
        };
        let Some(end) = end.filter(|end| end - begin > 1e-6 && ends.is_finite()) else {
            return once(from - starts, from, ends);
        };
        // The first round up to the end of the loop, then whole rounds.
        let (mut at, mut start) = (from, starts);
        for _ in 0..MOST_ROUNDS {
            if at >= ends {
                break;
            }
            let until = (at + (end - start).max(1e-6)).min(ends);
            once(at - start, at, until);
            (at, start) = (until, begin);
        }
    }

    /// What lies in a clip, `shift` later than it says, as far as it lies within a stretch of the timeline.
    fn add_content(&mut self, at: Node<'_, '_>, shift: f64, within: (f64, f64), content: &mut Content) {
        self.visits += 1;
        if self.is_cut_short() {
            return;
        }
        match at.tag_name().name() {
            "Clip" => self.add_clip(at, number(at, "time").unwrap_or(0.0) + shift, within, content),
            "Note" => {
                let from = number(at, "time").unwrap_or(0.0) + shift;
                let to = from + number(at, "duration").unwrap_or(0.0);
                if from >= within.0 && from < within.1 {
                    content.notes.push((from, to.min(within.1)));
                }
            }
            "Audio" => {
                content.audio = true;
                let rate = at.attribute("sampleRate").and_then(|r| r.parse::<f64>().ok());
                content.rates.extend(rate.map(|r| (at.id().get_usize(), r.round() as u32)));
            }
            _ => {
                for inner in at.children().filter(Node::is_element) {
                    self.add_content(inner, shift, within, content);
                }
            }
        }
    }
}

/// All of the timeline.
const ALWAYS: (f64, f64) = (f64::NEG_INFINITY, f64::INFINITY);
