//! What was weighed is kept: known again, by its settings too, planned with and soaked with.

use super::{clap_library, left_behind, library};
use crate::common::Folder;
use serde_json::Value;

/// With settings it is another one: by their hash in the catalogue, and in the session that has them.
#[test]
fn settings_are_taken_and_told_apart() {
    let folder = Folder::empty();
    let library = clap_library(&folder);
    folder.write("late.state", [33u8]);
    folder.write("wrong.state", [1u8, 2]);
    let run = |id: &str, settings: &[&str]| -> Value {
        let words = ["weigh", library.to_str().expect("a path"), "--id", id, "--rates", "48000", "--json"];
        let kept = ["--catalogue", "c.toml", "--floor", "f.json"];
        let answer = folder.run(&[&words[..], &kept, settings].concat());
        let value: Value = serde_json::from_str(&answer.out).expect("one JSON object");
        value["processors"][0].clone()
    };
    let late = |one: &Value| one["delay"]["measured_frames"].as_f64().map(f64::round);
    let (first, second) = (run("made-up.late", &[]), run("made-up.late", &["--settings", "late.state"]));
    assert_eq!((late(&first), late(&second)), (Some(100.0), Some(33.0)), "{second}");
    assert_eq!((&first["known_before"], &second["known_before"]), (&false.into(), &false.into()));
    assert_eq!(second["settings"].as_str().map(str::len), Some(32));
    assert_eq!(run("made-up.late", &["--settings", "late.state"])["known_before"], true);
    let wrong = run("made-up.late", &["--settings", "wrong.state"]);
    assert_eq!(
        (wrong["status"].as_str(), wrong["why"].as_str()),
        (Some("refused"), Some("it does not take these settings"))
    );
    let faulty = self::library();
    let words = [
        "weigh",
        faulty.to_str().expect("a path"),
        "--id",
        "plain",
        "--settings",
        "late.state",
        "--catalogue",
        "d.toml",
    ];
    let answer = folder.run(&words);
    assert!(
        answer.code == 1 && answer.out.contains("settings of its standard are not read"),
        "{}",
        answer.out
    );
    let answer =
        folder.run(&["weigh", faulty.to_str().expect("a path"), "--id", "plain", "--settings", "nothing"]);
    assert_eq!(answer.code, 2, "{}", answer.err);
}

#[test]
fn what_is_known_is_not_run_again_and_what_failed_neither() {
    let folder = Folder::empty();
    let library = library();
    let run = |id: &str, more: &[&str]| -> Value {
        let library = library.to_str().expect("a path");
        let mut args =
            vec!["weigh", library, "--id", id, "--rates", "48000", "--catalogue", "c.toml", "--json"];
        args.extend(["--floor", "f.json"]);
        args.extend(more);
        let answer = folder.run(&args);
        let value: Value = serde_json::from_str(&answer.out).expect("one JSON object");
        value["processors"][0].clone()
    };
    for (id, status) in [("delay-240", "weighed"), ("exit", "exited")] {
        let first = run(id, &[]);
        assert_eq!((&first["status"], &first["known_before"]), (&status.into(), &false.into()), "{first}");
        let second = run(id, &[]);
        assert_eq!((&second["status"], &second["known_before"]), (&status.into(), &true.into()), "{second}");
        assert_eq!((&first["by_rate"], &first["why"]), (&second["by_rate"], &second["why"]));
        assert_eq!(run(id, &["--again"])["known_before"], false);
    }
    // Another rate was not weighed yet; what was weighed stays beside it.
    assert_eq!(run("delay-240", &["--rates", "96000"])["known_before"], false);
    let known = run("delay-240", &["--rates", "48000,96000"]);
    assert_eq!(
        (known["known_before"].as_bool(), known["by_rate"].as_array().map(Vec::len)),
        (Some(true), Some(2))
    );
    let text = folder.read("c.toml");
    assert!(text.contains("is = \"ladspa:delay-240\"") && text.contains("status = \"exited\""), "{text}");
    // A damaged catalogue is not written over.
    folder.write("c.toml", "format = \"swiftloop.processors/1\"\n[[processor]]\nis = 3\n");
    let answer =
        folder.run(&["weigh", library.to_str().expect("a path"), "--id", "plain", "--catalogue", "c.toml"]);
    assert!(answer.code == 2 && answer.err.contains("c.toml:2"), "{} {}", answer.code, answer.err);
    assert!(folder.read("c.toml").contains("is = 3"));
}

