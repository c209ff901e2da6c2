//! One writer at a time: a file that several runs of this program write into is held while it is read, changed and written.

use crate::FileError;
use std::fs::File;
use std::path::Path;

/// The file, held against other writers of this program until this goes.
pub(crate) struct Locked {
    pub(crate) file: File,
}

impl Locked {
    pub(crate) fn new(asked: &Path, place: &Path) -> Result<Self, FileError> {
        loop {
            let file = File::open(place).map_err(|e| FileError::unreadable(asked, &e))?;
            file.lock().map_err(|e| FileError::unreadable(asked, &e))?;
            // Whoever held it before may have put another file in its place meanwhile.
            if is_still(&file, place) {
                return Ok(Self { file });
            }
        }
    }
}

/// The open file is still the one that has this name.
#[cfg(unix)]
pub(crate) fn is_still(file: &File, place: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    let id = |m: std::io::Result<std::fs::Metadata>| m.ok().map(|m| (m.dev(), m.ino()));
    id(file.metadata()) == id(std::fs::metadata(place))
}

#[cfg(not(unix))]
pub(crate) fn is_still(_: &File, _: &Path) -> bool {
    true
}
