//! `check` on copies of made-up computers of three systems, on many at once, against the good state; `collect`.

use super::{computer, copied, ids, settings};
use crate::common::{Folder, copy_tree};
use serde_json::Value;

fn demo(folder: &Folder, name: &str, phase: &str, interface: &str) -> Value {
    let root = computer(name);
    folder.json(&[
        "check",
        "rig.toml",
        "session.toml",
        "--phase",
        phase,
        "--interface",
        interface,
        "--root",
        &root,
    ])
}

#[test]
fn copies_of_three_systems_are_held_against_the_plan() {
    let folder = Folder::with_demo();
    let windows = demo(&folder, "boathouse-laptop", "tracking", "rack");
    assert_eq!(ids(&windows), ["rate", "power", "programs"]);
    assert_eq!(windows["computers"][0]["system"], "windows");
    assert_eq!(windows["computers"][0]["name"], "BOATHOUSE");
    let desk = demo(&folder, "boathouse-laptop", "overdub", "desk");
    assert_eq!(ids(&desk), ["rate", "power", "usb-autosuspend", "programs"]);
    // The rig says that it hangs on a hub, so that is no difference; and nothing is set on Windows.
    let list = desk["computers"][0]["differences"].as_array().unwrap();
    assert!(list.iter().all(|d| d["apply_sets_it"] == false), "{desk}");
    assert!(list[2]["commands"][0].as_str().unwrap().starts_with("powercfg "), "{desk}");
    let mac = demo(&folder, "loft-mac", "writing", "desk");
    assert_eq!(ids(&mac), ["rate", "rate", "power", "on-battery", "programs"]);
    let linux = demo(&folder, "bad-laptop", "tracking", "rack");
    for id in ["device", "rate", "power", "on-battery", "limited-clock", "idle", "no-realtime", "memory"] {
        assert!(ids(&linux).contains(&id.to_string()), "{id}: {linux}");
    }
    // Figures of the phase: what saving power costs.
    let power = linux["computers"][0]["differences"].as_array().unwrap().iter().find(|d| d["id"] == "power");
    let dropouts = &power.unwrap()["dropouts_per_hour"];
    assert!(dropouts["is"].as_f64() > dropouts["planned"].as_f64(), "{dropouts}");
}

#[test]
fn settings_that_were_handed_out_say_what_rig_and_session_say() {
    let folder = Folder::with_demo_in_reach();
    let plan = folder.run(&["plan", "rig.toml", "session.toml", "--hand-out", "settings.toml"]);
    assert_eq!(plan.code, 0, "{}", plan.err);
    let size = folder.read("settings.toml").len();
    assert!(size < 25_000, "small enough to mail: {size}");
    let root = computer("boathouse-laptop");
    let place = ["--phase", "tracking", "--interface", "rack", "--root", &root];
    let by_plan = folder.json(&[&["check", "rig.toml", "session.toml"], &place[..]].concat());
    let by_mail = folder.json(&[&["check", "settings.toml"], &place[..]].concat());
    assert_eq!(ids(&by_plan), ids(&by_mail));
    for key in ["what", "to_do"] {
        let of = |v: &Value| v["computers"][0]["differences"][1][key].clone();
        assert_eq!(of(&by_plan), of(&by_mail));
    }
    let late = |v: &Value| v["planned"]["hears"][0]["late_ms"][1].as_f64().unwrap();
    assert!((late(&by_plan) / late(&by_mail) - 1.0).abs() < 1e-3);
    // An existing file stays.
    let again = folder.run(&["plan", "rig.toml", "session.toml", "--hand-out", "settings.toml"]);
    assert!(again.code == 2 && again.err.contains("exists already"), "{}", again.err);
}

