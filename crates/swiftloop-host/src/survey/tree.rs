//! A tree of public files: the real one, or a copy.

use std::path::{Path, PathBuf};

/// Larger files are not what we look for.
const LARGEST: u64 = 4 * 1024 * 1024;

pub(super) struct Tree(PathBuf);

impl Tree {
    pub fn new(root: &Path) -> Self {
        Self(root.to_path_buf())
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.join(name.trim_start_matches('/'))
    }

    /// The text of a file, if it is there and is text.
    pub fn text(&self, name: &str) -> Option<String> {
        use std::io::Read;
        let mut text = Vec::new();
        std::fs::File::open(self.path(name)).ok()?.take(LARGEST).read_to_end(&mut text).ok()?;
        Some(String::from_utf8_lossy(&text).into_owned())
    }

    /// The text of a file that may be in 16 bits, as some systems write it.
    pub fn decoded(&self, name: &str) -> Option<String> {
        use std::io::Read;
        let mut bytes = Vec::new();
        std::fs::File::open(self.path(name)).ok()?.take(LARGEST).read_to_end(&mut bytes).ok()?;
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
        let entries = std::fs::read_dir(self.path(folder)).into_iter().flatten().flatten();
        let mut names: Vec<String> = entries.map(|e| e.file_name().to_string_lossy().into_owned()).collect();
        names.sort();
        names
    }

    /// Names of the files in a folder, sorted.
    pub fn files(&self, folder: &str) -> Vec<String> {
        let is_file = |n: &String| self.path(folder).join(n).is_file();
        self.names(folder).into_iter().filter(is_file).collect()
    }

    /// Where a name leads, by its last part: `driver` of a device leads to the driver's own folder.
    pub fn leads_to(&self, name: &str) -> Option<String> {
        let to = std::fs::read_link(self.path(name)).ok()?;
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
