//! A tree of public files: the real one, or a copy. A copy may hold anything, so nothing outside of it is ever
//! read, whatever its links say, nothing that is no plain file is opened, and all of it together has an end.

use std::cell::Cell;
use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};

/// Larger files are not what we look for.
const LARGEST: u64 = 4 * 1024 * 1024;
/// All that is read of a copy: its files, opened so many times, and the bytes in them.
const MOST_FILES: u32 = 60_000;
const MOST_BYTES: u64 = 96 * 1024 * 1024;
/// Names of one folder that are looked at, the first ones by their order; and how many are listed at all.
const MOST_NAMES: usize = 4096;
const MOST_LISTED: usize = 1 << 17;

/// A computer's files.
pub(super) struct Tree {
    root: PathBuf,
    /// A copy's own place, with no link in it; nothing for the computer itself.
    inside: Option<PathBuf>,
    files: Cell<u32>,
    bytes: Cell<u64>,
}

impl Tree {
    /// Of this computer; empty where the system keeps no such files, whatever lies at their names.
    pub fn of_this_computer() -> Self {
        if !cfg!(target_os = "linux") {
            let nowhere = Some(PathBuf::from("nowhere"));
            return Self { root: "/".into(), inside: nowhere, files: Cell::new(0), bytes: Cell::new(0) };
        }
        Self { root: "/".into(), inside: None, files: Cell::new(u32::MAX), bytes: Cell::new(u64::MAX) }
    }

    /// A copy of another's files under `root`, which nothing leads out of.
    pub fn copied(root: &Path) -> Self {
        let inside = Some(root.canonicalize().unwrap_or_else(|_| root.to_path_buf()));
        let (files, bytes) = (Cell::new(MOST_FILES), Cell::new(MOST_BYTES));
        Self { root: root.to_path_buf(), inside, files, bytes }
    }

    /// The copy holds more than is read of one.
    pub fn is_exhausted(&self) -> bool {
        self.files.get() == 0 || self.bytes.get() == 0
    }

    /// Where a name of the tree is; nothing where it leads out of a copy, or to nowhere.
    fn path(&self, name: &str) -> Option<PathBuf> {
        let path = self.root.join(name.trim_start_matches('/'));
        let Some(inside) = &self.inside else { return Some(path) };
        let files = self.files.get();
        self.files.set(files.saturating_sub(1));
        (files > 0).then(|| path.canonicalize().ok()).flatten().filter(|real| real.starts_with(inside))
    }

    /// The bytes of a plain file, if it is there.
    fn bytes(&self, name: &str) -> Option<Vec<u8>> {
        let path = self.path(name)?;
        // A pipe would be waited for, a device may have no end.
        if !path.metadata().ok()?.is_file() {
            return None;
        }
        let mut bytes = Vec::new();
        File::open(path).ok()?.take(LARGEST.min(self.bytes.get())).read_to_end(&mut bytes).ok()?;
        self.bytes.set(self.bytes.get().saturating_sub(bytes.len() as u64));
        Some(bytes)
    }

    /// The text of a file, if it is there and is text.
    pub fn text(&self, name: &str) -> Option<String> {
        Some(String::from_utf8_lossy(&self.bytes(name)?).into_owned())
    }

    /// The text of a file that may be in 16 bits, as some systems write it.
    pub fn decoded(&self, name: &str) -> Option<String> {
        let bytes = self.bytes(name)?;
        let Some(wide) = bytes.strip_prefix(&[0xff, 0xfe]) else {
            return Some(String::from_utf8_lossy(&bytes).trim_start_matches('\u{feff}').to_string());
        };
        let units: Vec<u16> = wide.chunks_exact(2).map(|c| u16::from_le_bytes([c[0], c[1]])).collect();
        Some(String::from_utf16_lossy(&units))
    }

    /// Its first line, without spaces around it; nothing when empty.
    pub fn first_word(&self, name: &str) -> Option<String> {
        let text = self.text(name)?;
        let word = text.lines().next()?.trim();
        (!word.is_empty()).then(|| word.to_string())
    }

    /// A number that stands alone.
    pub fn number(&self, name: &str) -> Option<f64> {
        self.first_word(name)?.parse().ok().filter(|x: &f64| x.is_finite())
    }

    /// Names in a folder, sorted.
    pub fn names(&self, folder: &str) -> Vec<String> {
        let Some(path) = self.path(folder) else { return Vec::new() };
        let entries = std::fs::read_dir(path).into_iter().flatten().flatten();
        let listed = if self.inside.is_some() { MOST_LISTED } else { usize::MAX };
        let names = entries.take(listed).map(|e| e.file_name().to_string_lossy().into_owned());
        let mut names: Vec<String> = names.collect();
        names.sort();
        if self.inside.is_some() {
            names.truncate(MOST_NAMES);
        }
        names
    }

    /// Names of the files in a folder, sorted.
    pub fn files(&self, folder: &str) -> Vec<String> {
        let is_file = |n: &String| self.path(&format!("{folder}/{n}")).is_some_and(|p| p.is_file());
        self.names(folder).into_iter().filter(is_file).collect()
    }

    /// Where a name leads, by its last part: `driver` of a device leads to the driver's own folder. The link itself is read, and
    /// not followed.
    pub fn leads_to(&self, name: &str) -> Option<String> {
        let (folder, own) = name.rsplit_once('/')?;
        let to = std::fs::read_link(self.path(folder)?.join(own)).ok()?;
        Some(to.file_name()?.to_string_lossy().into_owned())
    }

    /// Names that are `prefix` and a number, with the number, rising.
    pub fn numbered(&self, folder: &str, prefix: &str) -> Vec<(u32, String)> {
        let number = |n: &String| n.strip_prefix(prefix)?.parse().ok();
        let mut all: Vec<(u32, String)> =
            self.names(folder).into_iter().filter_map(|n| Some((number(&n)?, n))).collect();
        all.sort_unstable();
        all
    }
}
