//! `good.toml`: what was installed on each computer when all was well. Written by a check that somebody says was good, read by
//! every check after it.

use crate::description::read_text;
use crate::save::{Overwrite, save};
use crate::{FileError, FileReason};
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};
use swiftloop_core::in_effect::Known;
use swiftloop_core::survey::Version;

const FORMAT: &str = "swiftloop.good/1";

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Good {
    format: String,
    #[serde(rename = "computer", default)]
    computers: Vec<GoodComputer>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct GoodComputer {
    name: String,
    date: String,
    #[serde(rename = "version", default)]
    versions: Vec<Version>,
}

/// Where it lies, beside a file of settings or a session.
#[must_use]
pub fn good_beside(file: &Path) -> PathBuf {
    file.with_file_name("good.toml")
}

fn read(path: &Path) -> Result<Good, FileError> {
    if path.symlink_metadata().is_err() {
        return Ok(Good { format: FORMAT.into(), computers: Vec::new() });
    }
    let text = read_text(path)?;
    let wrong = |what: String| FileError::Wrong {
        name: path.display().to_string(),
        text: text.clone(),
        span: None,
        reason: FileReason::said(
            what,
            "move the file away and let a check that is well write it anew: --remember",
        ),
    };
    let good: Good = toml::from_str(&text).map_err(|e| FileError::Wrong {
        name: path.display().to_string(),
        text: text.clone(),
        span: e.span(),
        reason: FileReason::said(
            e.message().to_string(),
            "move the file away and let a check that is well write it anew: --remember",
        ),
    })?;
    if good.format == FORMAT { Ok(good) } else { Err(wrong(format!("its format is `{}`", good.format))) }
}

/// How a computer was when all was well; nothing where nobody said so.
///
/// # Errors
/// See [`FileError`].
pub fn read_good(path: &Path, computer: &str) -> Result<Option<Known>, FileError> {
    let found = read(path)?.computers.into_iter().find(|c| c.name == computer);
    Ok(found.map(|c| Known { date: c.date, versions: c.versions }))
}

/// Keeps how a computer is now; what was kept of others stays.
///
/// # Errors
/// See [`FileError`].
pub fn remember_good(path: &Path, computer: &str, known: Known) -> Result<(), FileError> {
    let mut good = read(path)?;
    good.computers.retain(|c| c.name != computer);
    good.computers.push(GoodComputer { name: computer.into(), date: known.date, versions: known.versions });
    let text = toml::to_string(&good).map_err(|e| FileError::Misfit {
        path: path.into(),
        reason: FileReason::said(e.to_string(), "report this"),
    })?;
    let text = format!("# What was installed when all was well; swiftloop check compares with it.\n{text}");
    save(path, text.as_bytes(), Overwrite::Allow)
}
