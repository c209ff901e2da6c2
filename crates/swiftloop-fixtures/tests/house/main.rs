//! How the house stands: no circle among the files of a crate, arrows between crates and folders only down, features that do not
//! know each other, what runs apart from what shows. The imports are read from the sources.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod sources;

use sources::{House, circles};
use std::collections::{BTreeMap, BTreeSet};

/// Crates from the ground up; each may know those before it, `fixtures` only in tests.
const CRATES: [&str; 6] = [
    "swiftloop_units",
    "swiftloop_measure",
    "swiftloop_core",
    "swiftloop_files",
    "swiftloop_host",
    "swiftloop",
];

/// Folders of the program that are no feature: what all share, the command line, and the tour, which shows every feature.
const NO_FEATURE: [&str; 3] = ["shared", "cli", "demo"];

/// What puts this computer to work.
const RUNS: [&str; 12] = [
    "apply::applying",
    "apply::back",
    "apply::hands",
    "apply::holder",
    "probe::server",
    "shared::in_effect",
    "shared::processors",
    "shared::recorder",
    "soak::machine",
    "trace::recording",
    "watch::watching",
    "weigh::weighing",
];

#[test]
fn no_files_import_each_other_in_a_circle() {
    let house = House::read();
    assert!(house.files.len() > 500, "the sources were not found");
    let found = circles(&house.arrows());
    assert!(found.is_empty(), "circles of files:\n{}", found.join("\n"));
}

#[test]
fn arrows_between_crates_run_down() {
    let house = House::read();
    let floor = |name: &str| CRATES.iter().position(|c| *c == name);
    for (from, to) in house.arrows() {
        let (a, b) = (house.crate_of(&from), house.crate_of(&to));
        // The host and the files lie side by side.
        let sideways = a == "swiftloop_host" && b == "swiftloop_files";
        assert!(floor(a) >= floor(b) && !sideways, "{from} imports {to}");
    }
}

#[test]
fn no_folders_import_each_other_in_a_circle() {
    let house = House::read();
    for name in CRATES {
        let folder = |file: &str| {
            let path = house.module_of(file);
            (path[0] == name && path.len() > 1).then(|| path[1].clone())
        };
        let mut arrows: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (from, to) in house.arrows() {
            if let (Some(a), Some(b)) = (folder(&from), folder(&to))
                && a != b
            {
                arrows.entry(a).or_default().insert(b);
            }
        }
        let pairs = arrows.into_iter().flat_map(|(a, all)| all.into_iter().map(move |b| (a.clone(), b)));
        let found = circles(&pairs.collect());
        assert!(found.is_empty(), "circles of folders in {name}:\n{}", found.join("\n"));
    }
}

#[test]
fn features_do_not_know_each_other() {
    let house = House::read();
    for (from, to) in house.arrows() {
        let (a, b) = (house.module_of(&from), house.module_of(&to));
        if a[0] != "swiftloop" || b[0] != "swiftloop" || a.len() < 2 || b.len() < 2 || a[1] == b[1] {
            continue;
        }
        let may = NO_FEATURE.contains(&a[1].as_str()) && a[1] != "shared" || b[1] == "shared";
        assert!(may, "{from} imports {to}");
    }
}

#[test]
fn what_runs_does_not_import_what_shows() {
    let house = House::read();
    let shows = |file: &str| {
        let name = file.rsplit('/').next().unwrap_or_default();
        let own = [
            "text.rs",
            "json.rs",
            "meter.rs",
            "drawing.rs",
            "timeline.rs",
            "html.rs",
            "markdown.rs",
            "lanes.rs",
        ];
        file.starts_with("swiftloop/src") && own.iter().any(|n| name.ends_with(n))
    };
    for (from, to) in house.arrows() {
        let module = house.module_of(&from)[1..].join("::");
        let runs = house.crate_of(&from) == "swiftloop" && RUNS.iter().any(|r| module.starts_with(r));
        assert!(!(runs && shows(&to)), "{from} runs, and imports {to}, which shows");
    }
    for module in RUNS {
        let known = house.files.keys().any(|f| house.module_of(f)[1..].join("::").starts_with(module));
        assert!(known, "{module} is no longer there");
    }
}

#[test]
fn the_core_asks_nobody_outside() {
    let house = House::read();
    let forbidden = [
        "std::fs",
        "std::process",
        "std::env",
        "UdpSocket",
        "TcpStream",
        "std::thread",
        "Instant::now",
        "SystemTime",
        "println!",
        "clap::",
    ];
    let below = ["swiftloop_units", "swiftloop_measure", "swiftloop_core"];
    for (file, text) in house.files.iter().filter(|(f, _)| below.contains(&house.crate_of(f))) {
        for word in forbidden {
            assert!(!text.contains(word), "{file} holds {word}");
        }
    }
}

#[test]
fn nothing_stray_is_kept() {
    let root = sources::root();
    let allowed = [
        ".ci",
        ".git",
        ".gitignore",
        "CHANGELOG.md",
        "Cargo.lock",
        "Cargo.toml",
        "LICENSE-APACHE",
        "LICENSE-MIT",
        "README.md",
        "SECURITY.md",
        "clippy.toml",
        "crates",
        "docs",
        "fuzz",
        "packaging",
        "rustfmt.toml",
        "target",
        "xtask",
    ];
    for entry in std::fs::read_dir(&root).unwrap() {
        let name = entry.unwrap().file_name().into_string().unwrap();
        assert!(allowed.contains(&name.as_str()), "{name} does not belong at the root");
    }
    // Where git is: no large file is kept.
    let Ok(listed) = std::process::Command::new("git").args(["ls-files", "-z"]).current_dir(&root).output()
    else {
        return;
    };
    for name in String::from_utf8(listed.stdout).unwrap().split('\0').filter(|n| !n.is_empty()) {
        let size = std::fs::metadata(root.join(name)).map_or(0, |m| m.len());
        assert!(size <= 500_000, "{name} has {size} bytes");
    }
}
