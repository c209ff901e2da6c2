//! The catalogue: what processors that were weighed cost and how late they are, each by its standard, its id, its version, its library
//! and its settings, on each machine that weighed it. A processor of a session comes in; its figures go out, with what is
//! known of how they carry over to another machine. No figure is copied into a session, so that a new
//! weighing is known everywhere.

mod figures;
mod fingerprint;

pub use figures::{PlannedMachine, Used, fill};
pub use fingerprint::Fingerprint;

use serde::{Deserialize, Serialize};
use swiftloop_measure::weigh::{AtRate, Yardsticks};

/// All that was weighed: the whole of a `processors.toml`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Catalogue {
    /// Always `swiftloop.processors/1`.
    pub format: String,
    #[serde(rename = "processor", default)]
    pub entries: Vec<Entry>,
}

/// What a catalogue begins with.
pub const FORMAT: &str = "swiftloop.processors/1";

impl Default for Catalogue {
    fn default() -> Self {
        Self { format: FORMAT.into(), entries: Vec::new() }
    }
}

/// Which processor: two with the same key are one.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ProcessorKey {
    /// Its standard and its own id: `lv2:http://…`.
    pub is: String,
    /// Its own version, where it has one.
    pub version: Option<String>,
    /// A hash of its library.
    pub library: String,
    /// A hash of its settings; none as they are at first.
    pub settings: Option<String>,
}

/// A processor that was weighed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Entry {
    #[serde(flatten)]
    pub key: ProcessorKey,
    /// Its name for people.
    pub name: Option<String>,
    /// Channels in and out.
    pub channels: [usize; 2],
    /// How weighing it ended: what did not end well is not run again unasked.
    pub status: String,
    /// Why it did not end well, for people.
    pub why: Option<String>,
    #[serde(rename = "on", default)]
    pub on: Vec<OnMachine>,
}

/// What was measured on one machine.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OnMachine {
    /// The processor of the machine, by its name.
    pub machine: String,
    /// When, as an ISO 8601 date.
    pub date: String,
    /// How fast it is at its best.
    pub yardsticks: Yardsticks,
    #[serde(rename = "rate", default)]
    pub rates: Vec<AtRate>,
}

/// The word for what ended well.
pub const WEIGHED: &str = "weighed";

impl Entry {
    #[must_use]
    pub fn is_weighed(&self) -> bool {
        self.status == WEIGHED
    }

    /// What one machine measured.
    #[must_use]
    pub fn on_machine(&self, machine: &str) -> Option<&OnMachine> {
        self.on.iter().find(|o| o.machine == machine)
    }

    fn date(&self) -> &str {
        self.on.iter().map(|o| o.date.as_str()).max().unwrap_or_default()
    }
}

impl Catalogue {
    /// The entry with this very key.
    #[must_use]
    pub fn entry(&self, key: &ProcessorKey) -> Option<&Entry> {
        self.entries.iter().find(|e| e.key == *key)
    }

    /// Whether this very processor was weighed on `machine`, at all of `rates`; or is known to fail.
    #[must_use]
    pub fn knows(&self, key: &ProcessorKey, machine: &str, rates: &[u32]) -> bool {
        let Some(entry) = self.entry(key) else { return false };
        let at = |o: &OnMachine| rates.iter().all(|r| o.rates.iter().any(|a| a.rate_hz == *r));
        !entry.is_weighed() || entry.on.iter().any(|o| o.machine == machine && at(o))
    }

    /// Puts in what was weighed: beside what other machines found, in place of what the same one did at the same rates.
    pub fn put(&mut self, new: Entry) {
        let Some(old) = self.entries.iter_mut().find(|e| e.key == new.key) else {
            self.entries.push(new);
            return;
        };
        let (mut on, failed) = (std::mem::take(&mut old.on), !new.is_weighed());
        for mut here in new.on {
            if let Some(at) = on.iter().position(|o| o.machine == here.machine) {
                let mut before = on.swap_remove(at);
                before.rates.retain(|r| here.rates.iter().all(|n| n.rate_hz != r.rate_hz));
                here.rates.extend(before.rates);
                here.rates.sort_by_key(|r| r.rate_hz);
            }
            on.push(here);
        }
        // What fails now is not to be planned with, whatever was measured before.
        *old = Entry { on: if failed { Vec::new() } else { on }, ..new };
    }

    /// What a session means by `is` with these settings: the same settings go first, then those at first; of several versions
    /// the last that was weighed.
    #[must_use]
    pub fn meant(&self, is: &str, settings: Option<&str>) -> Option<&Entry> {
        let alike = |of: Option<&str>| {
            let fits = |e: &&Entry| e.key.is == is && e.key.settings.as_deref() == of && e.is_weighed();
            self.entries.iter().filter(fits).max_by_key(|e| e.date())
        };
        settings.and_then(|s| alike(Some(s))).or_else(|| alike(None))
    }
}
