//! How fast this machine is at its best, kept from one time to the next: a machine that is slow all the while does not know it by
//! itself. What cannot be read, or is another processor's, is measured anew; what cannot be kept will be.

use crate::save::{Overwrite, save};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use swiftloop_measure::weigh::Yardsticks;

/// The least that both yardsticks took.
#[derive(Debug, Clone)]
pub struct YardstickFloor {
    file: Option<PathBuf>,
    processor: String,
    kept: Option<Yardsticks>,
    least: Option<Yardsticks>,
}

impl YardstickFloor {
    /// What was kept in `file`, or in a file of this user's, for a processor of this name.
    #[must_use]
    pub fn read(file: Option<&Path>, processor: String) -> Self {
        let own = || {
            Some(
                directories::ProjectDirs::from("", "", "swiftloop")?.data_local_dir().join("yardsticks.json"),
            )
        };
        let file = file.map(Path::to_path_buf).or_else(own);
        let text = file.as_ref().and_then(|f| std::fs::read_to_string(f).ok());
        let kept = text
            .and_then(|text| serde_json::from_str::<Value>(&text).ok())
            .filter(|v| v["processor"] == processor.as_str())
            .and_then(|v| serde_json::from_value::<Yardsticks>(v["yardsticks"].clone()).ok())
            .filter(|y| y.is_possible());
        Self { file, processor, kept, least: kept }
    }

    /// The least that they ever took.
    #[must_use]
    pub fn least(&self) -> Option<Yardsticks> {
        self.least
    }

    /// They took so long.
    pub fn seen(&mut self, now: Yardsticks) {
        self.least = Some(self.least.map_or(now, |least| least.least(now)));
    }

    /// Keeps it, where it is less than before.
    pub fn keep(&self) {
        let Some(file) = self.file.as_ref().filter(|_| self.least != self.kept) else { return };
        let text = json!({ "processor": self.processor, "yardsticks": self.least }).to_string();
        if file.parent().is_none_or(|folder| std::fs::create_dir_all(folder).is_ok()) {
            // Without it the next time measures anew.
            let _ = save(file, text.as_bytes(), Overwrite::Allow);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::YardstickFloor;
    use swiftloop_measure::weigh::Yardsticks;

    #[test]
    fn the_least_is_kept_for_the_processor_that_it_was_measured_on() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("deep/yardsticks.json");
        let of = |name: &str| YardstickFloor::read(Some(&file), name.into());
        let at = |latency_ns, throughput_ns| Yardsticks { latency_ns, throughput_ns };
        let mut first = of("one");
        assert_eq!(first.least(), None);
        first.seen(at(3.0, 0.2));
        first.seen(at(4.0, 0.1));
        first.keep();
        assert_eq!((of("one").least(), of("another").least()), (Some(at(3.0, 0.1)), None));
        for damaged in
            ["{", "{\"processor\": \"one\", \"yardsticks\": {\"latency_ns\": 0, \"throughput_ns\": 1}}"]
        {
            std::fs::write(&file, damaged).expect("damaged");
            assert_eq!(of("one").least(), None);
        }
    }
}
