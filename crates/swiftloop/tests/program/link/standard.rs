//! Against a peer of RFC 8762 that is not ours: scapy's packets, and signed ones laid out by hand (tests/peer). It needs a Python
//! with scapy in target/peer; .ci/run puts it there. Without it this test says so and ends.

use super::{Running, measured};
use crate::common::Folder;
use std::path::{Path, PathBuf};
use std::process::Command;

fn python() -> Option<PathBuf> {
    let here = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/peer/bin/python");
    let there = std::env::var_os("SWIFTLOOP_PEER_PYTHON").map(PathBuf::from);
    let found = there.into_iter().chain([here]).find(|p| p.exists());
    if found.is_none() {
        swiftloop_fixtures::skipped("there is no Python with scapy in target/peer: no independent peer");
    }
    found
}

fn peer(python: &Path) -> Command {
    let mut command = Command::new(python);
    command.arg(Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/peer/stamp_peer.py"));
    command
}

#[test]
fn our_reflector_answers_an_independent_sender_as_the_standard_says() {
    let Some(python) = python() else { return };
    let folder = Folder::empty();
    folder.write("key", "a shared secret");
    let key = folder.path("key").display().to_string();
    for keyed in [false, true] {
        let with = ["--key-file", key.as_str()];
        let reflector = Running::reflector(if keyed { &with } else { &[] });
        let port = reflector.address.rsplit(':').next().unwrap().to_string();
        let mut command = peer(&python);
        command.args(["sender", &port, "60"]).args(keyed.then_some("a shared secret"));
        let output = command.output().unwrap();
        let (out, err) = (String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        assert_eq!(out.trim(), "ok 60", "{keyed}: {err}");
    }
}

#[test]
fn we_measure_an_independent_reflector() {
    let Some(python) = python() else { return };
    let folder = Folder::empty();
    folder.write("key", "a shared secret");
    folder.write("other", "another secret");
    for keyed in [false, true] {
        let mut command = peer(&python);
        command.args(["reflector", "0", "60"]).args(keyed.then_some("a shared secret"));
        let reflector = Running::start(command);
        let key: &[&str] = if keyed { &["--key-file", "key"] } else { &[] };
        let found = measured(&folder, &reflector.address, &[&["--packets-per-second", "100"], key].concat());
        assert!(found["received"].as_u64() >= Some(150), "{keyed}: {found}");
        assert_eq!((&found["strays"], &found["duplicates"]), (&0.into(), &0.into()));
        assert!(found["round_trip_ms"]["floor"].as_f64() < Some(5.0), "{}", found["round_trip_ms"]);
        // It keeps no count of its own.
        if found["received"] != found["sent"] {
            assert!(found["loss_by_way"].is_null());
        }
        if keyed {
            let refused =
                folder.run(&["link", "measure", &reflector.address, "--seconds", "1", "--key-file", "other"]);
            assert_eq!(refused.code, 3, "{}", refused.err);
        }
    }
}
