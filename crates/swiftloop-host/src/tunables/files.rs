//! Levers that are files of the system, or of a copy. In a copy nothing may lead outside, and a file is replaced as a whole.

use super::TunableError;
use std::fs::{File, OpenOptions};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

/// A file in the making, beside the one whose place it takes: always of this name, so that it can be found again.
const NEW: &str = ".swiftloop-new";
/// No lever has more text.
const LONGEST: u64 = 4096;

/// Where the file is: below the root, links looked through.
fn place(root: &Path, path: &str) -> Result<PathBuf, TunableError> {
    let asked = root.join(path);
    let place = std::fs::canonicalize(&asked).map_err(|e| TunableError::of(path, e))?;
    let top = std::fs::canonicalize(root).map_err(|e| TunableError::of(path, e))?;
    if !place.starts_with(&top) {
        return Err(TunableError::Outside(path.into()));
    }
    Ok(place)
}

/// The whole text of the file.
pub(super) fn read(root: &Path, path: &str) -> Result<String, TunableError> {
    read_up_to(root, path, LONGEST)
}

/// The same of a file with much more in it.
pub(super) fn read_long(root: &Path, path: &str) -> Result<String, TunableError> {
    read_up_to(root, path, LONGEST * LONGEST)
}

fn read_up_to(root: &Path, path: &str, longest: u64) -> Result<String, TunableError> {
    let mut text = String::new();
    let file = File::open(place(root, path)?).map_err(|e| TunableError::of(path, e))?;
    file.take(longest).read_to_string(&mut text).map_err(|e| TunableError::of(path, e))?;
    Ok(text)
}

/// Writes the whole text, in one call: the kernel takes it whole or not at all.
pub(super) fn write(root: &Path, path: &str, text: &str, copy: bool) -> Result<(), TunableError> {
    let place = place(root, path)?;
    let refused = |e| TunableError::of(path, e);
    if copy {
        return replace(&place, text).map_err(refused);
    }
    let mut file = OpenOptions::new().write(true).open(&place).map_err(refused)?;
    file.write_all(text.as_bytes()).map_err(refused)
}

/// A file beside it takes its place, with its rights.
fn replace(place: &Path, text: &str) -> std::io::Result<()> {
    let rights = std::fs::metadata(place)?.permissions();
    if rights.readonly() {
        return Err(std::io::ErrorKind::PermissionDenied.into());
    }
    let new = place.with_file_name(NEW);
    let mut file = File::create(&new)?;
    file.write_all(text.as_bytes())?;
    file.set_permissions(rights)?;
    file.sync_all()?;
    std::fs::rename(new, place)
}

/// Takes away what a replacement left that was cut off in the middle.
pub(super) fn tidy(root: &Path, path: &str) {
    if let Ok(place) = place(root, path) {
        let _ = std::fs::remove_file(place.with_file_name(NEW));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_copy_is_written_byte_for_byte_and_nothing_leads_outside() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().join("copy");
        std::fs::create_dir_all(root.join("sys/a")).unwrap();
        std::fs::write(root.join("sys/a/governor"), "powersave\n").unwrap();
        write(&root, "sys/a/governor", "performance\n", true).unwrap();
        assert_eq!(read(&root, "sys/a/governor").unwrap(), "performance\n");
        std::fs::write(folder.path().join("outside"), "mine").unwrap();
        std::os::unix::fs::symlink("../../../outside", root.join("sys/a/link")).unwrap();
        for path in ["sys/a/link", "../outside"] {
            assert!(matches!(read(&root, path), Err(TunableError::Outside(_))), "{path}");
            assert!(matches!(write(&root, path, "x", true), Err(TunableError::Outside(_))), "{path}");
        }
        assert_eq!(std::fs::read_to_string(folder.path().join("outside")).unwrap(), "mine");
        assert!(read(&root, "sys/a/none").unwrap_err().is_gone());
        let mut rights = std::fs::metadata(root.join("sys/a/governor")).unwrap().permissions();
        rights.set_readonly(true);
        std::fs::set_permissions(root.join("sys/a/governor"), rights).unwrap();
        assert!(write(&root, "sys/a/governor", "x", true).is_err());
        assert_eq!(read(&root, "sys/a/governor").unwrap(), "performance\n");
    }
}
