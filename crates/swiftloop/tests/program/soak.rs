//! `soak` as a program: what it reports, what it writes, how it is stopped. Nothing here depends on how fast or quiet the
//! machine is: only on what must be so anywhere.
#![cfg(target_os = "linux")]

use crate::common::{Answer, Folder, at};
use serde_json::Value;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

fn light<'a>(more: &[&'a str]) -> Vec<&'a str> {
    [&["soak", "--buffer", "64", "--work", "5", "--seconds", "1.5"], more].concat()
}

/// One soak at a time: several would starve each other, and all other tests.
pub fn alone() -> MutexGuard<'static, ()> {
    static ALONE: Mutex<()> = Mutex::new(());
    ALONE.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A light soak that heard enough for a profile: a machine that stood still meanwhile is asked again.
fn heard(folder: &Folder, more: &[&str]) -> Answer {
    let answers = (0..5).map(|_| folder.run(&light(more)));
    answers.into_iter().find(|a| !a.err.contains("too few wake-ups")).expect("this machine stands still")
}

/// A soak that has begun, and what it says from then on.
fn begun(place: &Path, args: &[&str]) -> (Child, BufReader<impl Read + use<>>) {
    let mut child = Command::new(assert_cmd::cargo::cargo_bin("swiftloop"))
        .current_dir(place)
        .args(args)
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut said = BufReader::new(child.stderr.take().unwrap());
    let mut first = String::new();
    said.read_line(&mut first).unwrap();
    assert!(first.contains("half to judge"), "{first}");
    (child, said)
}

#[test]
fn a_soak_counts_its_blocks_and_says_what_was_predicted() {
    let _alone = alone();
    let folder = Folder::empty();
    let soak = folder.json(&light(&[]));
    let rung = &soak["rungs"][0];
    assert_eq!((rung["buffer_frames"].as_u64(), rung["sample_rate_hz"].as_u64()), (Some(64), Some(48_000)));
    // A second and a half of blocks of 64 frames at 48 kHz, whenever they were woken; more where the machine stood still.
    let blocks = rung["blocks"].as_u64().unwrap();
    let seconds = blocks as f64 * 64.0 / 48_000.0;
    assert!(blocks >= 1000 && (rung["seconds"].as_f64().unwrap() - seconds).abs() < 1e-6, "{rung}");
    for times in [&rung["wake_us"], &rung["exec_us"]] {
        let of = |key: &str| times[key].as_f64().unwrap();
        assert!(
            of("p50") > 0.0 && of("p50") <= of("p99") && of("p99") <= of("p999") && of("p999") <= of("max")
        );
    }
    for rate in [&rung["misses_per_hour"], &rung["predicted_per_hour"]] {
        let of = |key: &str| rate[key].as_f64().unwrap();
        assert!(of("low") <= of("typical") && of("typical") <= of("high"), "{rate}");
    }
    assert!(["holds", "breaks", "open"].contains(&rung["decision"].as_str().unwrap()));
    assert!(soak["permission"]["realtime"].is_boolean() && soak["core_speed"].as_f64().unwrap() > 0.01);
    assert!(soak["tail"]["scale_us"].as_f64().unwrap() > 0.0);
    assert!(soak["smallest_frames"].is_null());
}

#[test]
fn a_short_soak_never_says_that_a_block_holds() {
    let _alone = alone();
    let folder = Folder::empty();
    let soak = folder.run(&light(&["--show", "2h", "--json"]));
    let answer: Value = serde_json::from_str(&soak.out).unwrap();
    let rung = &answer["rungs"][0];
    let of = |v: &Value| v.as_f64().unwrap_or_else(|| panic!("{answer}"));
    // One miss an hour is allowed, which takes hours to show; a second and a half may well show the contrary.
    assert!(soak.code == 1 && rung["decision"] != "holds", "{answer}");
    let (seen, misses) = (of(&rung["seconds"]), of(&rung["misses"]));
    assert!(of(&rung["fewer_than_per_hour"]) > (misses + 2.9) * 3600.0 / seconds_no_less(seen), "{rung}");
    assert!(of(&rung["settled_after_s"]) > 3.0 * 3600.0, "{rung}");
    let show = &rung["show"];
    let said = ["low", "typical", "high"].map(|k| of(&show["no_dropout_predicted"][k]));
    assert!(
        of(&show["seconds"]) == 7200.0 && said[0] <= said[1] && said[1] <= said[2] && said[2] <= 1.0,
        "{show}"
    );
    assert!(of(&show["no_dropout_counted_at_least"]) < 0.01, "{show}");
    for wrong in ["2x", "0s", "-1h", "400d"] {
        let refused = folder.run(&light(&["--show", wrong]));
        assert!(refused.code == 2 && refused.err.contains("to do:"), "{}", refused.err);
    }
}

