//! Writes a generated rig, session and project, to measure whole processes on:
//! `cargo run --release --example generate -- DIR TRACKS PROCESSORS INTERFACES PHASES REMEDIES`

use swiftloop_files::import::project_archive;
use swiftloop_fixtures::projects::sized;
use swiftloop_fixtures::sessions::{Size, rig, session};

fn main() -> std::io::Result<()> {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let number = |i: usize, usual: usize| words.get(i).and_then(|w| w.parse().ok()).unwrap_or(usual);
    let size = Size {
        tracks: number(1, 200),
        processors: number(2, 6),
        interfaces: number(3, 4),
        phases: number(4, 6),
        remedies: number(5, 40),
    };
    let dir = std::path::PathBuf::from(words.first().map_or("generated", String::as_str));
    std::fs::create_dir_all(&dir)?;
    std::fs::write(dir.join("rig.toml"), rig(size))?;
    std::fs::write(dir.join("project.dawproject"), project_archive(&sized(size.tracks, size.processors)))?;
    std::fs::write(dir.join("session.toml"), session(size))
}
