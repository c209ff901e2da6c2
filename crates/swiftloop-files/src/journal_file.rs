//! The journal on disk: a line of JSON for each line, written through to the disk before the next step is taken. One program
//! at a time holds it. A last line that was cut off tells of a step that was not taken, since nothing is done before its
//! line is whole.

use crate::owner::only_ours;
use crate::save::keep_names;
use crate::{FileError, FileReason, plain_words};
use std::fs::{File, OpenOptions, TryLockError};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};
use swiftloop_core::in_effect::{Journal, JournalLine};

const FORMAT: &str = "swiftloop.journal/1";
/// So long is another one waited for.
const PATIENCE: Duration = Duration::from_secs(5);
/// More is no journal.
const LARGEST: u64 = 16 * 1024 * 1024;

/// Where the journal of this user lies, by its number; `root` is that of a copy, where it is about one.
#[must_use]
pub fn journal_of_user(own: u32, root: Option<&Path>) -> Option<PathBuf> {
    let folder = state_folder(own)?;
    let name = match root {
        None => "in-effect.jsonl".to_string(),
        // A copy has its own, told apart by where it lies.
        Some(root) => {
            let place = std::fs::canonicalize(root).unwrap_or_else(|_| root.to_path_buf());
            let text = place.to_string_lossy();
            let sum = text.bytes().fold(0xcbf2_9ce4_8422_2325_u64, |sum, byte| {
                (sum ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
            });
            format!("in-effect-of-copy-{sum:016x}.jsonl")
        }
    };
    Some(folder.join(name))
}

/// The superuser may come with another user's home folder, in which that user may write: it has a place of its own, unless one is
/// named.
fn state_folder(own: u32) -> Option<PathBuf> {
    const OF_SUPERUSER: &str = "/var/lib/swiftloop";
    if cfg!(target_os = "linux") && own == 0 && std::env::var_os("XDG_STATE_HOME").is_none() {
        return Some(PathBuf::from(OF_SUPERUSER));
    }
    let folders = directories::ProjectDirs::from("", "", "swiftloop")?;
    Some(folders.state_dir().unwrap_or(folders.data_local_dir()).to_path_buf())
}

pub struct JournalFile {
    path: PathBuf,
    file: File,
    /// Keeps others out; the lock goes with it.
    _lock: File,
    /// What stands in it.
    pub journal: Journal,
}

impl JournalFile {
    /// Takes it, made where it is missing.
    ///
    /// # Errors
    /// Another user's, one that others may write into, no journal at all; or the disk refuses.
    pub fn take(path: &Path, own: u32) -> Result<Self, FileError> {
        let unwritable = |e: std::io::Error| FileError::unwritable(path, &e);
        let folder = path.parent().unwrap_or(Path::new("."));
        make_folder(folder).map_err(unwritable)?;
        only_ours(folder, own)?;
        let lock = private().create(true).truncate(false).write(true).open(path.with_extension("lock"));
        let lock = lock.map_err(unwritable)?;
        let begun = Instant::now();
        while let Err(e) = lock.try_lock() {
            match e {
                TryLockError::WouldBlock if begun.elapsed() < PATIENCE => {
                    std::thread::sleep(Duration::from_millis(20));
                }
                TryLockError::WouldBlock => {
                    return Err(FileError::Misfit {
                        path: path.into(),
                        reason: FileReason::said(
                            "another swiftloop apply is at work",
                            "let it end first: it may wait for somebody to press Enter",
                        ),
                    });
                }
                TryLockError::Error(e) => return Err(unwritable(e)),
            }
        }
        let file = private().create(true).append(true).read(true).open(path).map_err(unwritable)?;
        only_ours(path, own)?;
        // A step must not be in effect whose journal has no name yet.
        keep_names(folder).map_err(unwritable)?;
        let mut held = Self { path: path.into(), file, _lock: lock, journal: Journal::default() };
        held.journal = held.read()?;
        Ok(held)
    }

    /// What stands in it, without holding it: to look at.
    ///
    /// # Errors
    /// As for [`JournalFile::take`].
    pub fn look(path: &Path, own: u32) -> Result<Option<Journal>, FileError> {
        if path.symlink_metadata().is_err() {
            return Ok(None);
        }
        Ok(Some(Self::take(path, own)?.journal))
    }

    fn read(&mut self) -> Result<Journal, FileError> {
        let mut text = String::new();
        let unreadable = |why: String| FileError::Unreadable {
            path: self.path.clone(),
            why,
            help: "look into it: it tells what was set, one step a line; move it away when all is back"
                .into(),
        };
        let file = File::open(&self.path).map_err(|e| unreadable(plain_words(&e)))?;
        file.take(LARGEST).read_to_string(&mut text).map_err(|e| unreadable(plain_words(&e)))?;
        let mut lines = Vec::new();
        for (i, line) in text.split_inclusive('\n').enumerate() {
            // Cut off in the middle of writing, be it only its end: nothing was done after it.
            if !line.ends_with('\n') {
                let end = text.len() - line.len();
                let file = OpenOptions::new().write(true).open(&self.path);
                let cut = file.and_then(|f| f.set_len(end as u64).and_then(|()| f.sync_all()));
                cut.map_err(|e| FileError::unwritable(&self.path, &e))?;
                break;
            }
            match serde_json::from_str::<JournalLine>(line) {
                Ok(line) => lines.push(line),
                Err(e) => return Err(unreadable(format!("line {} is no step: {e}", i + 1))),
            }
        }
        Ok(Journal::of(lines))
    }

    /// Writes a line through to the disk.
    ///
    /// # Errors
    /// The disk refuses: then the step must not be taken.
    pub fn write(&mut self, line: JournalLine) -> Result<(), FileError> {
        let unwritable = |e: std::io::Error| FileError::unwritable(&self.path, &e);
        let mut text = serde_json::to_string(&line).map_err(std::io::Error::other).map_err(unwritable)?;
        text.push('\n');
        self.file.write_all(text.as_bytes()).map_err(unwritable)?;
        self.file.sync_data().map_err(unwritable)?;
        self.journal.add(line);
        Ok(())
    }

    /// A phase begins.
    ///
    /// # Errors
    /// As for [`JournalFile::write`].
    pub fn begin(&mut self, boot: &str, phase: &str, interface: &str) -> Result<(), FileError> {
        let (boot, phase, interface) = (boot.into(), phase.into(), interface.into());
        self.write(JournalLine::Begun { format: FORMAT.into(), boot, phase, interface })
    }

    /// Nothing of it is in effect any more: it is put aside.
    ///
    /// # Errors
    /// The disk refuses.
    pub fn close(self) -> Result<(), FileError> {
        let aside = self.path.with_extension("last.jsonl");
        let renamed = std::fs::rename(&self.path, aside);
        let folder = self.path.parent().unwrap_or(Path::new("."));
        renamed.and_then(|()| keep_names(folder)).map_err(|e| FileError::unwritable(&self.path, &e))
    }
}

/// Opens for this user alone, and never through a link.
#[cfg(unix)]
fn private() -> OpenOptions {
    use std::os::unix::fs::OpenOptionsExt;
    /// `O_NOFOLLOW` of Linux and macOS.
    const NO_LINK: i32 = if cfg!(target_os = "linux") { 0o400_000 } else { 0x100 };
    let mut options = OpenOptions::new();
    options.mode(0o600).custom_flags(NO_LINK);
    options
}

#[cfg(not(unix))]
fn private() -> OpenOptions {
    OpenOptions::new()
}

#[cfg(unix)]
fn make_folder(folder: &Path) -> std::io::Result<()> {
    use std::os::unix::fs::DirBuilderExt;
    std::fs::DirBuilder::new().recursive(true).mode(0o700).create(folder)
}

#[cfg(not(unix))]
fn make_folder(folder: &Path) -> std::io::Result<()> {
    std::fs::create_dir_all(folder)
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;
    use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
    use swiftloop_core::in_effect::Tunable;

    fn own(folder: &Path) -> u32 {
        std::fs::metadata(folder).unwrap().uid()
    }

    fn intends(step: u32) -> JournalLine {
        let lever = Tunable::Governor { cpu: step };
        JournalLine::Intends { step, lever, before: "powersave\n".into(), to: "performance\n".into() }
    }

    #[test]
    fn a_line_that_was_cut_off_is_a_step_that_was_not_taken_and_the_next_one_is_whole() {
        let folder = tempfile::tempdir().unwrap();
        let (path, own) = (folder.path().join("state/j.jsonl"), own(folder.path()));
        let mut file = JournalFile::take(&path, own).unwrap();
        file.begin("boot", "tracking", "rack").unwrap();
        file.write(intends(1)).unwrap();
        drop(file);
        let whole = std::fs::read(&path).unwrap();
        let last = serde_json::to_string(&intends(2)).unwrap();
        for cut in 1..=last.len() {
            std::fs::write(&path, [&whole[..], &last.as_bytes()[..cut]].concat()).unwrap();
            let mut file = JournalFile::take(&path, own).unwrap();
            assert_eq!(file.journal.stages.len(), 1, "{cut}");
            file.write(intends(2)).unwrap();
            drop(file);
            assert_eq!(JournalFile::look(&path, own).unwrap().unwrap().stages.len(), 2, "{cut}");
        }
        assert_eq!(std::fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o600);
    }

    #[test]
    fn another_users_an_open_or_a_linked_journal_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let (path, own) = (folder.path().join("j.jsonl"), own(folder.path()));
        drop(JournalFile::take(&path, own).unwrap());
        std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o666)).unwrap();
        assert!(matches!(JournalFile::take(&path, own), Err(FileError::Misfit { .. })));
        std::fs::remove_file(&path).unwrap();
        std::fs::write(folder.path().join("else"), "").unwrap();
        symlink(folder.path().join("else"), &path).unwrap();
        assert!(JournalFile::take(&path, own).is_err());
        std::fs::remove_file(&path).unwrap();
        std::fs::write(&path, "no json\n").unwrap();
        std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o600)).unwrap();
        let refused = format!("{:?}", JournalFile::take(&path, own).err().unwrap());
        assert!(refused.contains("line 1"), "{refused}");
        if own == 0 {
            std::os::unix::fs::chown(&path, Some(4242), None).unwrap();
            let refused = format!("{:?}", JournalFile::take(&path, own).err().unwrap());
            assert!(refused.contains("another user"), "{refused}");
        }
    }
}
