//! Sessions that nobody types. A project saved for exchange, a file of notes or a folder of recordings comes in; what was
//! found in it goes out, then as a commented session, and merged into one that is there. A source is read
//! into one plain form ([`ImportedProject`]), and only that form is written, so that a further kind of source is one file here.

mod archive;
mod exchange;
mod found;
mod merge;
mod notes_at_once;
mod recordings;
mod standard_midi;
mod write;

pub use archive::project_archive;
pub use found::{FoundBus, FoundProcessor, FoundTrack, ImportedProject};
pub use merge::{Merged, merged};

use crate::FileError;
use std::path::Path;

/// What a source holds.
///
/// # Errors
/// [`FileError`] when it is of no kind that is known, or not sound.
pub fn read_source(path: &Path) -> Result<ImportedProject, FileError> {
    let about = std::fs::metadata(path).map_err(|e| FileError::unreadable(path, &e))?;
    if about.is_dir() {
        return recordings::read(path);
    }
    let mut start = [0u8; 4];
    let mut file = std::fs::File::open(path).map_err(|e| FileError::unreadable(path, &e))?;
    let got = std::io::Read::read(&mut file, &mut start).map_err(|e| FileError::unreadable(path, &e))?;
    match &start[..got] {
        b"PK\x03\x04" | b"PK\x05\x06" => exchange::read(path),
        b"MThd" => standard_midi::read(path),
        _ => Err(refused(
            path,
            "it is neither a project saved for exchange, nor a MIDI file, nor a folder of recordings",
            "save the project as a DAWproject archive, or export its notes as a Standard MIDI file",
        )),
    }
}

/// A source that cannot be read.
fn refused(path: &Path, why: impl Into<String>, help: &str) -> FileError {
    FileError::Unreadable { path: path.into(), why: why.into(), help: help.into() }
}
