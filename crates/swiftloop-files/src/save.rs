//! Atomic saving: the whole file or nothing, and never over an existing one unless asked. A file that is replaced keeps
//! its place (links are followed), its mode and its owner.

use crate::FileError;
use std::fs::{File, Metadata};
use std::io::Write;
use std::path::Path;
use tempfile::NamedTempFile;

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
/// [`FileError::Exists`] and [`FileError::Unwritable`]; in both cases nothing has changed on disk.
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
            file.persist_noclobber(path).map_err(|e| match e.error.kind() {
                std::io::ErrorKind::AlreadyExists => FileError::Exists { path: path.into() },
                _ => FileError::unwritable(path, &e.error),
            })?;
            Ok(())
        }
        Overwrite::Allow => match (std::fs::canonicalize(path), File::open(path)) {
            (Ok(place), Ok(before)) => {
                replace(Replaced { asked: path, place: &place, before: &before }, content)
            }
            _ => {
                let file = beside(path, content, None).map_err(|e| FileError::unwritable(path, &e))?;
                file.persist(path).map_err(|e| FileError::unwritable(path, &e.error))?;
                Ok(())
            }
        },
    }
}

/// Writes several new files into `dir`, made if missing: all of them or, when one exists already, none.
///
/// # Errors
/// [`FileError`]: one of them exists, or the folder cannot be written into.
pub fn save_all(dir: &Path, files: &[(&str, String)], overwrite: Overwrite) -> Result<(), FileError> {
    let made = |e: std::io::Error| FileError::unwritable(dir, &e);
    let taken = files.iter().map(|(name, _)| dir.join(name)).find(|p| p.symlink_metadata().is_ok());
    if let (Overwrite::Refuse, Some(path)) = (overwrite, taken) {
        return Err(FileError::Exists { path });
    }
    std::fs::create_dir_all(dir).map_err(made)?;
    for (name, content) in files {
        save(&dir.join(name), content.as_bytes(), overwrite)?;
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
    /// Where that leads.
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
    Ok(())
}

/// A temporary file beside `path` with its content on disk, as private or public as what it replaces.
fn beside(path: &Path, content: &[u8], like: Option<&Metadata>) -> std::io::Result<NamedTempFile> {
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = tempfile::Builder::new().tempfile_in(folder)?;
    dress(file.as_file(), like)?;
    file.write_all(content)?;
    file.as_file().sync_all()?;
    Ok(file)
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
