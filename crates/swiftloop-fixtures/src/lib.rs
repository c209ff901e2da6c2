//! What tests, benches and examples are tried on, all of it made up: copies of computers, small rigs and sessions on which a confident
//! answer was once wrong, and rigs, sessions and projects of any size. No shipped code depends on this crate.

#![forbid(unsafe_code)]

pub mod projects;
pub mod sessions;

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

fn folder(name: &str) -> PathBuf {
    [env!("CARGO_MANIFEST_DIR"), name].iter().collect()
}
