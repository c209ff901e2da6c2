//! One error type: what is wrong, where, what to do.

use std::ops::Range;
use std::path::PathBuf;

/// Anything that can go wrong with a file.
#[derive(Debug, thiserror::Error)]
pub enum FileError {
    /// The file cannot be read at all.
    #[error("cannot read {path}: {why}")]
    Unreadable {
        /// The file.
        path: PathBuf,
        /// What the system says, or what we found.
        why: String,
        /// What to do.
        help: String,
    },
    /// The file can be read but what it says is wrong.
    #[error("{what}")]
    Wrong {
        /// Name of the file, for people.
        name: String,
        /// Its whole text, to show the line.
        text: String,
        /// Bytes at fault, when known.
        span: Option<Range<usize>>,
        /// What is wrong.
        what: String,
        /// What to do.
        help: String,
    },
    /// The file exists and may not be overwritten.
    #[error("{path} exists already")]
    Exists {
        /// The file.
        path: PathBuf,
    },
    /// The file cannot be written.
    #[error("cannot write {path}: {why}")]
    Unwritable {
        /// The file.
        path: PathBuf,
        /// What the system says.
        why: String,
    },
}

impl FileError {
    /// What to do about it.
    #[must_use]
    pub fn help(&self) -> &str {
        match self {
            Self::Unreadable { help, .. } | Self::Wrong { help, .. } => help,
            Self::Exists { .. } => "choose another place, or add --force to replace it",
            Self::Unwritable { .. } => "check that the folder exists and may be written to",
        }
    }
}
