//! Atomic saving: the whole file or nothing, and never over an existing one unless asked. A file that is replaced keeps
//! its place (links are followed), its mode and its owner. A file gets its name only once its content is on
//! the disk, and the name is on the disk before anybody is told that it is saved; so neither an end at any moment nor the
//! loss of power leaves half a file under a name that somebody reads.

use crate::FileError;
use crate::lock::is_still;
use std::fs::{File, Metadata};
use std::io::Write;
use std::path::{Path, PathBuf};
use tempfile::NamedTempFile;

/// What files are called until they are whole.
const UNFINISHED: &str = ".swiftloop-new-";
/// Entries of a folder among which unfinished files of runs that were ended are looked for.
const LOOKED_AT: usize = 4096;

/// Whether an existing file may be replaced.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Overwrite {
    /// Never: an existing file is an error.
    Refuse,
    /// Never, and one that holds just this already is no error.
    RefuseOther,
    /// The user said so.
    Allow,
}

impl Overwrite {
    /// What a `--force` amounts to.
    #[must_use]
    pub fn forced(force: bool) -> Self {
        if force { Self::Allow } else { Self::Refuse }
    }
}

/// Writes `content` to `path`: into a temporary file beside it first, then renamed.
///
/// # Errors
/// [`FileError::Exists`] and [`FileError::Unwritable`]; nothing has changed on disk then, but where the folder alone could not be
/// synced: the new file is there, whole, and may be gone after a loss of power.
pub fn save(path: &Path, content: &[u8], overwrite: Overwrite) -> Result<(), FileError> {
    if overwrite == Overwrite::RefuseOther && holds(path, content) {
        return Ok(());
    }
    match overwrite {
        Overwrite::Refuse | Overwrite::RefuseOther => {
            if path.symlink_metadata().is_ok() {
                return Err(FileError::Exists { path: path.into() });
            }
            let file = beside(path, content, None).map_err(|e| FileError::unwritable(path, &e))?;
            place_new(file, path)
        }
        Overwrite::Allow => match (std::fs::canonicalize(path), File::open(path)) {
            (Ok(place), Ok(before)) => {
                replace(Replaced { asked: path, place: &place, before: &before }, content)
            }
            _ => {
                let file = beside(path, content, None).map_err(|e| FileError::unwritable(path, &e))?;
                file.persist(path).map_err(|e| FileError::unwritable(path, &e.error))?;
                keep_names(folder_of(path)).map_err(|e| FileError::unwritable(path, &e))
            }
        },
    }
}

/// Gives a file its name where nothing has it yet.
#[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
fn place_new(file: NamedTempFile, path: &Path) -> Result<(), FileError> {
    file.persist_noclobber(path).map_err(|e| match e.error.kind() {
        std::io::ErrorKind::AlreadyExists => FileError::Exists { path: path.into() },
        _ => FileError::unwritable(path, &e.error),
    })?;
    keep_names(folder_of(path)).map_err(|e| FileError::unwritable(path, &e))
}

fn folder_of(path: &Path) -> &Path {
    path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// Waits until the names of a folder are on the disk. Not every file system can be asked, and not every folder may be read
/// that may be written into: then it does what it does anyway.
///
/// # Errors
/// The disk refuses.
#[cfg(unix)]
pub fn keep_names(folder: &Path) -> std::io::Result<()> {
    use std::io::ErrorKind::{InvalidInput, PermissionDenied, Unsupported};
    match File::open(folder).and_then(|f| f.sync_all()) {
        Err(e) if !matches!(e.kind(), InvalidInput | PermissionDenied | Unsupported) => Err(e),
        Ok(()) | Err(_) => Ok(()),
    }
}

/// Folders cannot be asked for that here.
///
/// # Errors
/// None.
#[cfg(not(unix))]
pub fn keep_names(_: &Path) -> std::io::Result<()> {
    Ok(())
}

/// Writes several files into `dir`, made if missing: all of them or, when one exists already or the disk refuses, none that was
/// not there before.
///
/// # Errors
/// [`FileError`]: one of them exists, or the folder cannot be written into.
pub fn save_all(dir: &Path, files: &[(&str, String)], overwrite: Overwrite) -> Result<(), FileError> {
    let made = |e: std::io::Error| FileError::unwritable(dir, &e);
    let taken = files.iter().map(|(name, _)| dir.join(name)).find(|p| p.symlink_metadata().is_ok());
    if let (Overwrite::Refuse, Some(path)) = (overwrite, taken) {
        return Err(FileError::Exists { path });
    }
    let there = dir.is_dir();
    std::fs::create_dir_all(dir).map_err(made)?;
    let mut new: Vec<PathBuf> = Vec::new();
    for (name, content) in files {
        let path = dir.join(name);
        let is_new = path.symlink_metadata().is_err();
        if let Err(e) = save(&path, content.as_bytes(), overwrite) {
            for path in new {
                let _ = std::fs::remove_file(path);
            }
            if !there {
                let _ = std::fs::remove_dir(dir);
            }
            return Err(e);
        }
        new.extend(is_new.then_some(path));
    }
    Ok(())
}

/// A plain file with just this content is there.
fn holds(path: &Path, content: &[u8]) -> bool {
    let alike = std::fs::metadata(path).is_ok_and(|m| m.is_file() && m.len() == content.len() as u64);
    alike && std::fs::read(path).is_ok_and(|there| there == content)
}

/// A file that is to be replaced.
pub(crate) struct Replaced<'a> {
    /// As it was named.
    pub asked: &'a Path,
    pub place: &'a Path,
    /// What is there now.
    pub before: &'a File,
}

