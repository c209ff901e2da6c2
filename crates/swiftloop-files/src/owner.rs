//! Whose file it is: what leads to something being set on a computer must be this user's own, or the superuser's, and writable
//! by nobody else.

use crate::FileError;
#[cfg(unix)]
use crate::FileReason;
use std::path::Path;

/// Refuses a file or folder that somebody else could have written.
///
/// # Errors
/// [`FileError::Misfit`] says whose it is; [`FileError::Unreadable`] where it is not there.
#[cfg(unix)]
pub fn only_ours(path: &Path, own: u32) -> Result<(), FileError> {
    use std::os::unix::fs::MetadataExt;
    let about = std::fs::metadata(path).map_err(|e| FileError::unreadable(path, &e))?;
    let refuse = |what: String, help: String| {
        Err(FileError::Misfit { path: path.into(), reason: FileReason::said(what, help) })
    };
    if about.uid() != own && about.uid() != 0 {
        return refuse(
            format!("it belongs to another user (number {})", about.uid()),
            "look at what is in it, and make a copy of your own".into(),
        );
    }
    // A folder that everybody may write into, where each may delete only what is their own, is as good.
    let sticky = about.is_dir() && about.mode() & 0o1000 != 0;
    if about.mode() & 0o022 != 0 && !sticky {
        return refuse(
            "others may write into it".into(),
            format!("look at what is in it, then: chmod go-w {}", path.display()),
        );
    }
    Ok(())
}

/// Refuses a file or folder that somebody else could have written; nothing is known of owners here.
///
/// # Errors
/// None.
#[cfg(not(unix))]
pub fn only_ours(_: &Path, _: u32) -> Result<(), FileError> {
    Ok(())
}