/// Rounding up never makes a rate too large.
fn seconds_no_less(seen: f64) -> f64 {
    seen * 1.000_001
}

#[test]
fn a_soak_of_large_blocks_comes_to_an_end() {
    let _alone = alone();
    let folder = Folder::empty();
    // 1.3 s are 14.6 periods of 4096 frames: the remainder has no room for a block.
    let soak = folder.json(&["soak", "--buffer", "4096", "--work", "5", "--seconds", "1.3"]);
    let blocks = soak["rungs"][0]["blocks"].as_u64().unwrap();
    assert!(blocks >= 1, "{soak}");
}

/// More work than any speed of this machine can do: four times the threads it has, each with a whole period of work.
fn overload() -> String {
    (4 * std::thread::available_parallelism().map_or(2, |n| n.get())).to_string()
}

#[test]
fn more_work_than_there_is_time_breaks() {
    let _alone = alone();
    let folder = Folder::empty();
    let soak = folder.run(&[
        "soak",
        "--buffer",
        "256",
        "--work",
        "100",
        "--workers",
        &overload(),
        "--seconds",
        "1",
        "--json",
    ]);
    let answer: Value = serde_json::from_str(&soak.out).unwrap();
    let rung = &answer["rungs"][0];
    assert_eq!((soak.code, rung["decision"].as_str()), (1, Some("breaks")), "{answer}");
    assert!(
        rung["misses"].as_u64().unwrap() > 0 && rung["predicted_per_hour"]["typical"].is_number(),
        "{answer}"
    );
}

#[test]
fn a_ladder_stops_at_the_first_rung_that_holds() {
    let _alone = alone();
    let folder = Folder::empty();
    // Nearly any number of misses is borne, so a small block holds at once; which one is the machine's affair.
    let soak = folder.json(&["soak", "--ladder", "--work", "5", "--seconds", "1", "--allow", "900000"]);
    let rungs = soak["rungs"].as_array().unwrap();
    let (last, before) = rungs.split_last().unwrap();
    assert_eq!(
        (&last["decision"], &last["buffer_frames"]),
        (&"holds".into(), &soak["smallest_frames"]),
        "{soak}"
    );
    assert!(before.iter().all(|rung| rung["decision"] != "holds"), "{soak}");
    assert_eq!(rungs[0]["buffer_frames"], 16);
    // Too much work holds nowhere, and each rung of the ladder was tried.
    let full = folder.run(&[
        "soak",
        "--ladder",
        "--buffer",
        "64",
        "--work",
        "100",
        "--workers",
        &overload(),
        "--seconds",
        "1",
        "--json",
    ]);
    let full: Value = serde_json::from_str(&full.out).unwrap();
    assert!(full["smallest_frames"].is_null(), "{full}");
    let tried: Vec<_> = full["rungs"].as_array().unwrap().iter().map(|rung| &rung["buffer_frames"]).collect();
    assert_eq!(tried, [16, 32, 64]);
}

#[test]
fn the_work_is_that_of_the_plan() {
    let _alone = alone();
    let folder = Folder::with_demo();
    let soak = folder.json(&at("soak", "rack", "tracking", &["--seconds", "1"]));
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    let planned =
        plan["choices"].as_array().unwrap().iter().find(|c| c["setting"]["phase"] == "tracking").unwrap();
    assert_eq!(soak["rungs"][0]["buffer_frames"], planned["setting"]["buffer_frames"]);
    assert!(soak["work"].as_str().unwrap().contains("tracking on rack"));
    let wrong = folder.run(&at("soak", "rack", "trakcing", &[]));
    assert_eq!(wrong.code, 2);
    assert!(wrong.err.contains("did you mean `tracking`?"), "{}", wrong.err);
    let odd = folder.run(&at("soak", "rack", "tracking", &["--buffer", "100"]));
    assert!(odd.code == 2 && odd.err.contains("does not offer blocks of 100"), "{}", odd.err);
}

