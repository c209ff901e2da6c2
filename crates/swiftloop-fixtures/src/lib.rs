//! What tests, benches and examples are tried on, all of it made up: copies of computers, small rigs and sessions on which a confident
//! answer was once wrong, and rigs, sessions and projects of any size. No shipped code depends on this crate.

#![forbid(unsafe_code)]

pub mod projects;
pub mod sessions;

use std::io::Write;
use std::path::PathBuf;

/// The folder of a copied computer: what `collect/linux.sh` and its like copy. `bad-laptop`, `good-desktop`, `no-sound` and
/// `two-interfaces` are Linux, `loft-mac` is macOS.
#[must_use]
pub fn computer(name: &str) -> PathBuf {
    folder("computers").join(name)
}

/// The file of a rig or a session on which an answer was once wrong, by its name without the ending.
#[must_use]
pub fn case(name: &str) -> PathBuf {
    folder("cases").join(format!("{name}.toml"))
}

/// Says that a test (or part of it) is left out on this machine, and why; into the file that `SWIFTLOOP_SKIPPED` names as well, so
/// that whoever runs all tests can list them at the end: the output of a test that passes is not seen.
pub fn skipped(why: &str) {
    let thread = std::thread::current();
    let line = format!("skipped: {}: {}", thread.name().unwrap_or("a test"), why.trim().replace('\n', " "));
    eprintln!("{line}");
    if let Some(list) = std::env::var_os("SWIFTLOOP_SKIPPED")
        && let Ok(mut file) = std::fs::OpenOptions::new().create(true).append(true).open(list)
    {
        let _ = writeln!(file, "{line}");
    }
}

fn folder(name: &str) -> PathBuf {
    [env!("CARGO_MANIFEST_DIR"), name].iter().collect()
}