/// Puts a new content in the place of a file; mode and owner stay.
pub(crate) fn replace(file: Replaced<'_>, content: &[u8]) -> Result<(), FileError> {
    let unwritable = |e: &std::io::Error| FileError::unwritable(file.asked, e);
    let about = file.before.metadata().map_err(|e| unwritable(&e))?;
    if about.permissions().readonly() {
        let denied = std::io::Error::from(std::io::ErrorKind::PermissionDenied);
        return Err(unwritable(&denied));
    }
    let new = beside(file.place, content, Some(&about)).map_err(|e| unwritable(&e))?;
    new.persist(file.place).map_err(|e| unwritable(&e.error))?;
    keep_names(folder_of(file.place)).map_err(|e| unwritable(&e))
}

/// A temporary file beside `path` with its content on disk, as private or public as what it replaces.
fn beside(path: &Path, content: &[u8], like: Option<&Metadata>) -> std::io::Result<NamedTempFile> {
    let mut file = unfinished(folder_of(path))?;
    dress(file.as_file(), like)?;
    file.write_all(content)?;
    file.as_file().sync_all()?;
    Ok(file)
}

/// A file without a name of its own yet, held by this run; what runs that were ended have left there is cleared away.
///
/// # Errors
/// The folder cannot be written into.
pub fn unfinished(folder: &Path) -> std::io::Result<NamedTempFile> {
    clear(folder);
    loop {
        let file = tempfile::Builder::new().prefix(UNFINISHED).tempfile_in(folder)?;
        // A file system that holds nothing for anybody also clears nothing away.
        let held = file.as_file().try_lock();
        if held.is_err() || is_still(file.as_file(), file.path()) {
            return Ok(file);
        }
        // In the moment between, another run took it for one that was left.
    }
}

/// Removes unfinished files that no run holds any more.
fn clear(folder: &Path) {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().take(LOOKED_AT);
    for entry in entries.filter(|e| e.file_name().to_string_lossy().starts_with(UNFINISHED)) {
        let path = entry.path();
        // A link, or a pipe that would be waited for, is none of ours.
        if !entry.file_type().is_ok_and(|t| t.is_file()) {
            continue;
        }
        if File::open(&path).is_ok_and(|f| f.try_lock().is_ok() && is_still(&f, &path)) {
            let _ = std::fs::remove_file(path);
        }
    }
}

#[cfg(unix)]
fn dress(file: &File, like: Option<&Metadata>) -> std::io::Result<()> {
    use std::os::unix::fs::{MetadataExt, PermissionsExt, fchown};
    let mode = like.map_or(0o644, |m| m.permissions().mode());
    if let Some(m) = like {
        // Only a superuser may give a file away; for everybody else it is theirs already.
        let _ = fchown(file, Some(m.uid()), Some(m.gid()));
    }
    file.set_permissions(std::fs::Permissions::from_mode(mode))
}

#[cfg(not(unix))]
fn dress(_: &File, _: Option<&Metadata>) -> std::io::Result<()> {
    Ok(())
}
