//! Every view as it stands today at 80 columns, no wider than its terminal at three widths, and every JSON: a change of wording is
//! seen and meant. Accept changes
//! with `INSTA_UPDATE=always cargo test -p swiftloop`, then read the difference.

use crate::common::{Answer, Folder};
use std::sync::OnceLock;

const RACK: [&str; 7] = ["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "tracking"];

/// Commands whose text does not depend on the machine.
pub const TEXTS: &[&[&str]] = &[
    &["plan", "rig.toml", "session.toml"],
    &["plan", "rig.toml", "session.toml", "--full"],
    &["plan", "rig-soaked.toml", "session.toml"],
    &["plan", "rig.toml", "session.toml", "--interface", "rack", "--phase", "tracking"],
    &["plan", "rig.toml", "session.toml", "--interface", "desk", "--phase", "overdub"],
    &RACK,
    &["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "tracking", "--full"],
    &["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "editing"],
    &["try", "--driver", "alsa", "--buffer", "512"],
    &["try", "--driver", "asio", "--full"],
    &["probe", "read", "loop-128.wav"],
    &["probe", "read", "loop-two-clocks.wav", "--full", "--reported-frames", "400"],
    &["probe", "fit", "128=loop-128.wav", "256=loop-256.wav", "512=loop-512.wav"],
    &["probe", "fit", "512=loop-128.wav", "128=loop-512.wav"],
    &["listen", "mix-clean.wav"],
    &["listen", "mix-crackling.wav"],
    &["listen", "mix-crackling.wav", "--against", "mix-clean.wav", "--full"],
    &["listen", "drone-two-clocks.wav"],
    &["sheet", "rig.toml", "session.toml", "--phase", "tracking"],
    &["link", "plan", "loft-link.json"],
    &["link", "plan", "loft-link.json", "--show", "90", "--full"],
    &["link", "plan", "--distance", "2740", "--playing", "drums", "--tempo", "140"],
    &["link", "plan", "--distance", "9600"],
];

/// What each of [`TEXTS`] says at 80 columns; asked once for all tests that read it.
pub fn at_80() -> &'static [Answer] {
    static SAID: OnceLock<Vec<Answer>> = OnceLock::new();
    SAID.get_or_init(|| {
        let folder = Folder::with_demo();
        TEXTS.iter().map(|args| folder.run_with(args, &[("COLUMNS", "80")])).collect()
    })
}

/// A name for the file of a snapshot.
fn name(args: &[&str]) -> String {
    args.join(" ").replace(".toml", "").replace(".wav", "").replace("--", "").replace(['=', ' '], "_")
}

/// No line is wider than the page, no colour stands in a pipe.
pub fn fits(args: &[&str], width: &str, shown: &str) {
    assert!(!shown.contains('\u{1b}'), "colour in a pipe");
    let most: usize = width.parse().expect("a number");
    for line in shown.lines() {
        // A command that can be pasted stands on a line of its own, however long.
        let start = line.trim_start();
        let pasted = ["swiftloop ", "$ swiftloop ", "printf ", "echo "].iter().any(|c| start.starts_with(c));
        let wide = textwrap::core::display_width(line);
        assert!(wide <= most || pasted, "{args:?} at {width}: {wide}: {line}");
    }
}

#[test]
fn views() {
    let folder = Folder::with_demo();
    for (args, narrow) in TEXTS.iter().zip(at_80()) {
        for width in ["80", "100", "160"] {
            let asked = (width != "80").then(|| folder.run_with(args, &[("COLUMNS", width)]));
            let answer = asked.as_ref().unwrap_or(narrow);
            assert!(answer.code <= 1, "{args:?}: {}", answer.err);
            fits(args, width, &answer.out);
            // At other widths the same words stand in other lines: there only the width is held.
            if width == "80" {
                insta::assert_snapshot!(format!("{}_{width}", name(args)), &answer.out);
            }
        }
    }
}

#[test]
fn tour() {
    let folder = Folder::empty();
    let answer = folder.run_with(&["demo"], &[("COLUMNS", "80")]);
    fits(&["demo"], "80", &answer.out);
    // What was weighed is this machine's: what was asked is enough here.
    let steps = answer.out.split("\n\n").map(|step| match step.find("weigh --session") {
        Some(at) => step[..at + step[at..].find('\n').unwrap_or(0)].to_string(),
        None => step.to_string(),
    });
    insta::assert_snapshot!("demo_80", steps.collect::<Vec<_>>().join("\n\n"));
}

/// About forty lines; nothing is longer than fifty.
#[test]
fn one_screen() {
    for (args, answer) in TEXTS.iter().zip(at_80()).filter(|(args, _)| !args.contains(&"--full")) {
        let lines = answer.out.lines().count();
        assert!(lines <= 50, "{args:?}: {lines} lines");
    }
}

/// What writes files says so, and a computer that was copied is judged alike everywhere.
#[test]
#[cfg(unix)]
fn what_is_written_and_what_was_copied() {
    for width in ["80", "100", "160"] {
        let folder = Folder::empty();
        // By a name of its own: a path of whoever runs this would move the line ends.
        folder.link("COPY", &swiftloop_fixtures::computer("bad-laptop").display().to_string());
        let show = |name: &str, args: &[&str]| {
            let answer = folder.run_with(args, &[("COLUMNS", width)]);
            assert!(answer.code <= 1, "{args:?}: {}", answer.err);
            fits(args, width, &answer.out);
            // At other widths the same words stand in other lines.
            if width == "80" {
                insta::assert_snapshot!(format!("{name}_{width}"), answer.out);
            }
        };
        show("new", &["new", "studio", "--yes"]);
        show("demo_written", &["demo", "folk"]);
        show("probe_make", &["probe", "make"]);
        show("probe_make_tone", &["probe", "make", "--tone", "--seconds", "1", "--out", "tone.wav"]);
        show("survey", &["survey", "--root", "COPY"]);
        show("survey_full", &["survey", "--root", "COPY", "--full"]);
    }
}

/// Figures to six digits: the last ones differ from one mathematical library to another.
fn rounded(value: &mut serde_json::Value) {
    match value {
        serde_json::Value::Number(n) if n.is_f64() => {
            let x = n.as_f64().unwrap_or(0.0);
            *value = serde_json::json!(format!("{x:.5e}").parse::<f64>().unwrap_or(x));
        }
        serde_json::Value::Array(all) => all.iter_mut().for_each(rounded),
        serde_json::Value::Object(all) => all.values_mut().for_each(rounded),
        serde_json::Value::Null
        | serde_json::Value::Bool(_)
        | serde_json::Value::Number(_)
        | serde_json::Value::String(_) => {}
    }
}

#[test]
fn answers_for_programs() {
    let folder = Folder::with_demo();
    let one = ["plan", "rig.toml", "session.toml", "--interface", "rack", "--phase", "mixing"];
    for args in [
        &one[..],
        &["plan", "rig.toml", "session.toml", "--interface", "desk", "--phase", "overdub"],
        &RACK,
        &["try", "--driver", "alsa", "--buffer", "512"],
        &["probe", "read", "loop-128.wav"],
        &["probe", "fit", "128=loop-128.wav", "256=loop-256.wav", "512=loop-512.wav"],
        &["listen", "mix-crackling.wav"],
    ] {
        let mut value = folder.json(args);
        rounded(&mut value);
        insta::assert_json_snapshot!(format!("json_{}", name(args)), value);
    }
}

#[test]
fn complaints() {
    let folder = Folder::with_demo();
    folder.write("bad.toml", folder.read("rig.toml").replacen("cores = 4", "coers = 4", 1));
    folder.write(
        "typed.toml",
        folder.read("session.toml").replacen("hears = [\"voice\"]", "hears = \"voice\"", 1),
    );
    for args in [
        &["plan", "bad.toml", "session.toml"][..],
        &["plan", "rig.toml", "typed.toml"],
        &["plan", "session.toml", "rig.toml"],
        &["plan", "none.toml", "session.toml"],
        &["try", "rig.toml", "session.toml"],
        &["try", "--driver", "asoi"],
        &["probe", "read", "probe.wav"],
        &["plann"],
        &["plan", "rig.toml"],
        &["try", "--driver", "alsa", "--rate", "48k"],
        &["try", "--bufer", "64"],
        &["listen", "mix-clean.wav", "--against"],
        &["probe", "make", "--depth", "8"],
        &["soak", "--allow", "-1"],
        &["soak", "rig.toml", "session.toml", "--work", "20"],
    ] {
        let answer = folder.run_with(args, &[("COLUMNS", "80")]);
        assert!(answer.err.contains("error:  ") && answer.err.contains("to do:  "), "{}", answer.err);
        assert_eq!(answer.code, 2, "{args:?}: {}", answer.out);
        insta::assert_snapshot!(format!("complaint_{}", name(args)), answer.err);
    }
}
