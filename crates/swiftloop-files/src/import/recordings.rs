//! A folder of recordings: every WAV file in it is a track that plays from disk; rates that disagree are counted.

use super::found::{FoundTrack, Ids, ImportedProject};
use super::refused;
use crate::FileError;
use crate::wav::Recording;
use std::path::Path;
use swiftloop_core::session::Source;
use swiftloop_measure::listen::AudioSource;

/// More files are another kind of folder.
const MOST: usize = 5_000;

pub(super) fn read(folder: &Path) -> Result<ImportedProject, FileError> {
    let entries = std::fs::read_dir(folder).map_err(|e| FileError::unreadable(folder, &e))?;
    let mut files = Vec::new();
    for entry in entries {
        let path = entry.map_err(|e| FileError::unreadable(folder, &e))?.path();
        let is_wav =
            path.extension().is_some_and(|e| e.eq_ignore_ascii_case("wav") || e.eq_ignore_ascii_case("wave"));
        if is_wav && path.is_file() {
            files.push(path);
        }
        if files.len() > MOST {
            return Err(refused(
                folder,
                format!("it holds more than {MOST} recordings"),
                "name the folder of one session",
            ));
        }
    }
    files.sort();
    if files.is_empty() {
        return Err(refused(
            folder,
            "there is no WAV file in it",
            "name the folder that holds the recordings themselves",
        ));
    }
    let mut found = ImportedProject {
        name: name_of(folder),
        source: format!("the folder {}", folder.display()),
        ..ImportedProject::default()
    };
    let mut ids = Ids::without(&["main", "out"]);
    let mut rates = Vec::new();
    for path in &files {
        let file = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        match Recording::open(path) {
            Ok(wav) => {
                rates.push((wav.rate().get(), file.clone()));
                let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
                found.tracks.push(FoundTrack {
                    id: ids.of(&name, "track"),
                    name,
                    from: file,
                    source: Source::Disk,
                    because: "a recording",
                    channels: u32::try_from(wav.channels()).unwrap_or(u32::MAX).clamp(1, 128),
                    to: "main".into(),
                    sends: Vec::new(),
                    processors: Vec::new(),
                    muted: false,
                    disabled: false,
                    unused: wav.frames() == 0,
                });
            }
            Err(e) => found.remarks.push(left_out(&file, &e)),
        }
    }
    if found.tracks.is_empty() {
        return Err(refused(
            folder,
            "none of its WAV files can be read",
            "try one by itself with `swiftloop listen`",
        ));
    }
    found.count_rates(rates.iter().map(|r| r.0));
    let most = found.rate_hz();
    for (rate, file) in rates.iter().filter(|r| Some(r.0) != most) {
        found.remarks.push(format!(
            "{file} is at {rate} Hz, unlike most: it plays at the wrong speed unless it is converted"
        ));
    }
    Ok(found)
}

/// The last part of a path, without an ending.
pub(super) fn name_of(path: &Path) -> String {
    let whole = path.canonicalize().unwrap_or_else(|_| path.to_path_buf());
    whole.file_stem().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default()
}

/// Why a recording was left out.
fn left_out(file: &str, e: &FileError) -> String {
    match e {
        FileError::Unreadable { path, why, .. } => {
            format!("{file} was left out: cannot read {}: {why}", path.display())
        }
        FileError::Wrong { .. }
        | FileError::Misfit { .. }
        | FileError::Exists { .. }
        | FileError::Unwritable { .. } => format!("{file} was left out: it cannot be used"),
    }
}
