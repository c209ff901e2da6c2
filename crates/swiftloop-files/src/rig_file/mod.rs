//! The one room in which rig files are changed. A path and an edit come in; the file goes out with only that edit in it:
//! comments, order, line ends, a byte order mark, links, mode and owner stay. An edit is a function of the
//! text, applied under a lock to what the file holds at that moment, so two writers at once lose nothing; and the same
//! function can be tried beforehand, so that nobody measures for an hour and then cannot save.

mod differences;
mod list;
mod profile;
mod surveyed;
mod trips;

pub use differences::{FigureDifference, Replace};
pub use profile::{check_profile_fits, save_paced, save_profile, with_profile};
pub use surveyed::{AddedToRig, save_surveyed};
pub use trips::{NewTrip, save_trips};

use crate::description::{rig_from, text_of};
use crate::lock::Locked;
use crate::save::{Replaced, replace};
use crate::{FileError, FileReason, read_text};
use std::path::{Path, PathBuf};
use swiftloop_core::tables::Tables;
use toml_edit::DocumentMut;

/// A text with its line ends and mark set aside.
struct PlainText {
    text: String,
    mark: bool,
    crlf: bool,
}

const MARK: char = '\u{feff}';

impl PlainText {
    fn of(text: &str) -> Self {
        let mark = text.starts_with(MARK);
        let text = text.strip_prefix(MARK).unwrap_or(text);
        let crlf = text.contains("\r\n");
        Self { text: text.replace("\r\n", "\n"), mark, crlf }
    }

    /// Another text with the same line ends and mark.
    fn dressed(&self, text: &str) -> String {
        let body = if self.crlf { text.replace('\n', "\r\n") } else { text.to_string() };
        if self.mark { format!("{MARK}{body}") } else { body }
    }
}

/// An edit of a document, with something to tell about it.
type Edit<'a, T> = dyn Fn(&mut DocumentMut) -> Result<T, Misfit> + 'a;

/// The file has no place for an edit: what is in the way, what to do.
#[derive(Debug, Clone)]
struct Misfit {
    what: String,
    help: String,
}

impl Misfit {
    fn new(what: impl Into<String>, help: impl Into<String>) -> Self {
        Self { what: what.into(), help: help.into() }
    }
}

/// The edited text of a rig, once it has proved to be a rig still; nothing is written.
fn edited<T>(path: &Path, text: &str, tables: &Tables, edit: &Edit<'_, T>) -> Result<(String, T), FileError> {
    let name = path.display().to_string();
    let plain = PlainText::of(text);
    // As it stands, errors are in the user's own lines.
    rig_from(&name, &plain.text, tables)?;
    let misfit =
        |m: Misfit| FileError::Misfit { path: path.into(), reason: FileReason::said(m.what, m.help) };
    let mut document: DocumentMut = plain
        .text
        .parse()
        .map_err(|_| misfit(Misfit::new("it is no TOML", "mend the file, or save into another")))?;
    let told = edit(&mut document).map_err(misfit)?;
    let new = document.to_string();
    // After the edit they would be in lines that nobody has seen: only what is wrong is told.
    if let Err(FileError::Wrong { reason, .. }) = rig_from(&name, &new, tables) {
        let reason = reason.within("what is to be written does not go with what it says: ");
        return Err(FileError::Misfit { path: path.into(), reason });
    }
    Ok((plain.dressed(&new), told))
}

/// Whether `edit` would go into the file as it is now.
fn try_edit<T>(path: &Path, tables: &Tables, edit: &Edit<'_, T>) -> Result<(), FileError> {
    edited(path, &read_text(path)?, tables, edit).map(|_| ())
}

/// Applies `edit` to the file and writes it, unless nothing changes.
fn edit_file<T>(path: &Path, tables: &Tables, edit: &Edit<'_, T>) -> Result<T, FileError> {
    let place = followed(path)?;
    let locked = Locked::new(path, &place)?;
    let text = text_of(path, &std::fs::read(&place).map_err(|e| FileError::unreadable(path, &e))?)?;
    let (new, told) = edited(path, &text, tables, edit)?;
    if new != text {
        replace(Replaced { asked: path, place: &place, before: &locked.file }, new.as_bytes())?;
    }
    Ok(told)
}

/// Where a path leads in the end.
fn followed(path: &Path) -> Result<PathBuf, FileError> {
    std::fs::canonicalize(path).map_err(|e| FileError::unreadable(path, &e))
}
