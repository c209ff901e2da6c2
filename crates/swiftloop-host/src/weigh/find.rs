//! Where a processor lies that is only known by its standard and its id: in libraries that were named, and in the folders where the
//! system keeps such. Nothing is run for that: a library that may hold it has its id in its bytes, as a string of its own;
//! a bundle has it in its description.

use super::{Standard, standards};
use std::io::Read;
use std::path::{Path, PathBuf};
use swiftloop_core::catalogue::Fingerprint;

/// Folders in folders, at the most; and the largest file that is looked into.
const DEEPEST: usize = 4;
const LARGEST: u64 = 1 << 30;

/// A processor that a session names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedProcessor {
    /// The word of its standard.
    pub standard: String,
    pub id: String,
}

impl NamedProcessor {
    /// From `standard:id`; nothing where it is no such word, or of a standard that is not known.
    #[must_use]
    pub fn of(is: &str) -> Option<Self> {
        let (standard, id) = is.split_once(':')?;
        let known = standards().iter().any(|s| s.word() == standard);
        (known && !id.is_empty()).then(|| Self { standard: standard.into(), id: id.into() })
    }
}

/// Libraries that may hold it, those that were named first.
#[must_use]
pub fn find(wanted: &NamedProcessor, named: &[PathBuf]) -> Vec<PathBuf> {
    let all = standards();
    let Some(standard) = all.iter().find(|s| s.word() == wanted.standard) else { return Vec::new() };
    if let Some(own) = standard.own() {
        return vec![own];
    }
    let (variable, usual) = standard.places();
    let folders: Vec<PathBuf> = match std::env::var_os(variable) {
        Some(folders) => std::env::split_paths(&folders).collect(),
        None => usual.iter().filter_map(|f| below_home(f)).collect(),
    };
    // What was named may be looked into by running it.
    let mut found: Vec<PathBuf> = named.iter().filter(|p| standard.may_be(p)).cloned().collect();
    for folder in folders {
        let mut seen = Vec::new();
        walk(&**standard, &folder, DEEPEST, &mut seen);
        seen.sort();
        found.extend(seen.into_iter().filter(|p| may_hold(&**standard, p, &wanted.id)));
    }
    found
}

fn below_home(folder: &str) -> Option<PathBuf> {
    match folder.strip_prefix("~/") {
        Some(rest) => Some(PathBuf::from(std::env::var_os("HOME")?).join(rest)),
        None => Some(PathBuf::from(folder)),
    }
}

fn walk(standard: &dyn Standard, folder: &Path, deep: usize, found: &mut Vec<PathBuf>) {
    let Ok(inside) = std::fs::read_dir(folder) else { return };
    for path in inside.flatten().map(|e| e.path()) {
        if standard.may_be(&path) {
            found.push(path);
        } else if deep > 0 && path.is_dir() {
            walk(standard, &path, deep - 1, found);
        }
    }
}

/// Its id stands in it: as a word that ends there in a library, anywhere in a description.
fn may_hold(standard: &dyn Standard, path: &Path, id: &str) -> bool {
    let is_bundle = path.is_dir();
    let file = if is_bundle { path.join("manifest.ttl") } else { path.into() };
    let small = std::fs::metadata(&file).is_ok_and(|about| about.len() <= LARGEST);
    let Ok(bytes) = (if small { std::fs::read(&file) } else { Ok(Vec::new()) }) else { return false };
    if !standard.may_be(path) || id.is_empty() {
        return false;
    }
    let id = id.as_bytes();
    // A manifest may say it as a prefix and a rest: the last part of an address has to be there.
    let last = |id: &'_ [u8]| id.iter().rposition(|b| matches!(b, b'/' | b'#' | b':')).map_or(0, |at| at + 1);
    let sought = if is_bundle { &id[last(id)..] } else { id };
    let is_word = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-' | b'.' | b'/' | b':');
    memchr::memmem::find_iter(&bytes, sought).any(|from| {
        let before = from.checked_sub(1).and_then(|i| bytes.get(i));
        is_bundle || (!before.is_some_and(is_word) && bytes.get(from + sought.len()).is_none_or(|b| *b == 0))
    })
}

/// A hash of all that a library is made of: the file, or what a bundle holds besides pictures and sounds.
///
/// # Errors
/// What cannot be read.
pub fn content_hash(library: &Path) -> std::io::Result<String> {
    if standards().iter().any(|s| s.own().is_some_and(|own| own == library)) {
        // What is built in is what this version has.
        return Ok(concat!("built into ", env!("CARGO_PKG_VERSION")).into());
    }
    let mut files = vec![library.to_path_buf()];
    if library.is_dir() {
        let is_code = |p: &PathBuf| p.extension().is_some_and(|e| e == "so" || e == "ttl");
        files = std::fs::read_dir(library)?.flatten().map(|e| e.path()).filter(is_code).collect();
        files.sort();
    }
    let mut hash = Fingerprint::default();
    let mut piece = vec![0; 1 << 16];
    for path in files {
        hash.add(path.file_name().unwrap_or_default().as_encoded_bytes());
        let mut file = std::fs::File::open(&path)?;
        loop {
            let got = file.read(&mut piece)?;
            if got == 0 {
                break;
            }
            hash.add(&piece[..got]);
        }
    }
    Ok(hash.told())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_library_is_looked_into_only_where_the_id_stands_by_itself() {
        let folder = tempfile::tempdir().expect("a folder");
        let (own, other) = (folder.path().join("own.so"), folder.path().join("other.so"));
        std::fs::write(&own, b"code\xffamp\0more").expect("written");
        std::fs::write(&other, b"code\0ample\0my_amp\0an amp.").expect("written");
        let bundle = folder.path().join("a.lv2");
        std::fs::create_dir(&bundle).expect("made");
        std::fs::write(bundle.join("manifest.ttl"), "@prefix x: <http://boathouse/> . x:room a <y> .")
            .expect("written");
        let holds = |standard: &str, path: &Path, id: &str| {
            let all = standards();
            may_hold(&**all.iter().find(|s| s.word() == standard).expect("a standard"), path, id)
        };
        assert!(holds("ladspa", &own, "amp") && !holds("ladspa", &other, "amp"));
        assert!(!holds("ladspa", &own, "") && !holds("lv2", &own, "amp"));
        assert!(
            holds("lv2", &bundle, "http://boathouse/room") && !holds("lv2", &bundle, "http://boathouse/hall")
        );
        assert_eq!(NamedProcessor::of("nothing:amp"), None);
        assert_eq!(NamedProcessor::of("ladspa:"), None);
    }

    #[test]
    fn a_hash_changes_with_the_content_and_not_with_the_place() {
        let folder = tempfile::tempdir().expect("a folder");
        let write = |place: &str, text: &str| {
            let path = folder.path().join(place).join("x.so");
            std::fs::create_dir_all(path.parent().expect("a folder")).expect("made");
            std::fs::write(&path, text).expect("written");
            content_hash(&path).expect("a hash")
        };
        let first = write("a", "one");
        assert_eq!((first.len(), &first), (32, &write("b", "one")));
        assert_ne!(first, write("a", "two"));
        assert!(content_hash(&folder.path().join("nothing")).is_err());
    }
}
