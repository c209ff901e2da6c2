//! What a source holds, in one plain form; and ids for it that a person would choose.

use std::collections::HashSet;
use swiftloop_core::session::{ProcessorKind, Source, State};

#[derive(Debug, Clone, Default, PartialEq)]
pub struct ImportedProject {
    /// A name for people.
    pub name: String,
    /// From where, for people: the file, and what wrote it.
    pub source: String,
    /// Rates of the recordings in it, with how many there are of each, the most frequent first.
    pub rates_hz: Vec<(u32, usize)>,
    pub tracks: Vec<FoundTrack>,
    pub buses: Vec<FoundBus>,
    /// Processors on the main output.
    pub main: Vec<FoundProcessor>,
    /// What was put right or left out, in sentences.
    pub remarks: Vec<String>,
}

#[derive(Debug, Clone, PartialEq)]
pub struct FoundTrack {
    /// Its id in the session.
    pub id: String,
    /// Its name in the source.
    pub name: String,
    /// Where it stands there.
    pub from: String,
    /// Where its sound comes from.
    pub source: Source,
    /// Why that is so.
    pub because: &'static str,
    pub channels: u32,
    /// Id of the bus it goes to, or `main`.
    pub to: String,
    /// Ids of buses it sends to.
    pub sends: Vec<String>,
    /// Its processors in order.
    pub processors: Vec<FoundProcessor>,
    pub muted: bool,
    pub disabled: bool,
    /// Nothing is on it.
    pub unused: bool,
}

#[derive(Debug, Clone, PartialEq)]
pub struct FoundBus {
    /// Its id in the session.
    pub id: String,
    /// Its name in the source.
    pub name: String,
    /// Where it stands there.
    pub from: String,
    /// Id of the bus it goes to, or `main`.
    pub to: String,
    /// Ids of buses it sends to.
    pub sends: Vec<String>,
    /// Its processors in order.
    pub processors: Vec<FoundProcessor>,
    pub disabled: bool,
}

#[derive(Debug, Clone, PartialEq)]
pub struct FoundProcessor {
    /// Its id in the session.
    pub id: String,
    /// Its name in the source.
    pub name: String,
    /// Which one it is: its standard and its own id.
    pub is: Option<String>,
    /// What it is for the live path.
    pub kind: ProcessorKind,
    /// Most notes at once, for an instrument.
    pub voices: Option<u32>,
    pub state: State,
    /// Where its settings lie in the source.
    pub settings: Option<String>,
    /// A hash of them, where they could be read.
    pub settings_hash: Option<String>,
}

impl ImportedProject {
    /// The rate to hand over: that of most recordings.
    #[must_use]
    pub fn rate_hz(&self) -> Option<u32> {
        self.rates_hz.first().map(|r| r.0)
    }

    pub fn processors(&self) -> impl Iterator<Item = &FoundProcessor> {
        let tracks = self.tracks.iter().flat_map(|t| &t.processors);
        tracks.chain(self.buses.iter().flat_map(|b| &b.processors)).chain(&self.main)
    }

    /// All processors, to be changed.
    pub(super) fn processors_mut(&mut self) -> impl Iterator<Item = &mut FoundProcessor> {
        let tracks = self.tracks.iter_mut().flat_map(|t| &mut t.processors);
        tracks.chain(self.buses.iter_mut().flat_map(|b| &mut b.processors)).chain(&mut self.main)
    }

    /// Counts the rates of recordings.
    pub(super) fn count_rates(&mut self, rates: impl IntoIterator<Item = u32>) {
        for rate in rates {
            match self.rates_hz.iter_mut().find(|r| r.0 == rate) {
                Some(known) => known.1 += 1,
                None => self.rates_hz.push((rate, 1)),
            }
        }
        self.rates_hz.sort_by_key(|(rate, count)| (std::cmp::Reverse(*count), *rate));
    }
}

/// Gives out ids, each once.
#[derive(Debug)]
pub(super) struct Ids {
    taken: HashSet<String>,
}

/// Longer ids are cut.
const LONGEST: usize = 40;

impl Ids {
    /// With words that are taken from the beginning.
    pub(super) fn without(words: &[&str]) -> Self {
        Self { taken: words.iter().map(|w| (*w).to_string()).collect() }
    }

    /// An id from a name: its letters and figures, with hyphens between words; a number where that is taken.
    pub(super) fn of(&mut self, name: &str, usual: &str) -> String {
        let mut id = String::new();
        for c in name.chars().flat_map(char::to_lowercase) {
            if c.is_alphanumeric() {
                id.push(c);
            } else if !id.is_empty() && !id.ends_with('-') {
                id.push('-');
            }
            if id.chars().count() >= LONGEST {
                break;
            }
        }
        let id = id.trim_end_matches('-');
        let id = if id.is_empty() { usual } else { id };
        let mut one = id.to_string();
        let mut n = 1;
        while !self.taken.insert(one.clone()) {
            n += 1;
            one = format!("{id}-{n}");
        }
        one
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ids_are_words_that_a_person_would_choose() {
        let mut ids = Ids::without(&["main", "out"]);
        let all: Vec<String> = ["Lead Vox (dbl)", "lead vox dbl", "Main", "!!", "Öl & Essig  2", ""]
            .map(|n| ids.of(n, "track"))
            .into();
        assert_eq!(all, ["lead-vox-dbl", "lead-vox-dbl-2", "main-2", "track", "öl-essig-2", "track-2"]);
    }
}