#[test]
fn a_profile_is_saved_kept_and_compared() {
    let _alone = alone();
    let folder = Folder::with_demo();
    let before = folder.read("rig.toml");
    let none = folder.run(&light(&["--compare", "rig.toml"]));
    assert!(none.code == 2 && none.err.contains("holds no measured profile"), "{}", none.err);

    assert!(heard(&folder, &["--save", "rig.toml"]).code <= 1);
    let once = folder.read("rig.toml");
    for line in before.lines() {
        assert!(once.contains(line), "`{line}` is gone");
    }
    assert!(once.contains("[machine.wake]") && !once.contains("earlier_wake"));
    // It is a rig still, and the plan reckons with it.
    let plan = folder.run(&["plan", "rig.toml", "session.toml", "--json"]);
    assert!(plan.code <= 1, "{}", plan.err);

    let again = heard(&folder, &["--save", "rig.toml", "--compare", "rig.toml", "--json"]);
    let again: Value = serde_json::from_str(&again.out).unwrap();
    let changes = again["changes"]["figures"].as_array().unwrap();
    assert!(changes.len() >= 2 && changes.iter().all(|c| c["real"].is_boolean()), "{again}");
    let twice = folder.read("rig.toml");
    assert!(twice.contains("[[machine.earlier_wake]]"), "{twice}");
    assert!(folder.run(&["plan", "rig.toml", "session.toml"]).code <= 1);
}

#[test]
fn what_cannot_be_saved_is_said_and_the_file_stays() {
    let _alone = alone();
    let folder = Folder::with_demo();
    let missing = folder.run(&light(&["--save", "nowhere.toml"]));
    assert!(missing.code == 2 && missing.err.contains("nowhere.toml"), "{}", missing.err);
    let session = folder.run(&light(&["--save", "session.toml"]));
    assert!(session.code == 2 && session.err.contains("where a rig file belongs"), "{}", session.err);

    // Somebody else changes the rig while it soaks: both are in the file afterwards.
    let (child, mut soaking) = begun(folder.root(), &light(&["--save", "rig.toml"]));
    folder.edit("rig.toml", "cores = 4", "cores = 3");
    let mut said = String::new();
    soaking.read_to_string(&mut said).unwrap();
    assert!(child.wait_with_output().unwrap().status.code().is_some_and(|c| c <= 1), "{said}");
    let rig = folder.read("rig.toml");
    assert!(rig.contains("cores = 3") && rig.contains("[machine.wake]"), "{rig}");

    // Somebody else breaks it: what was seen is told, and the file stays as they left it.
    let (child, mut soaking) = begun(folder.root(), &light(&["--save", "rig.toml"]));
    folder.edit("rig.toml", "cores = 3", "coers = 3");
    let broken = folder.read("rig.toml");
    soaking.read_to_string(&mut said).unwrap();
    assert_eq!(child.wait_with_output().unwrap().status.code(), Some(2), "{said}");
    assert_eq!(folder.read("rig.toml"), broken);
}

#[test]
fn an_hour_of_soak_is_not_begun_for_a_file_without_a_place_for_it() {
    let folder = Folder::with_demo();
    folder.edit("rig.toml", "cores = 4", "coers = 4");
    let refused = folder.run(&["soak", "--save", "rig.toml", "--seconds", "3600"]);
    assert!(refused.code == 2 && refused.err.contains("did you mean `cores`?"), "{}", refused.err);
}