#[test]
fn a_room_of_computers_is_told_in_a_line_each_and_in_figures_for_monitoring() {
    let folder = Folder::empty();
    folder.write("settings.toml", settings(&[("rig", "rig = \"room \\\"A\\\"\\\\\"")]));
    for (name, hertz) in [("one", "48000"), ("two", "44100"), ("three", "48000")] {
        copied(&folder, "good-desktop", name);
        let params = folder.path(&format!("{name}/proc/asound/card0/pcm0p/sub0/hw_params"));
        let text =
            std::fs::read_to_string(&params).unwrap().replace("rate: 48000", &format!("rate: {hertz}"));
        std::fs::write(&params, text).unwrap();
        std::fs::create_dir_all(folder.path(&format!("{name}/proc/sys/kernel"))).unwrap();
        folder.write(&format!("{name}/proc/sys/kernel/hostname"), format!("station \"{name}\"\n"));
    }
    let args = ["check", "settings.toml", "one", "two", "three", "--metrics", "room.prom"];
    let text = folder.run(&args);
    assert_eq!(text.code, 1, "{}", text.err);
    assert!(text.out.contains("2 of 3 computers are ready for tracking."), "{}", text.out);
    let all = folder.json(&args);
    let ready: Vec<bool> =
        all["computers"].as_array().unwrap().iter().map(|c| c["ready"].as_bool().unwrap()).collect();
    assert_eq!(ready, [true, false, true], "{all}");
    let metrics = folder.read("room.prom");
    assert!(metrics.ends_with("# EOF\n"));
    let lines: Vec<&str> = metrics.lines().filter(|l| !l.starts_with('#')).collect();
    assert!(
        lines.contains(
            &"swiftloop_ready{computer=\"station \\\"two\\\"\",phase=\"tracking\",interface=\"rack\"} 0"
        ),
        "{metrics}"
    );
    assert!(lines.iter().any(|l| l.contains("what=\"rate\"} 1")), "{metrics}");
    for line in lines {
        let value = line.rsplit(' ').next().unwrap();
        assert!(value.parse::<f64>().is_ok(), "{line}");
        let name = line.split(['{', ' ']).next().unwrap();
        assert!(metrics.contains(&format!("# TYPE {name} gauge\n# HELP {name} ")), "{line}");
    }
    // All of them ready: yes.
    let two = folder.run(&["check", "settings.toml", "one", "three"]);
    assert_eq!(two.code, 0, "{}", two.out);
}

#[test]
fn what_was_installed_when_all_was_well_is_remembered() {
    let folder = Folder::empty();
    folder.write("settings.toml", settings(&[]));
    copied(&folder, "good-desktop", "one");
    assert_eq!(folder.run(&["check", "settings.toml", "one", "--remember"]).code, 0);
    assert!(folder.read("good.toml").contains("swiftloop.good/1"));
    assert_eq!(folder.run(&["check", "settings.toml", "one"]).code, 0);
    let version = folder.read("one/proc/version");
    folder.write("one/proc/version", version.replacen("Linux version ", "Linux version 9.", 1));
    let later = folder.json(&["check", "settings.toml", "one"]);
    assert_eq!(ids(&later), ["version"]);
    let what = later["computers"][0]["differences"][0]["what"].as_str().unwrap();
    assert!(what.starts_with("kernel is version 9.") && what.contains("when all was well"), "{what}");
    // It is well all the same: from now on this is the good state.
    folder.run(&["check", "settings.toml", "one", "--remember"]);
    assert_eq!(folder.run(&["check", "settings.toml", "one"]).code, 0);
    folder.write("good.toml", "format = \"swiftloop.good/9\"\n");
    let wrong = folder.run(&["check", "settings.toml", "one"]);
    assert!(wrong.code == 2 && wrong.err.contains("good.toml"), "{}", wrong.err);
}

#[test]
fn wrong_questions_are_answered_with_what_to_do() {
    let folder = Folder::with_demo();
    folder.write("settings.toml", settings(&[]));
    folder.write("typo.toml", settings(&[("driver", "drivr = \"alsa\"")]));
    folder.write("later.toml", settings(&[]).replace("settings/1", "settings/7"));
    let good = computer("good-desktop");
    for (args, says) in [
        (vec!["check", "rig.toml"], "which session is it for?"),
        (vec!["check", "none.toml"], "no such file"),
        (vec!["check", "session.toml", "rig.toml"], "a session file where a rig file belongs"),
        (vec!["check", "rig.toml", "session.toml"], "which phase?"),
        (vec!["check", "rig.toml", "session.toml", "--phase", "trackin"], "tracking"),
        (vec!["check", "settings.toml", "--interface", "desk"], "desk"),
        (vec!["check", "settings.toml", "nowhere"], "holds no copy"),
        (vec!["check", "settings.toml", "--root", "."], "holds no copy"),
        (vec!["check", "typo.toml", &good], "drivr"),
        (vec!["check", "later.toml", &good], "version 7"),
        (vec!["survey", "--root", "."], "holds no copy"),
    ] {
        let answer = folder.run(&args);
        assert!(answer.code == 2 && answer.err.contains(says), "{args:?}: {} {}", answer.code, answer.err);
        assert!(answer.err.contains("to do:"), "{args:?}: {}", answer.err);
    }
}

