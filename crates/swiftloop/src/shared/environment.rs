//! What a run of the program needs of the computer it is on: room for files that pass, and the place of the program itself, which
//! runs parts of its work in processes of their own. Where there is none, what to do about it goes out.

use crate::shared::failure::Failure;
use swiftloop_files::plain_words;

/// A folder for files that pass, removed with what is returned.
pub fn scratch() -> Result<tempfile::TempDir, Failure> {
    tempfile::tempdir().map_err(|e| no_room(&e))
}

/// There is no room for files that pass.
pub fn no_room(e: &std::io::Error) -> Failure {
    Failure::machine(
        format!("no temporary files in {}: {}", std::env::temp_dir().display(), plain_words(e)),
        "make room there, or name another folder in the variable TMPDIR",
    )
}

/// This program, where processes that it starts can have an empty home each.
#[cfg(target_os = "linux")]
pub fn this_program() -> Result<std::path::PathBuf, Failure> {
    scratch()?;
    std::env::current_exe().map_err(|e| {
        Failure::machine(
            format!("the program does not find itself, to work in another process: {}", plain_words(&e)),
            "mount /proc, or run it where it is",
        )
    })
}
