//! The catalogue's file, `processors.toml`: this user's, or one that is named. Written as a whole each time, beside the old one and then in
//! its place, so that whoever is interrupted loses nothing.

use crate::description::read_text;
use crate::lock::Locked;
use crate::save::{Overwrite, save};
use crate::{FileError, FileReason};
use std::path::{Path, PathBuf};
use swiftloop_core::catalogue::{Catalogue, Entry, FORMAT};

/// What the file begins with.
const BEGINNING: &str = "# What processors cost and how late they are, as `swiftloop weigh` measured it: nanoseconds and frames.\n\
                         # Sessions name a processor with is = \"…\"; figures written there win over these.\n";

/// Where this user's catalogue lies; nothing where the system has no place for it.
#[must_use]
pub fn catalogue_of_user() -> Option<PathBuf> {
    Some(directories::ProjectDirs::from("", "", "swiftloop")?.data_local_dir().join("processors.toml"))
}

/// A catalogue; an empty one where there is no such file, or nothing in it yet.
///
/// # Errors
/// What cannot be read, or is none.
pub fn read_catalogue(path: &Path) -> Result<Catalogue, FileError> {
    if path.symlink_metadata().is_err() {
        return Ok(Catalogue::default());
    }
    let text = read_text(path)?;
    if text.trim().is_empty() {
        return Ok(Catalogue::default());
    }
    let name = path.display().to_string();
    let wrong = |what: String, span| FileError::Wrong {
        name: name.clone(),
        text: text.clone(),
        span,
        reason: FileReason::said(
            what,
            "mend it, move it away to begin anew, or name another one with --catalogue",
        ),
    };
    let read: Catalogue = toml::from_str(&text).map_err(|e| wrong(e.message().into(), e.span()))?;
    if read.format != FORMAT {
        return Err(wrong(format!("its format is `{}`, not `{FORMAT}`", read.format), None));
    }
    Ok(read)
}

/// Puts what was weighed into the catalogue as it is then, which is made where it is missing; and all that stands in it then. Two
/// that weigh at once lose nothing.
///
/// # Errors
/// What cannot be read or written; then the old one is as it was.
pub fn add_to_catalogue(path: &Path, entry: Entry) -> Result<Catalogue, FileError> {
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder).map_err(|e| FileError::unwritable(folder, &e))?;
    }
    // Something has to be there to be held: a whole catalogue of nothing.
    match save(path, text(path, &Catalogue::default())?.as_bytes(), Overwrite::Refuse) {
        Ok(()) | Err(FileError::Exists { .. }) => {}
        Err(why) => return Err(why),
    }
    let _held = Locked::new(path, path)?;
    let mut catalogue = read_catalogue(path)?;
    catalogue.put(entry);
    save(path, text(path, &catalogue)?.as_bytes(), Overwrite::Allow)?;
    Ok(catalogue)
}

fn text(path: &Path, catalogue: &Catalogue) -> Result<String, FileError> {
    let body = toml::to_string(catalogue).map_err(|e| FileError::Unreadable {
        path: path.into(),
        why: e.to_string(),
        help: "this should not happen: please report it".into(),
    })?;
    Ok(format!("{BEGINNING}{body}"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use swiftloop_core::catalogue::{OnMachine, ProcessorKey};
    use swiftloop_measure::weigh::{
        AtRate, Bursts, DelayAt, Line, NanosRange, ProcessorDelay, VoiceCost, Yardsticks,
    };

    fn everything() -> Catalogue {
        let span = NanosRange { low: 1.0, typical: 2.5, high: 4.0 };
        let line = Line { per_call_ns: span, per_frame_ns: span };
        let yardsticks = Yardsticks { latency_ns: 3.25, throughput_ns: 0.125 };
        let at = AtRate {
            rate_hz: 48_000,
            per_call_ns: Some(span),
            per_frame_ns: Some(span),
            quiet_per_frame_ns: None,
            quiet_per_call_ns: Some(span),
            swept: Some(line),
            crowded: Some(line),
            unflushed: Some(40.0),
            voices: Some(VoiceCost {
                base_per_frame_ns: 1.0,
                per_voice_per_frame_ns: 2.0,
                limit: None,
                held: 8,
            }),
            undisturbed: Some(0.75),
            burst: Some(Bursts { frames: 480, ns: 9e4 }),
            delay: ProcessorDelay {
                reported_frames: None,
                measured_frames: Some(64.5),
                readable: true,
                by_block: vec![DelayAt { block: 32, frames: 32.0 }, DelayAt { block: 64, frames: 64.0 }],
            },
            yardsticks,
        };
        let bare = AtRate { per_call_ns: None, swept: None, voices: None, burst: None, ..at.clone() };
        let key = |is: &str, settings: Option<&str>| ProcessorKey {
            is: is.into(),
            version: settings.map(|_| "1.2".into()),
            library: "00ff".into(),
            settings: settings.map(String::from),
        };
        let on = OnMachine {
            machine: "a \"quoted\" core".into(),
            date: "2026-01-02".into(),
            yardsticks,
            rates: vec![at, bare],
        };
        let weighed = Entry {
            key: key("lv2:http://boathouse/room#1", Some("abcd")),
            name: Some("room".into()),
            channels: [2, 2],
            status: "weighed".into(),
            why: None,
            on: vec![on],
        };
        let failed = Entry {
            key: key("ladspa:crash", None),
            status: "crashed".into(),
            why: Some("it took its process down".into()),
            on: Vec::new(),
            ..weighed.clone()
        };
        Catalogue { entries: vec![weighed, failed], ..Catalogue::default() }
    }

    #[test]
    fn what_is_written_is_what_is_read() {
        let folder = tempfile::tempdir().expect("a folder");
        let path = folder.path().join("deep/processors.toml");
        assert_eq!(read_catalogue(&path).expect("nothing yet"), Catalogue::default());
        for entry in everything().entries {
            add_to_catalogue(&path, entry).expect("written");
        }
        assert_eq!(read_catalogue(&path).expect("read"), everything());
    }

    #[test]
    fn two_that_weigh_at_once_lose_nothing() {
        let folder = tempfile::tempdir().expect("a folder");
        let path = folder.path().join("processors.toml");
        let entry = |i: usize| {
            let mut entry = everything().entries.remove(0);
            entry.key.is = format!("lv2:{i}");
            entry
        };
        std::thread::scope(|scope| {
            for from in [0, 20] {
                let path = &path;
                scope.spawn(move || {
                    (from..from + 20).for_each(|i| drop(add_to_catalogue(path, entry(i)).expect("written")))
                });
            }
        });
        assert_eq!(read_catalogue(&path).expect("read").entries.len(), 40);
    }

    #[test]
    fn what_is_no_catalogue_is_told_with_its_line() {
        let folder = tempfile::tempdir().expect("a folder");
        let path = folder.path().join("processors.toml");
        let format = "format = \"swiftloop.processors/1\"\n";
        for (text, said) in [
            ("# nothing".to_string(), "format"),
            ("format = \"swiftloop.rig/1\"\n".into(), "swiftloop.rig/1"),
            (format!("{format}nothing = 3\n"), "nothing"),
            (format!("{format}[[processor]]\nis = \"lv2:x\"\n"), "missing field"),
            (format!("{format}[[processor"), ""),
        ] {
            std::fs::write(&path, &text).expect("written");
            let error = match read_catalogue(&path) {
                Err(FileError::Wrong { reason: FileReason::Said { what, .. }, .. }) => what,
                other => panic!("{other:?}"),
            };
            assert!(error.contains(said), "{text}: {error}");
        }
    }
}
