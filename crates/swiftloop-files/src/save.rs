//! Atomic saving: the whole file or nothing, and never over an existing one unless asked.

use crate::FileError;
use std::io::Write;
use std::path::Path;

/// Whether an existing file may be replaced.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Overwrite {
    /// Never: an existing file is an error.
    Refuse,
    /// The user said so.
    Allow,
}

/// Writes `content` to `path`: into a temporary file beside it first, then renamed.
///
/// # Errors
/// [`FileError::Exists`] and [`FileError::Unwritable`]; in both cases nothing has changed on disk.
pub fn save(path: &Path, content: &[u8], overwrite: Overwrite) -> Result<(), FileError> {
    let unwritable =
        |e: &dyn std::fmt::Display| FileError::Unwritable { path: path.into(), why: e.to_string() };
    if overwrite == Overwrite::Refuse && path.symlink_metadata().is_ok() {
        return Err(FileError::Exists { path: path.into() });
    }
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut builder = tempfile::Builder::new();
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        builder.permissions(std::fs::Permissions::from_mode(0o644));
    }
    let mut file = builder.tempfile_in(folder).map_err(|e| unwritable(&e))?;
    file.write_all(content).map_err(|e| unwritable(&e))?;
    file.as_file().sync_all().map_err(|e| unwritable(&e))?;
    match overwrite {
        Overwrite::Allow => file.persist(path).map_err(|e| unwritable(&e.error))?,
        Overwrite::Refuse => file.persist_noclobber(path).map_err(|e| match e.error.kind() {
            std::io::ErrorKind::AlreadyExists => FileError::Exists { path: path.into() },
            _ => unwritable(&e.error),
        })?,
    };
    Ok(())
}
