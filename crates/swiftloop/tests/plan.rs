//! `plan`, `try` and `demo` on the sample session: what an engineer is told, and what a script reads.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::{Folder, choice};
use serde_json::Value;

fn number(v: &Value) -> f64 {
    v.as_f64().unwrap_or_else(|| panic!("a number, not {v}"))
}

#[test]
fn demo_without_a_folder_leaves_nothing_behind() {
    let folder = Folder::empty();
    let answer = folder.run(&["demo"]);
    assert_eq!(answer.code, 0, "{}", answer.err);
    assert!(folder.files().is_empty());
    assert!(answer.out.contains("Boathouse folk session") && answer.out.contains("Changes between phases"));
}

#[test]
fn demo_with_a_folder_writes_once_and_never_over() {
    let folder = Folder::with_demo();
    let files = folder.files();
    assert!(files.len() == 11 && files.contains(&"rig.toml".into()) && files.contains(&"probe.wav".into()));
    folder.write("rig.toml", "mine");
    let again = folder.run(&["demo", "."]);
    assert_eq!(again.code, 2);
    assert!(again.err.contains("exists already") && again.err.contains("--force"));
    assert_eq!(folder.read("rig.toml"), "mine");
    assert_eq!(folder.run(&["demo", ".", "--force"]).code, 0);
    assert_ne!(folder.read("rig.toml"), "mine");
}

#[test]
fn the_plan_has_every_key_and_its_sums_are_right() {
    let folder = Folder::with_demo();
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    assert!(
        folder
            .run(&["plan", "rig.toml", "session.toml", "--json"])
            .out
            .starts_with("{\n  \"format\": \"swiftloop.plan/1\"")
    );
    assert_eq!(plan["format"], "swiftloop.plan/1");
    assert_eq!(plan["sample_rate_hz"], 48000);
    let all = plan["choices"].as_array().expect("choices");
    assert!(!all.is_empty());
    for c in all {
        for key in [
            "setting",
            "loops",
            "load",
            "risk",
            "leave_off",
            "restore",
            "alternatives",
            "remedies",
            "total_price",
            "frontier",
        ] {
            assert!(!c[key].is_null(), "{key} is missing");
        }
        for l in c["loops"].as_array().expect("loops") {
            for bound in ["low_ms", "typical_ms", "high_ms"] {
                let sum: f64 =
                    l["legs"].as_array().expect("legs").iter().map(|leg| number(&leg[bound])).sum();
                assert!((sum - number(&l["total"][bound])).abs() < 1e-9);
            }
            assert!(l["limit_ms"].is_null() || number(&l["total"]["typical_ms"]) <= number(&l["limit_ms"]));
        }
        let risk = &c["risk"];
        assert!(number(&risk["dropouts_per_hour"]["typical"]) <= number(&risk["target_per_hour"]));
        assert_eq!(risk["profile_origin"], "assumed");
        let load = &c["load"];
        let (total, critical, workers) =
            (number(&load["total_us"]), number(&load["critical_path_us"]), number(&load["workers"]));
        assert!(number(&load["makespan_us"]) >= critical.max(total / workers) - 1e-6);
        assert!(
            (number(&load["peak_ratio"]) - number(&load["guaranteed_us"]) / number(&load["deadline_us"]))
                .abs()
                < 1e-9
        );
        let prices: u64 = c["remedies"]
            .as_array()
            .expect("remedies")
            .iter()
            .map(|r| r["price"].as_u64().expect("a price"))
            .sum();
        assert_eq!(c["total_price"].as_u64(), Some(prices));
        assert_eq!(c["price_gap"], 0);
    }
}