#[test]
fn a_full_disk_loses_nothing() {
    let _alone = alone();
    let folder = Folder::with_demo();
    // A folder in which nothing can be made: a file system of its own without room, where the system lets us mount one.
    let small = folder.path("small");
    std::fs::create_dir(&small).unwrap();
    let mount = |args: &[&str]| Command::new(args[0]).args(&args[1..]).stderr(Stdio::null()).status();
    let there = small.to_str().unwrap();
    if !mount(&["mount", "-t", "tmpfs", "-o", "size=192k", "tmpfs", there]).is_ok_and(|s| s.success()) {
        swiftloop_fixtures::skipped("no right to mount a small disk");
        return;
    }
    for name in ["rig.toml", "loft-link.json"] {
        std::fs::copy(folder.path(name), small.join(name)).unwrap();
    }
    let before = folder.read("rig.toml");
    std::fs::write(small.join("ballast"), vec![0u8; 200_000]).ok();
    let mut size = 4096;
    while size > 0 {
        // Fill what is left to the last byte.
        let name = small.join(format!("more{size}"));
        if std::fs::write(&name, vec![0u8; size]).is_err() {
            size /= 2;
        }
    }
    let answer = heard(&folder, &["--save", "small/rig.toml"]);
    let after = std::fs::read_to_string(small.join("rig.toml")).unwrap();
    mount(&["umount", there]).unwrap();
    assert_eq!(answer.code, 2, "{}", answer.err);
    assert!(answer.err.contains("cannot write"), "{}", answer.err);
    assert_eq!(after, before);
}

#[test]
fn ctrl_c_ends_the_soak_and_it_still_reports() {
    let _alone = alone();
    let folder = Folder::empty();
    let args = ["soak", "--buffer", "64", "--work", "5", "--seconds", "600", "--json"];
    let (child, _said) = begun(folder.root(), &args);
    std::thread::sleep(Duration::from_millis(4500)); // the first two seconds are listened to
    let id = child.id().to_string();
    assert!(Command::new("kill").args(["-INT", &id]).status().unwrap().success());
    let output = child.wait_with_output().unwrap();
    let answer: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(answer["stopped"], true);
    assert!(answer["rungs"][0]["blocks"].as_u64().unwrap() > 0, "{answer}");
}

#[test]
fn silly_values_are_refused() {
    let _alone = alone();
    let folder = Folder::empty();
    for args in [
        &["soak", "--work", "101"][..],
        &["soak", "--seconds", "0"],
        &["soak", "--seconds", "nan"],
        &["soak", "--buffer", "0"],
        &["soak", "--workers", "0"],
        &["soak", "--playback-blocks", "1"],
        &["soak", "--error", "0.9"],
        &["soak", "--allow", "-1"],
        &["soak", "--through", "nobody"],
        &["soak", "--phase", "tracking"],
    ] {
        let answer = folder.run(args);
        assert_eq!(answer.code, 2, "{args:?}");
        assert!(!answer.err.is_empty(), "{args:?}");
    }
}

#[test]
fn without_permission_it_runs_and_says_so() {
    let _alone = alone();
    let folder = Folder::empty();
    // As nobody, from a place that nobody may read.
    let place = std::env::temp_dir().join(format!("swiftloop-nobody-{}", std::process::id()));
    std::fs::copy(assert_cmd::cargo::cargo_bin("swiftloop"), &place).unwrap();
    let output = Command::new("setpriv")
        .args(["--reuid", "65534", "--regid", "65534", "--clear-groups"])
        .arg(&place)
        .args(["soak", "--buffer", "256", "--work", "5", "--seconds", "1"])
        .current_dir("/")
        .output();
    std::fs::remove_file(&place).unwrap();
    let Some(output) = output.ok().filter(|o| o.status.code().is_some_and(|c| c <= 1)) else {
        swiftloop_fixtures::skipped("this user cannot become another");
        return;
    };
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(said.contains("no real-time priority") && said.contains("/etc/security/limits.d"), "{said}");
    drop(folder);
}

#[test]
fn more_workers_than_the_machine_has_are_told() {
    let _alone = alone();
    let folder = Folder::empty();
    // As if the machine had a single core.
    let program = assert_cmd::cargo::cargo_bin("swiftloop");
    let output = Command::new("taskset")
        .args(["--cpu-list", "0"])
        .arg(program)
        .args(["soak", "--buffer", "512", "--work", "5", "--workers", "2", "--seconds", "1"])
        .current_dir(folder.root())
        .output();
    let Some(output) = output.ok().filter(|o| o.status.code().is_some_and(|c| c <= 1)) else {
        swiftloop_fixtures::skipped("this program cannot be kept to one core");
        return;
    };
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(said.contains("2 workers share 1 hardware thread here"), "{said}");
}
