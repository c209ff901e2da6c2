//! The plan in effect: sheets, checks, settings put and put back, an eye on the take.

#[cfg(target_os = "linux")]
mod applies;
mod browser;
mod checks;
#[cfg(target_os = "linux")]
mod kills;
#[cfg(target_os = "linux")]
mod servers;
mod sheets;
#[cfg(target_os = "linux")]
mod watches;

use crate::common::{Folder, copy_tree};
use serde_json::Value;
use std::path::Path;

/// A made-up computer of the demo.
fn computer(name: &str) -> String {
    match name {
        "boathouse-laptop" => format!("{}/demo/computers/{name}", env!("CARGO_MANIFEST_DIR")),
        _ => swiftloop_fixtures::computer(name).display().to_string(),
    }
}

/// A copy of a made-up computer that may be changed, in the test's folder.
fn copied(folder: &Folder, name: &str, to: &str) {
    copy_tree(Path::new(&computer(name)), &folder.path(to));
}

/// Every file below a folder with its content.
fn content(root: &Path) -> Vec<(String, Vec<u8>)> {
    fn walk(root: &Path, at: &Path, all: &mut Vec<(String, Vec<u8>)>) {
        for entry in std::fs::read_dir(at).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                walk(root, &path, all);
            } else {
                let name = path.strip_prefix(root).unwrap().display().to_string();
                all.push((name, std::fs::read(&path).unwrap()));
            }
        }
    }
    let mut all = Vec::new();
    walk(root, root, &mut all);
    all.sort();
    all
}

/// No file at all.
const NONE: Vec<String> = Vec::new();

/// Names of files that are not as they were.
fn changed(before: &[(String, Vec<u8>)], now: &[(String, Vec<u8>)]) -> Vec<String> {
    let missing = |of: &[(String, Vec<u8>)], among: &[(String, Vec<u8>)]| -> Vec<String> {
        of.iter().filter(|f| !among.contains(f)).map(|f| f.0.clone()).collect()
    };
    let mut all = missing(before, now);
    all.extend(missing(now, before));
    all.sort();
    all.dedup();
    all
}

/// Words of what differs.
fn ids(check: &Value) -> Vec<String> {
    let list = check["computers"][0]["differences"].as_array().unwrap();
    list.iter().map(|d| d["id"].as_str().unwrap().to_string()).collect()
}

/// Settings of one phase, as a plan hands them out; lines may be put in the place of others.
fn settings(changes: &[(&str, &str)]) -> String {
    let mut text = SETTINGS.to_string();
    for (key, line) in changes {
        let old =
            text.lines().find(|l| l.starts_with(&format!("{key} ="))).unwrap_or_else(|| panic!("{key}"));
        text = text.replacen(old, line, 1);
    }
    text
}

const SETTINGS: &str = r#"
format = "swiftloop.settings/1"
rig = "Boathouse on Linux"
session = "Songs by the water"
computer = { class = "laptop", cores = 4, threads = 8, memory_gb = 16 }

[[phase]]
phase = "tracking"
interface = "rack"
interface_name = "16-channel rack"
connection = "usb2"
driver = "alsa"
rate_hz = 48000
buffer_frames = 128
buffer = "128"
workers = 16
power = "performance"
hub = false
runs = []
quit = []
other_load = 0.05
memory_gb = 6
recording_mb_per_minute = 80
by_hand = ["bypass reverb until mixing"]
dropouts_per_hour = [0.001, 0.01, 0.3]
allowed_per_hour = 1
sound_share = 0.93
hears = [{ who = "Ada, voice", late_ms = [5, 6, 8], verdict = "playable", noticed_from_ms = 6, fails_from_ms = 9 }]
stakes = { power = [{ power = "saving", dropouts_per_hour = 40 }, { power = "balanced", dropouts_per_hour = 2 }], buffer = [{ frames = 128, late_ms = 6, dropouts_per_hour = 0.01 }, { frames = 512, late_ms = 22, dropouts_per_hour = 0.0001 }] }
"#;
