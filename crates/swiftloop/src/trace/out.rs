//! A trace's file in the making: written beside its place and put there when it is whole; a full disk keeps what there is.

use crate::shared::failure::Failure;
use std::io::{ErrorKind, Write};
use std::path::Path;
use swiftloop_files::{FileError, keep_names, unfinished};

/// The file in the making: beside its place, put there when it is whole.
pub struct Out {
    file: tempfile::NamedTempFile,
    pub lines: u64,
    /// The disk has no room any more.
    pub full: bool,
}

impl Out {
    pub fn beside(path: &Path) -> Result<Self, Failure> {
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let file = unfinished(folder).map_err(|e| FileError::unwritable(path, &e))?;
        Ok(Self { file, lines: 0, full: false })
    }

    /// The file's place until it is whole.
    pub fn unfinished(&self) -> &Path {
        self.file.path()
    }

    pub fn write(&mut self, bytes: &[u8]) -> Result<(), Failure> {
        if self.full {
            return Ok(());
        }
        match self.file.write_all(bytes) {
            Ok(()) => {
                self.lines += bytes.iter().filter(|b| **b == b'\n').count() as u64;
                Ok(())
            }
            // What is there already is worth keeping.
            Err(e) if e.kind() == ErrorKind::StorageFull || e.raw_os_error() == Some(27) => {
                self.full = true;
                Ok(())
            }
            Err(e) => Err(Failure::Output(e)),
        }
    }

    pub fn line(&mut self, text: &str) -> Result<(), Failure> {
        self.write(format!("{text}\n").as_bytes())?;
        self.lines = 0;
        Ok(())
    }

    pub fn remark(&mut self, key: &str, value: &str) {
        let _ = self.file.write_all(format!("# swiftloop {key}: {value}\n").as_bytes());
    }

    pub fn finish(self, path: &Path) -> Result<(), Failure> {
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            // Recorded as root, read by whoever sits there.
            let _ = self.file.as_file().set_permissions(std::fs::Permissions::from_mode(0o644));
        }
        let unwritable = |e: &std::io::Error| FileError::unwritable(path, e);
        // A disk without room keeps what it has; one that loses power must not keep a name without its content.
        self.file.as_file().sync_all().map_err(|e| unwritable(&e))?;
        self.file.persist(path).map_err(|e| unwritable(&e.error))?;
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        keep_names(folder).map_err(|e| unwritable(&e))?;
        Ok(())
    }
}