#[test]
fn names_from_files_do_nothing_and_reach_nothing_raw() {
    let folder = Folder::empty();
    let nasty = "$(touch pwned); `touch pwned` \\\" & <b>|\\u001b[31m\\u202e";
    folder.write("settings.toml", settings(&[("interface_name", &format!("interface_name = \"{nasty}\""))]));
    copied(&folder, "good-desktop", "one");
    folder.write("one/sys/bus/usb/devices/1-3/product", "$(touch pwned)\u{1b}[31m\n");
    for args in [&["check", "settings.toml", "one", "--full"][..], &["sheet", "settings.toml"]] {
        let answer = folder.run(args);
        assert!(!answer.out.contains(['\u{1b}', '\u{202e}']), "{:?}", answer.out);
    }
    assert!(!folder.files().contains(&"pwned".to_string()));
}

#[test]
fn the_scripts_say_what_they_read_and_that_of_this_system_makes_a_copy() {
    let folder = Folder::empty();
    for (system, begins) in [("linux", "#!/bin/sh\n"), ("macos", "#!/bin/sh\n"), ("windows", "# Copies")] {
        let script = folder.run(&["collect", system]).out;
        assert!(
            script.starts_with(begins) && script.contains("changes nothing and sends nothing"),
            "{system}"
        );
        for sends in ["curl", "wget", "Invoke-WebRequest", "Invoke-RestMethod", "http:", "https:", "sudo"] {
            assert!(!script.contains(sends), "{system}: {sends}");
        }
    }
    let told = folder.run(&["collect", "linux", "--out", "collect.sh"]);
    assert!(told.code == 0 && told.out.contains("sends nothing"), "{}", told.out);
    assert_eq!(
        folder.run(&["collect", "linux", "--out", "collect.sh"]).code,
        2,
        "never over an existing file"
    );
    if cfg!(target_os = "linux") {
        let made =
            std::process::Command::new("sh").arg("collect.sh").current_dir(folder.root()).output().unwrap();
        assert!(made.status.success());
        let name = String::from_utf8(made.stdout).unwrap().trim().to_string();
        let survey = folder.run(&["survey", "--root", &name, "--json"]);
        let survey: Value = serde_json::from_str(&survey.out).unwrap();
        let inventory = &survey["inventory"];
        assert!(inventory["memory"]["total_gb"].as_f64() > Some(0.1), "{inventory}");
        assert!(inventory["kernel"]["version"].as_str().unwrap().contains("Linux"));
        assert!(inventory["disk_free_gb"].as_f64() >= Some(0.0));
        folder.write("settings.toml", settings(&[]));
        let check = folder.run(&["check", "settings.toml", &name]);
        assert!((0..=1).contains(&check.code), "{}", check.err);
        // A second run does not write over the first.
        let again =
            std::process::Command::new("sh").arg("collect.sh").current_dir(folder.root()).output().unwrap();
        assert!(!again.status.success());
    }
}

#[test]
fn whatever_a_copy_of_another_system_holds_there_is_an_answer() {
    let folder = Folder::empty();
    folder.write("settings.toml", settings(&[]));
    let mut random = fastrand::Rng::with_seed(151);
    for (name, system) in [("boathouse-laptop", "windows"), ("loft-mac", "macos")] {
        for round in 0..12 {
            let to = format!("{system}-{round}");
            copy_tree(std::path::Path::new(&computer(name)), &folder.path(&to));
            for entry in std::fs::read_dir(folder.path(&to).join(system)).unwrap() {
                let path = entry.unwrap().path();
                let mut bytes = std::fs::read(&path).unwrap();
                match random.u32(0..4) {
                    0 => bytes.truncate(random.usize(0..=bytes.len())),
                    1 => (0..20).for_each(|_| {
                        let at = random.usize(0..bytes.len());
                        bytes[at] = random.u8(..);
                    }),
                    2 => bytes.clear(),
                    _ => {
                        bytes =
                            String::from_utf8_lossy(&bytes).replace(|c: char| c.is_ascii_digit(), "9").into()
                    }
                }
                std::fs::write(&path, bytes).unwrap();
            }
            for command in [vec!["survey", "--root", &to], vec!["check", "settings.toml", &to]] {
                let answer = folder.run(&command);
                assert!((0..=3).contains(&answer.code), "{command:?}: {}", answer.err);
            }
        }
    }
}
