//! How much time `plan` takes of one core as a whole process: the built program is run on the demo, on generated sessions
//! and on one that is short of memory; a table of the median, least and most comes out, beside what is asked for.
//! `cargo bench -p swiftloop --bench plan` (Linux: the kernel counts the time that children took, in steps of 10 ms).
#![allow(missing_docs, clippy::unwrap_used)]

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use swiftloop_fixtures::sessions::{self, Size};

/// Runs of each; the first is not counted.
const RUNS: usize = 9;

struct Case {
    name: &'static str,
    asked_s: f64,
    rig: PathBuf,
    session: PathBuf,
}

fn program() -> Command {
    let mut program = Command::new(env!("CARGO_BIN_EXE_swiftloop"));
    program.env("RAYON_NUM_THREADS", "1").stdout(Stdio::null()).stderr(Stdio::null());
    program
}

/// User and system time of all children that have ended, in seconds.
fn children_s() -> f64 {
    let stat = std::fs::read_to_string("/proc/self/stat").unwrap();
    // The name in brackets may hold spaces; the two figures stand 14 and 15 behind it (proc(5): cutime, cstime).
    let after: Vec<&str> = stat.rsplit_once(')').unwrap().1.split_whitespace().collect();
    (after[13].parse::<f64>().unwrap() + after[14].parse::<f64>().unwrap()) / 100.0
}

fn took_s(case: &Case) -> f64 {
    let before = children_s();
    let status = program().arg("plan").args([&case.rig, &case.session]).status().unwrap();
    assert!(status.code() == Some(0) || status.code() == Some(1), "{}: {status}", case.name);
    children_s() - before
}

fn written(dir: &Path, name: &'static str, asked_s: f64, (rig, session): (String, String)) -> Case {
    let own = dir.join(name.replace(' ', "-"));
    std::fs::create_dir_all(&own).unwrap();
    let case = Case { name, asked_s, rig: own.join("rig.toml"), session: own.join("session.toml") };
    std::fs::write(&case.rig, rig).unwrap();
    std::fs::write(&case.session, session).unwrap();
    case
}

fn main() {
    if !Path::new("/proc/self/stat").exists() {
        println!("the kernel does not count here what children took");
        return;
    }
    let dir = tempfile::tempdir().unwrap();
    let made = |tracks| {
        let size = Size { tracks, processors: 6, interfaces: 4, phases: 6, remedies: 40 };
        (sessions::rig(size), sessions::session(size))
    };
    let demo = dir.path().join("demo");
    program().arg("demo").arg(&demo).status().unwrap();
    let cases = [
        Case { name: "demo", asked_s: 0.08, rig: demo.join("rig.toml"), session: demo.join("session.toml") },
        written(dir.path(), "200 tracks, 4 interfaces, 6 phases", 0.5, made(200)),
        written(dir.path(), "1000 tracks, 4 interfaces, 6 phases", 2.0, made(1000)),
        written(dir.path(), "5000 tracks, 4 interfaces, 6 phases", 12.5, made(5000)),
        written(dir.path(), "45 GB of samples on 32 GB", 1.0, sessions::short_of_memory()),
    ];
    println!("| plan | median | least | most | asked for |\n| --- | --- | --- | --- | --- |");
    for case in &cases {
        let mut all: Vec<f64> = (0..RUNS).map(|_| took_s(case)).skip(1).collect();
        all.sort_by(f64::total_cmp);
        let (median, asked) = (all[all.len() / 2], case.asked_s);
        println!(
            "| {} | {median:.2} s | {:.2} s | {:.2} s | {asked} s |",
            case.name,
            all[0],
            all[all.len() - 1]
        );
    }
}
