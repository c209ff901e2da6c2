//! A script is run here, into a folder of its own: what it copied is read as another computer's copy is, and goes away again.

use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};
use swiftloop_core::survey::Inventory;

/// Longer than the system's tools take.
const PATIENCE: Duration = Duration::from_secs(60);

/// What a script tells of this computer; nothing where it could not be run to its end.
pub(in crate::survey) fn told_here(script: &str, folder: &Path) -> Option<Inventory> {
    let room = tempfile::tempdir().ok()?;
    let file = room.path().join("collect.sh");
    std::fs::write(&file, script).ok()?;
    let mut child = Command::new("/bin/sh")
        .arg(&file)
        .current_dir(room.path())
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .ok()?;
    let begun = Instant::now();
    while child.try_wait().ok()?.is_none() {
        if begun.elapsed() > PATIENCE {
            let _ = child.kill();
            let _ = child.wait();
            return None;
        }
        std::thread::sleep(Duration::from_millis(10));
    }
    let mut inside = std::fs::read_dir(room.path()).ok()?.flatten();
    let copy = inside.find(|e| e.file_name().to_string_lossy().starts_with("copy-"))?;
    let mut told = crate::survey::survey_copy(&copy.path());
    // The disk that counts is not that of the folder which goes away.
    told.disk_free_gb = crate::look(folder).disk_free_gb;
    Some(told)
}

#[cfg(all(test, target_os = "linux"))]
mod tests {
    use super::super::LINUX;
    use super::*;

    /// This system's own script stands for the one that is run where systems tell most to their tools.
    #[test]
    fn what_the_script_tells_here_is_what_is_read_here() {
        let told = told_here(LINUX, Path::new(".")).expect("it runs");
        let read = crate::survey::read(&crate::survey::Tree::of_this_computer()).plausible();
        assert_eq!(
            (told.processor.cores, &told.processor.model),
            (read.processor.cores, &read.processor.model)
        );
        assert_eq!((&told.kernel.version, told.cards.len()), (&read.kernel.version, read.cards.len()));
        assert!(told.disk_free_gb.is_some() && !told.sound_unseen);
        assert!(told_here("exit 1", Path::new(".")).is_none(), "nothing was copied");
    }
}
