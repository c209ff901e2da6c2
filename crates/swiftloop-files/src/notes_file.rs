//! `notes.toml` beside the session: read where it is there, and one note added at its end. What somebody wrote in it by hand,
//! comments too, stays as it is; nothing is written that could not be read again.

use crate::description::{notes_from, read_text};
use crate::lock::Locked;
use crate::save::{Overwrite, save};
use crate::{FileError, FileReason};
use std::path::{Path, PathBuf};
use swiftloop_core::notes::{Feels, Note};
use swiftloop_core::rig::Rig;
use swiftloop_core::session::Session;
use swiftloop_units::{Block, Hz};
use toml_edit::{Array, ArrayOfTables, DocumentMut, InlineTable, Item, Table, value};

/// What a file begins with.
const BEGINNING: &str = "# What was seen: dropouts counted, meters read, what performers felt. One [[note]] for each time.\n\
                         format = \"swiftloop.notes/1\"\n";

/// A note to be added.
#[derive(Debug, Clone, Default)]
pub struct NewNote {
    pub date: String,
    /// Phase, interface, driver, buffer, by their names in the files.
    pub phase: String,
    pub interface: String,
    pub driver: String,
    pub rate: Option<Hz>,
    pub buffer: String,
    /// What is rendered ahead.
    pub roll: Option<Block>,
    pub workers: u32,
    pub remedies: Vec<String>,
    /// Minutes listened.
    pub minutes: Option<f64>,
    pub dropouts: Option<u32>,
    /// The meter in percent.
    pub meter: Option<f64>,
    /// The meter at the worst.
    pub meter_peak: Option<f64>,
    pub felt: Vec<(String, Feels)>,
}

/// Where the notes of a session lie.
#[must_use]
pub fn notes_beside(session: &Path) -> PathBuf {
    session.with_file_name("notes.toml")
}

/// The notes beside a session; none where there is no such file.
///
/// # Errors
/// See [`FileError`].
pub fn read_notes(
    session_file: &Path,
    description: (&Rig, &Session),
    today: &str,
) -> Result<Vec<Note>, FileError> {
    let path = notes_beside(session_file);
    if path.symlink_metadata().is_err() {
        return Ok(Vec::new());
    }
    notes_from(&path.display().to_string(), &read_text(&path)?, description, today)
}

/// Adds a note to the file beside a session, which is made where it is missing; and all notes that stand in it then.
///
/// # Errors
/// See [`FileError`]; nothing has changed then.
pub fn add_note(
    session_file: &Path,
    note: &NewNote,
    description: (&Rig, &Session),
    today: &str,
) -> Result<Vec<Note>, FileError> {
    let path = notes_beside(session_file);
    // Two who note at once lose nothing: the session is there in any case, and held until the note is written.
    let _held = Locked::new(session_file, session_file)?;
    let there = path.symlink_metadata().is_ok();
    let old = if there { read_text(&path)? } else { BEGINNING.to_string() };
    let name = path.display().to_string();
    // As it stands, errors are in the user's own lines.
    notes_from(&name, &old, description, today)?;
    let crlf = old.contains("\r\n");
    let mut document: DocumentMut = old.replace("\r\n", "\n").parse().map_err(|_| FileError::Misfit {
        path: path.clone(),
        reason: FileReason::said("it is no TOML", "mend the file, or move it away"),
    })?;
    let list = document.entry("note").or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
    let tables = list.as_array_of_tables_mut().ok_or_else(|| FileError::Misfit {
        path: path.clone(),
        reason: FileReason::said(
            "its notes stand in one line",
            "write each note under a heading of its own: [[note]]",
        ),
    })?;
    tables.push(table(note));
    let mut new = document.to_string();
    if crlf {
        new = new.replace('\n', "\r\n");
    }
    let notes = notes_from(&name, &new, description, today).map_err(|e| match e {
        FileError::Wrong { reason, .. } => FileError::Misfit { path: path.clone(), reason },
        other @ FileError::Unreadable { .. }
        | other @ FileError::Misfit { .. }
        | other @ FileError::Exists { .. }
        | other @ FileError::Unwritable { .. } => other,
    })?;
    save(&path, new.as_bytes(), if there { Overwrite::Allow } else { Overwrite::Refuse })?;
    Ok(notes)
}

fn table(note: &NewNote) -> Table {
    let mut t = Table::new();
    t["date"] = value(&note.date);
    t["phase"] = value(&note.phase);
    t["interface"] = value(&note.interface);
    t["driver"] = value(&note.driver);
    if let Some(rate) = note.rate {
        t["rate_hz"] = value(i64::from(rate.get()));
    }
    t["buffer"] = value(&note.buffer);
    if let Some(roll) = note.roll {
        t["roll"] = value(i64::from(roll.get()));
    }
    t["workers"] = value(i64::from(note.workers));
    if !note.remedies.is_empty() {
        t["remedies"] = value(note.remedies.iter().map(String::as_str).collect::<Array>());
    }
    let mut number = |key: &str, figure: Option<f64>| {
        if let Some(x) = figure {
            // Whole numbers as they are written by hand.
            t[key] = if x.fract() == 0.0 && x.abs() < 1e9 { value(x as i64) } else { value(x) };
        }
    };
    number("minutes", note.minutes);
    number("dropouts", note.dropouts.map(f64::from));
    number("meter", note.meter);
    number("meter_peak", note.meter_peak);
    if !note.felt.is_empty() {
        let word = |feels: &Feels| match feels {
            Feels::Late => "late",
            Feels::Fine => "fine",
        };
        let felt: InlineTable = note.felt.iter().map(|(who, feels)| (who.as_str(), word(feels))).collect();
        t["felt"] = value(felt);
    }
    t.decor_mut().set_prefix("\n");
    t
}
