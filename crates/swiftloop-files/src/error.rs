//! One error type: what is wrong, where, what to do.

use std::io;
use std::ops::Range;
use std::path::{Path, PathBuf};
use swiftloop_core::contradiction::Contradiction;

/// Anything that can go wrong with a file.
#[derive(Debug)]
pub enum FileError {
    /// The file cannot be read at all.
    Unreadable {
        path: PathBuf,
        /// What is in the way.
        why: String,
        help: String,
    },
    /// The file can be read but what it says is wrong.
    Wrong {
        /// Name of the file, for people.
        name: String,
        /// Its whole text, to show the line.
        text: String,
        /// Bytes at fault, when known.
        span: Option<Range<usize>>,
        reason: FileReason,
    },
    /// The file has no place for what is to be written into it.
    Misfit {
        path: PathBuf,
        /// What is in the way.
        reason: FileReason,
    },
    /// The file exists and may not be overwritten.
    Exists { path: PathBuf },
    /// The file cannot be written.
    Unwritable {
        path: PathBuf,
        /// What is in the way.
        why: String,
    },
}

/// What is wrong with what a file says, or with what was to be written into it.
#[derive(Debug)]
pub enum FileReason {
    /// Its form is wrong: what, and what to do.
    Said { what: String, help: String },
    /// It cannot be true.
    Contradicts(Box<Contradiction>),
    /// A file that it names cannot be used.
    Names(Box<FileError>),
    /// Of what was to be written: words to begin with, the reason, and what to do if it is not the reason's own.
    Within { lead: &'static str, reason: Box<FileReason>, help: Option<&'static str> },
}

impl FileReason {
    /// A wrong form in words.
    pub fn said(what: impl Into<String>, help: impl Into<String>) -> Self {
        Self::Said { what: what.into(), help: help.into() }
    }

    /// The same reason after `lead`.
    #[must_use]
    pub fn within(self, lead: &'static str) -> Self {
        Self::Within { lead, reason: Box::new(self), help: None }
    }
}

impl FileError {
    /// A file that the system does not let us read.
    #[must_use]
    #[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
    pub fn unreadable(path: &Path, e: &io::Error) -> Self {
        let description = path.extension().is_none_or(|e| e.eq_ignore_ascii_case("toml"));
        let help = match e.kind() {
            io::ErrorKind::NotFound if !description => "check the name and the folder you are in",
            io::ErrorKind::NotFound => "check the name; `swiftloop new` makes files to start from",
            io::ErrorKind::PermissionDenied => "check the permissions of the file and of its folder",
            _ => "check the file, or name another",
        };
        Self::Unreadable { path: path.into(), why: plain_words(e), help: help.into() }
    }

    /// A file that the system does not let us write.
    #[must_use]
    pub fn unwritable(path: &Path, e: &io::Error) -> Self {
        Self::Unwritable { path: path.into(), why: plain_words(e) }
    }
}

/// What the system says, in words for people and without its number.
#[must_use]
#[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
pub fn plain_words(e: &io::Error) -> String {
    match e.kind() {
        io::ErrorKind::NotFound => "there is no such file or folder".into(),
        io::ErrorKind::PermissionDenied => "this user may not".into(),
        io::ErrorKind::StorageFull => "the disk is full".into(),
        io::ErrorKind::QuotaExceeded => "this user's share of the disk is full".into(),
        io::ErrorKind::ReadOnlyFilesystem => "the disk is read-only".into(),
        io::ErrorKind::IsADirectory => "it is a folder".into(),
        io::ErrorKind::NotADirectory => "a part of the path is a file, not a folder".into(),
        io::ErrorKind::UnexpectedEof => "it ends too early".into(),
        _ => {
            let text = e.to_string();
            text.split(" (os error").next().unwrap_or(&text).to_lowercase()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_lacks_a_recording_is_not_sent_to_describe_a_rig() {
        let missing = |name: &str| {
            let e = io::Error::from(io::ErrorKind::NotFound);
            let FileError::Unreadable { help, .. } = FileError::unreadable(Path::new(name), &e) else {
                panic!("{name} is there")
            };
            help
        };
        assert!(missing("rig.toml").contains("new") && missing("rig").contains("new"));
        assert!(!missing("take.wav").contains("new") && missing("take.WAV").contains("folder"));
    }

    #[test]
    fn the_systems_own_numbers_are_not_shown() {
        for code in 1..130 {
            let words = plain_words(&io::Error::from_raw_os_error(code));
            assert!(!words.is_empty() && !words.contains("os error"), "{code}: {words}");
        }
    }
}