#[test]
fn the_demo_shows_what_it_promises() {
    let folder = Folder::with_demo();
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    // Calm as it stands.
    let editing = choice(&plan, "rack", "editing");
    assert_eq!(
        (&editing["total_price"], &editing["risk"]["verdict"]),
        (&Value::from(0), &Value::from("calm"))
    );
    // Needs remedies and gets them.
    assert!(choice(&plan, "rack", "tracking")["remedies"].as_array().expect("remedies").len() > 3);
    // A chain binds: the largest buffer as it stands breaks, and the cure is neither cores nor buffer.
    let mixing = choice(&plan, "rack", "mixing");
    assert_eq!(
        (&mixing["load"]["bound_by"], &mixing["setting"]["buffer_frames"]),
        (&Value::from("chain"), &Value::from(2048))
    );
    let bare = folder.json(&["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "mixing"]);
    assert_eq!(
        (&bare["risk"]["verdict"], &bare["load"]["bound_by"]),
        (&Value::from("breaking"), &Value::from("chain"))
    );
    // Cured only by the roll block.
    let overdub = choice(&plan, "rack", "overdub");
    assert_eq!(overdub["setting"]["roll_frames"], 1024);
    assert!(overdub["without_roll"].as_str().expect("said").starts_with("Only rendering ahead cures this"));
    // Impossible, with its nearest miss.
    let missed = plan["infeasible"].as_array().expect("a list");
    assert!(
        !missed.is_empty()
            && missed.iter().all(|m| m["binding"].as_str().is_some_and(|b| b.contains("against")))
    );
    // What is wrong on purpose is found.
    let codes: Vec<&str> =
        plan["warnings"].as_array().expect("a list").iter().filter_map(|w| w["code"].as_str()).collect();
    for code in [
        "rate-disagrees",
        "power-plan",
        "main-delays",
        "muted-computes",
        "off-but-loaded",
        "hub",
        "two-clocks",
        "locked-out",
    ] {
        assert!(codes.contains(&code), "{code} is not among {codes:?}");
    }
    // Its exit status says that not all can be met.
    assert_eq!(folder.run(&["plan", "rig.toml", "session.toml"]).code, 1);
    assert_eq!(folder.run(&["plan", "rig.toml", "session.toml", "--phase", "editing"]).code, 0);
}

#[test]
fn what_is_left_off_comes_back_at_the_next_phase() {
    let folder = Folder::with_demo();
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    let changes = plan["changes"].as_array().expect("a list");
    let on_rack: Vec<&Value> = changes.iter().filter(|c| c["interface"] == "rack").collect();
    let undo: Vec<String> = choice(&plan, "rack", "overdub")["remedies"]
        .as_array()
        .expect("remedies")
        .iter()
        .filter(|r| r["kind"] != "roll")
        .map(|r| r["undo"].as_str().expect("words").to_string())
        .collect();
    let editing = on_rack.iter().find(|c| c["phase"] == "editing").expect("editing on the rack");
    let restored: Vec<&str> =
        editing["restore"].as_array().expect("a list").iter().filter_map(Value::as_str).collect();
    let kept: Vec<&str> = choice(&plan, "rack", "editing")["remedies"]
        .as_array()
        .expect("remedies")
        .iter()
        .filter_map(|r| r["undo"].as_str())
        .collect();
    for undo in &undo {
        assert!(
            restored.contains(&undo.as_str()) || kept.contains(&undo.as_str()),
            "{undo} is forgotten: {restored:?}"
        );
    }
}

#[test]
fn try_agrees_with_the_plan_and_says_why_not_otherwise() {
    let folder = Folder::with_demo();
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    let planned = choice(&plan, "rack", "overdub");
    let ids: Vec<&str> =
        planned["remedies"].as_array().expect("remedies").iter().filter_map(|r| r["id"].as_str()).collect();
    let mut args = vec![
        "try",
        "rig.toml",
        "session.toml",
        "--interface",
        "rack",
        "--phase",
        "overdub",
        "--roll",
        "1024",
    ];
    for id in ids.iter().filter(|id| **id != "roll:1024") {
        args.extend(["--remedy", id]);
    }
    let same = folder.json(&args);
    assert_eq!(same["is_planned"], true);
    assert_eq!(same["risk"], planned["risk"]);
    assert_eq!(same["loops"], planned["loops"]);
    let bare = folder.json(&["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "overdub"]);
    assert_eq!(bare["is_planned"], false);
    assert!(bare["why_not"].as_str().expect("a reason").contains("over the limit"));
    assert_eq!(
        folder.run(&["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "overdub"]).code,
        1
    );
    // Fewer workers never make the worst block shorter.
    let worst = |workers: &str| {
        let t = folder.json(&[
            "try",
            "rig.toml",
            "session.toml",
            "--interface",
            "rack",
            "--phase",
            "editing",
            "--workers",
            workers,
        ]);
        number(&t["load"]["worst_ratio"])
    };
    assert!(worst("1") > worst("2") && worst("2") > worst("4"));
}

#[test]
fn measured_round_trips_and_named_speeds_are_used() {
    let folder = Folder::with_demo();
    let legs = |args: &[&str]| {
        let t = folder.json(args);
        let first = t["loops"][0]["legs"].as_array().expect("legs").clone();
        first
            .iter()
            .map(|l| (l["name"].as_str().expect("a name").to_string(), l["origin"].clone()))
            .collect::<Vec<_>>()
    };
    let rack = legs(&["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "overdub"]);
    assert!(rack.iter().any(|(name, origin)| name == "blocks, as measured" && origin == "measured"));
    let easy = legs(&[
        "try",
        "rig.toml",
        "session.toml",
        "--interface",
        "desk",
        "--phase",
        "overdub",
        "--driver",
        "asio",
        "--buffer",
        "easy",
    ]);
    assert!(easy.iter().any(|(name, origin)| name == "interface round trip" && origin == "measured"));
    let brisk = legs(&[
        "try",
        "rig.toml",
        "session.toml",
        "--interface",
        "desk",
        "--phase",
        "overdub",
        "--driver",
        "asio",
        "--buffer",
        "brisk",
    ]);
    assert!(brisk.iter().any(|(name, origin)| name == "playback blocks" && origin == "assumed"));
}

#[test]
fn a_first_answer_without_files() {
    let folder = Folder::empty();
    let answer =
        folder.run(&["try", "--driver", "alsa", "--rate", "48000", "--buffer", "64", "--playing", "pads"]);
    assert_eq!(answer.code, 0, "{}", answer.err);
    for words in ["a first answer", "assumed", "swiftloop new", "pipewire"] {
        assert!(answer.out.contains(words), "{words}");
    }
    let json = folder.json(&["try", "--driver", "alsa", "--rate", "48000", "--buffer", "128"]);
    assert_eq!(json["format"], "swiftloop.try/1");
    assert_eq!(json["setting"]["buffer_frames"], 128);
    let origins: Vec<&Value> =
        json["loops"][0]["legs"].as_array().expect("legs").iter().map(|l| &l["origin"]).collect();
    assert!(origins.iter().all(|o| *o == "assumed"), "{origins:?}");
    assert_eq!(folder.run(&["try", "--driver", "mme", "--buffer", "1024"]).code, 1);
    assert!(folder.files().is_empty());
}

#[test]
fn new_asks_nothing_when_piped_and_its_files_plan() {
    let folder = Folder::empty();
    let made = folder.run(&["new", "studio", "--driver", "jack", "--playing", "keys", "--tracks", "3"]);
    assert_eq!(made.code, 0, "{}", made.err);
    let plan = folder.json(&["plan", "studio/rig.toml", "studio/session.toml"]);
    assert_eq!(choice(&plan, "interface", "tracking")["loops"][0]["kind"], "keys");
    assert_eq!(folder.run(&["new", "studio"]).code, 2);
    assert_eq!(folder.run(&["new", "studio", "--driver", "jakc"]).code, 2);
}

#[test]
fn the_picture_is_written_whole_or_not_at_all() {
    let folder = Folder::with_demo();
    folder.run(&["plan", "rig.toml", "session.toml", "--svg", "trade.svg"]);
    let svg = folder.read("trade.svg");
    assert!(svg.starts_with("<svg") && svg.trim_end().ends_with("</svg>") && svg.contains("chosen"));
    let again = folder.run(&["plan", "rig.toml", "session.toml", "--svg", "trade.svg"]);
    assert_eq!(again.code, 2);
    assert!(again.out.is_empty() && again.err.contains("trade.svg"));
    assert_eq!(folder.run(&["plan", "rig.toml", "session.toml", "--svg", "no/where.svg"]).code, 2);
}

#[test]
fn readable_at_every_width_and_without_colour() {
    let folder = Folder::with_demo();
    for width in ["80", "100", "160"] {
        for args in [
            &["plan", "rig.toml", "session.toml"][..],
            &["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "tracking"],
            &["try", "--driver", "asio"],
        ] {
            let answer = folder.run_with(args, &[("COLUMNS", width)]);
            assert!(!answer.out.contains('\u{1b}'), "colour in a pipe");
            let most: usize = width.parse().expect("a number");
            let widest = answer.out.lines().max_by_key(|l| l.chars().count()).unwrap_or("");
            assert!(widest.chars().count() <= most, "{width}: {widest}");
        }
    }
    let forced = ["--color", "always", "try", "--driver", "asio"];
    assert!(folder.run(&forced).out.contains('\u{1b}'));
    assert!(!folder.run_with(&["try", "--driver", "asio"], &[("NO_COLOR", "1")]).out.contains('\u{1b}'));
}

#[test]
fn schemas_completions_and_manual_come_out() {
    let folder = Folder::empty();
    for (file, key) in [("rig", "interface"), ("session", "phase")] {
        let schema: Value = serde_json::from_str(&folder.run(&["schema", file]).out).expect("JSON");
        assert!(schema["properties"][key].is_object(), "{file}");
    }
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        assert!(folder.run(&["completions", shell]).out.contains("swiftloop"), "{shell}");
    }
    assert!(folder.run(&["man"]).out.contains(".TH swiftloop"));
    let help = folder.run(&["--help"]);
    assert!(help.code == 0 && help.out.contains("Exit status"));
}

#[test]
fn a_measured_profile_replaces_the_class() {
    let folder = Folder::with_demo();
    folder.edit(
        "rig.toml",
        "other_load = 0.03",
        "other_load = 0.03\n[machine.wake]\ndate = \"2026-11-20\"\nwakes = 100000\nthreshold_us = 200\ntail_share = [0.0008, 0.001, 0.0012]\n\
         shape = [0.08, 0.1, 0.12]\nscale_us = [70, 75, 80]\nvariation = [0.05, 0.06, 0.07]\n\
         bins = [{ up_to_us = 50, count = 60000 }, { up_to_us = 200, count = 39900 }, { up_to_us = 900, count = 100 }]",
    );
    let args = ["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "editing"];
    let measured = folder.json(&args);
    assert_eq!(measured["risk"]["profile_origin"], "measured");
    let flat = folder.run(&args).out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(flat.contains("as measured on this machine"), "{flat}");
    folder.edit("rig.toml", "wakes = 100000", "wakes = 100001");
    let wrong = folder.run(&args);
    assert_eq!(wrong.code, 2);
    assert!(wrong.err.contains("the bins count 100000"), "{}", wrong.err);
}

#[test]
fn text_and_json_tell_the_same() {
    let folder = Folder::with_demo();
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    let text = folder.run_with(&["plan", "rig.toml", "session.toml"], &[("COLUMNS", "160")]).out;
    for c in plan["choices"].as_array().expect("choices") {
        let setting = &c["setting"];
        let word = |key: &str| setting[key].as_str().expect("a word").to_string();
        let line = text
            .lines()
            .find(|l| l.split_whitespace().take(2).eq([word("phase").as_str(), word("interface").as_str()]))
            .unwrap_or_else(|| panic!("no line for {setting}"));
        assert!(line.contains(&word("driver")) && line.contains(&word("buffer_label")), "{line}");
        assert!(line.trim_end().ends_with(&c["total_price"].to_string()), "{line}");
        assert!(line.contains(c["risk"]["verdict"].as_str().expect("a verdict")), "{line}");
        for r in c["remedies"].as_array().expect("remedies") {
            assert!(
                text.contains(r["does"].as_str().expect("words"))
                    || text.contains(r["id"].as_str().expect("an id"))
            );
        }
    }
    for m in plan["infeasible"].as_array().expect("a list") {
        assert!(
            text.contains(m["binding"].as_str().expect("words").split(';').next().expect("the first part"))
        );
    }
}

#[test]
fn try_draws_its_own_picture_and_lists_remedies() {
    let folder = Folder::with_demo();
    let args = [
        "try",
        "rig.toml",
        "session.toml",
        "--interface",
        "rack",
        "--phase",
        "tracking",
        "--performer",
        "eli",
    ];
    let answer = folder.run(&[&args[..], &["--svg", "one.svg"]].concat());
    assert_eq!(answer.code, 1);
    for words in [
        "Eli, frame drum: sound loop",
        "Remedies to try",
        "delays the live path",
        "The plan takes asio",
        "Disk streams",
    ] {
        assert!(answer.out.contains(words), "{words} is missing in:\n{}", answer.out);
    }
    assert!(folder.read("one.svg").contains("dropouts an hour"));
    let hint = folder.run(&[&args[..], &["--remedy", "roll:1024"]].concat());
    assert_eq!(hint.code, 2);
    assert!(hint.err.contains("--roll 1024"), "{}", hint.err);
}

#[test]
fn the_demo_prints_what_its_commands_print() {
    let folder = Folder::with_demo();
    let demo = folder.run(&["demo"]).out;
    let plan = folder.run(&["plan", "rig.toml", "session.toml"]).out;
    let trial =
        folder.run(&["try", "rig.toml", "session.toml", "--interface", "rack", "--phase", "tracking"]).out;
    assert!(demo.contains(&plan), "the demo's plan is not the command's");
    assert!(demo.contains(&trial), "the demo's trial is not the command's");
}