/// What a session names is found in the libraries beside it, weighed, and planned with.
#[test]
fn a_session_is_weighed_and_planned_with_what_was_found() {
    let folder = Folder::with_demo();
    let rig = folder.read("rig.toml");
    let session = "format = \"swiftloop.session/1\"\n\
        track = [{ id = \"a\", processor = [{ id = \"w\", is = \"ladspa:work\" }, { id = \"d\", is = \"ladspa:delay-240\" }, \
        { id = \"x\", is = \"clap:nobody.has.this\" }, { id = \"own\", is = \"ladspa:plain\", latency_frames = 7, cost = \"heavy\" }] }]\n\
        phase = [{ kind = \"mixing\" }]\n";
    folder.write("s.toml", session);
    let library = library();
    let library = library.to_str().expect("a path");
    let kept = ["--catalogue", "c.toml"];
    let plan = || {
        let answer = folder.run(&["plan", "rig.toml", "s.toml", kept[0], kept[1], "--json"]);
        serde_json::from_str::<Value>(&answer.out).expect("one JSON object")
    };
    let before = plan();
    assert_eq!(before["processors"]["never_weighed"].as_array().map(Vec::len), Some(4), "{before}");
    let answer = folder.run(&[
        "weigh",
        "--session",
        "s.toml",
        library,
        kept[0],
        kept[1],
        "--floor",
        "f.json",
        "--json",
    ]);
    let told: Value = serde_json::from_str(&answer.out).expect("one JSON object");
    assert_eq!((answer.code, &told["missing"]), (1, &serde_json::json!(["clap:nobody.has.this"])), "{told}");
    assert_eq!(told["processors"].as_array().map(Vec::len), Some(3));
    let elsewhere = plan();
    assert_eq!(elsewhere["processors"]["weighed_elsewhere"], 3, "{elsewhere}");
    // The rig says what its processor is: the very one.
    let name = told_machine(&folder.read("c.toml"));
    folder.write("rig.toml", rig.replacen("[machine]", &format!("[machine]\nprocessor = \"{name}\""), 1));
    let here = plan();
    assert_eq!(here["processors"]["weighed_on_this_machine"], 3, "{here}");
    assert_eq!(here["processors"]["never_weighed"], serde_json::json!(["clap:nobody.has.this"]));
    // The session itself is as it was.
    assert_eq!(folder.read("s.toml"), session);
}

/// The session's own processors as the work: all that were weighed, and nothing of them stays.
#[test]
fn one_processor_of_a_session_is_weighed_alone() {
    let folder = Folder::with_demo();
    let args = [
        "weigh",
        "--session",
        "session.toml",
        "--rates",
        "48000",
        "--blocks",
        "64,256",
        "--floor",
        "floor.json",
    ];
    let found = folder.json(&[&args[..], &["--catalogue", "c.toml", "--id", "gate"]].concat());
    let ids: Vec<&Value> = found["processors"].as_array().expect("a list").iter().map(|p| &p["id"]).collect();
    assert_eq!(ids, ["gate"], "{found}");
    let unknown = folder.run(&[&args[..], &["--catalogue", "c.toml", "--id", "gaet"]].concat());
    assert!(unknown.code == 2 && unknown.err.contains("did you mean `gate`?"), "{}", unknown.err);
}

#[test]
fn a_session_is_soaked_with_its_own_processors() {
    let folder = Folder::empty();
    assert_eq!(folder.run(&["new", "--driver", "alsa", "--rate", "48000", "--yes", "."]).code, 0);
    folder.write(
        "s.toml",
        "format = \"swiftloop.session/1\"\n\
         track = [{ id = \"a\", channels = 2, processor = [{ is = \"ladspa:plain\" }, { is = \"ladspa:delay-240\" }, { is = \"ladspa:crash\" }, \
         { is = \"ladspa:work\", state = \"unloaded\" }, { cost = \"light\" }] }]\nphase = [{ kind = \"mixing\" }]\n",
    );
    let library = library();
    let library = library.to_str().expect("a path");
    let kept = ["--catalogue", "c.toml"];
    let soak = |more: &[&str]| {
        let words =
            ["soak", "rig.toml", "s.toml", "--real", "--library", library, "--buffer", "256", "--json"];
        folder.run(&[&words[..], &kept, more].concat())
    };
    let before = soak(&["--seconds", "1"]);
    assert!(before.code == 2 && before.err.contains("swiftloop weigh --session"), "{}", before.err);
    let weigh = ["weigh", "--session", "s.toml", library, "--floor", "f.json"];
    assert_eq!(folder.run(&[&weigh[..], &kept].concat()).code, 1);
    let answer = soak(&["--seconds", "3", "--save", "rig.toml"]);
    let value: Value = serde_json::from_str(&answer.out).unwrap_or_else(|e| panic!("{e}: {}", answer.err));
    let own = &value["own_processors"];
    // Two of each, since they are mono and the track is not.
    assert_eq!(own["count"], 4, "{own}");
    assert_eq!(own["left_out"].as_array().map(Vec::len), Some(2), "{own}");
    let of = |v: &Value| v.as_f64().expect("a figure");
    let rung = &own["rungs"][0];
    assert!(
        of(&rung["seen_us"]) > 0.0 && of(&rung["predicted_us"]["low"]) <= of(&rung["predicted_us"]["high"])
    );
    let blocks = value["rungs"][0]["blocks"].as_u64().expect("a count");
    assert!(blocks > 300, "{value}");
    assert!(folder.read("rig.toml").contains("paced_cost = ["));
    assert_eq!(left_behind(&["soak-inside"]), Vec::<String>::new());
}

pub fn told_machine(catalogue: &str) -> String {
    let line = catalogue.lines().find_map(|l| l.strip_prefix("machine = ")).expect("a machine");
    line.trim_matches('"').to_string()
}
