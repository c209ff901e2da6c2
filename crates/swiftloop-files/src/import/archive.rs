//! One file out of an archive, safely: only the one that is named is read, only into memory, and never more of it than a
//! project can be; whatever else the archive says of itself is not believed.

use super::refused;
use crate::{FileError, plain_words};
use std::collections::HashMap;
use std::fs::File;
use std::io::{BufReader, Read};
use std::path::Path;
use swiftloop_core::catalogue::Fingerprint;

/// A project's description is text; 2,000 devices take some five megabytes.
const MOST: u64 = 128 * 1024 * 1024;

/// The text of `name` in the archive at `path`.
pub(super) fn text_in(path: &Path, name: &str) -> Result<String, FileError> {
    let file = File::open(path).map_err(|e| FileError::unreadable(path, &e))?;
    let damaged = |why: &dyn std::fmt::Display| {
        refused(path, format!("the archive is damaged: {why}"), "save the project for exchange once more")
    };
    let mut archive = zip::ZipArchive::new(BufReader::new(file)).map_err(|e| damaged(&e))?;
    let entry = match archive.by_name(name) {
        Ok(entry) => entry,
        Err(zip::result::ZipError::FileNotFound) => {
            return Err(refused(
                path,
                format!("it is an archive without {name}, so it is no project saved for exchange"),
                "save the project as a DAWproject archive",
            ));
        }
        Err(e) => return Err(damaged(&e)),
    };
    let mut bytes = Vec::new();
    entry.take(MOST + 1).read_to_end(&mut bytes).map_err(|e| damaged(&plain_words(&e)))?;
    if bytes.len() as u64 > MOST {
        let why = format!("{name} in it unpacks to more than {} MB", MOST / 1024 / 1024);
        return Err(refused(path, why, "no project's description is that large: do not trust this archive"));
    }
    let text = String::from_utf8(bytes).map_err(|_| {
        refused(path, format!("{name} in it is not UTF-8 text"), "save the project for exchange once more")
    })?;
    Ok(match text.strip_prefix('\u{feff}') {
        Some(rest) => rest.to_string(),
        None => text,
    })
}

/// Settings of one device, and of all in an archive, that are read at the most.
const MOST_SETTINGS: u64 = 32 * 1024 * 1024;
const MOST_IN_ALL: u64 = 256 * 1024 * 1024;

/// Hashes of what lies in the archive at `path` under these names; what cannot be read has none.
pub(super) fn hashes_in<'n>(path: &Path, names: impl Iterator<Item = &'n str>) -> HashMap<String, String> {
    let mut found = HashMap::new();
    let archive = File::open(path).ok().and_then(|f| zip::ZipArchive::new(BufReader::new(f)).ok());
    let Some(mut archive) = archive else { return found };
    let mut left = MOST_IN_ALL;
    for name in names {
        if found.contains_key(name) {
            continue;
        }
        let Ok(entry) = archive.by_name(name) else { continue };
        let most = MOST_SETTINGS.min(left);
        let mut bytes = Vec::new();
        let whole = entry.take(most + 1).read_to_end(&mut bytes).is_ok() && bytes.len() as u64 <= most;
        left = left.saturating_sub(bytes.len() as u64);
        if whole {
            found.insert(name.to_string(), Fingerprint::of(&bytes));
        }
    }
    found
}

/// A project archive that holds this description and nothing else.
///
/// # Panics
/// Never: it is written into memory.
#[must_use]
pub fn project_archive(project: &str) -> Vec<u8> {
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let written = archive
        .start_file("project.xml", zip::write::SimpleFileOptions::default())
        .and_then(|()| std::io::Write::write_all(&mut archive, project.as_bytes()).map_err(Into::into))
        .and_then(|()| archive.finish());
    written.map(std::io::Cursor::into_inner).unwrap_or_default()
}
