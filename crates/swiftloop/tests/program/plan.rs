//! `plan`, `try` and `demo` on the sample session: what an engineer is told, and what a script reads.

use crate::common::{Folder, at, choice};
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
    assert!(answer.out.contains("folk quintet") && answer.out.contains("5. "), "{}", answer.out);
    let lines = answer.out.lines().count();
    assert!((35..=100).contains(&lines), "{lines} lines");
    assert!(folder.run(&["demo", "--full"]).out.contains("What to change from phase to phase"));
}

#[test]
fn demo_with_a_folder_writes_once_and_never_over() {
    let folder = Folder::with_demo();
    let files = folder.files();
    assert!(files.len() == 16 && files.contains(&"rig.toml".into()) && files.contains(&"probe.wav".into()));
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
            .starts_with("{\n  \"format\": \"swiftloop.plan/4\"")
    );
    assert_eq!(plan["format"], "swiftloop.plan/4");
    assert_eq!(plan["sample_rate_hz"], 48000);
    let all = plan["choices"].as_array().expect("choices");
    assert!(!all.is_empty());
    for c in all {
        for key in [
            "setting",
            "loops",
            "load",
            "risk",
            "bypass",
            "restore",
            "alternatives",
            "remedies",
            "total_effort",
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
            assert!(
                l["fails_from_ms"].is_null()
                    || number(&l["total"]["typical_ms"]) <= number(&l["fails_from_ms"])
            );
            assert!(number(&l["immediate_in_share"]) <= number(&l["playable_in_share"]));
        }
        let risk = &c["risk"];
        assert!(number(&risk["dropouts_per_hour"]["typical"]) <= number(&risk["target_per_hour"]));
        assert_eq!(risk["profile_origin"], "assumed");
        let load = &c["load"];
        let (total, critical, workers) =
            (number(&load["total_us"]), number(&load["critical_path_us"]), number(&load["workers"]));
        assert!(number(&load["makespan_us"]) >= critical.max(total / workers) - 1e-6);
        assert!(
            (number(&load["worst_ratio"]) - number(&load["makespan_us"]) / number(&load["deadline_us"]))
                .abs()
                < 1e-9
        );
        let prices: u64 = c["remedies"]
            .as_array()
            .expect("remedies")
            .iter()
            .map(|r| r["effort"].as_u64().expect("an effort"))
            .sum();
        assert_eq!(c["total_effort"].as_u64(), Some(prices));
        assert_eq!(c["effort_gap"], 0);
    }
}

#[test]
fn the_demo_shows_what_it_promises() {
    let folder = Folder::with_demo_in_reach();
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    // Works as it stands.
    let editing = choice(&plan, "rack", "editing");
    assert_eq!(
        (&editing["total_effort"], &editing["risk"]["verdict"]),
        (&Value::from(0), &Value::from("holds"))
    );
    // Needs remedies and gets them.
    assert!(choice(&plan, "rack", "tracking")["remedies"].as_array().expect("remedies").len() > 3);
    // A chain binds: more cores would not help.
    let mixing = choice(&plan, "rack", "mixing");
    assert_eq!(
        (&mixing["load"]["bound_by"], &mixing["setting"]["buffer_frames"]),
        (&Value::from("chain"), &Value::from(2048))
    );
    // Cured only by the roll block.
    let overdub = choice(&plan, "rack", "overdub");
    assert_eq!(overdub["setting"]["roll_frames"], 1024);
    assert!(overdub["without_roll"].as_str().expect("said").contains("rendering ahead"));
    // An open answer, closed by a measurement.
    let sound = |plan: &Value, interface, phase| number(&choice(plan, interface, phase)["sound_in_share"]);
    assert!((0.1..0.9).contains(&sound(&plan, "desk", "overdub")));
    let next = &plan["measure_next"][0];
    assert!(
        next["what"].as_str().expect("words").contains("round trip of the two-channel desk box"),
        "{next}"
    );
    assert_eq!((&next["interface"], &next["phase"]), (&Value::from("desk"), &Value::from("overdub")));
    assert!(number(&next["changes_anything_in_share"]) > 0.3);
    let probed = folder.json(&["plan", "rig-probed.toml", "session.toml"]);
    assert!(sound(&probed, "desk", "overdub") >= 0.9);
    // One that a note closes.
    assert!((0.1..0.9).contains(&sound(&plan, "rack", "show")));
    folder.run(&[
        "note",
        "rig.toml",
        "session.toml",
        "--phase",
        "show",
        "--minutes",
        "600",
        "--dropouts",
        "0",
    ]);
    let noted = folder.json(&["plan", "rig.toml", "session.toml"]);
    assert!(sound(&noted, "rack", "show") >= 0.9);
    assert_eq!(noted["notes"]["count"], 1);
    // And one that never was open.
    assert!(sound(&plan, "rack", "mixing") >= 0.9);
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
    // What is open is no "no".
    assert_eq!(folder.run(&["plan", "rig.toml", "session.toml"]).code, 0);
    let strict = folder.read("session.toml").replace("limit_ms = [6, 9]", "limit_ms = 1");
    folder.write("session.toml", &strict);
    let never = folder.run(&["plan", "rig.toml", "session.toml"]);
    assert!(never.code == 1 && never.out.contains("Impossible, whatever is done"), "{}", never.out);
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
    // There is one session, whatever interface is used: what was left off comes back at the first phase that wants it.
    let at = |phase: &str| changes.iter().position(|c| c["phase"] == phase).expect("a phase");
    let between = &changes[at("overdub") + 1..=at("editing")];
    assert!(!on_rack.is_empty());
    let restored: Vec<&str> = between
        .iter()
        .flat_map(|c| c["restore"].as_array().expect("a list"))
        .filter_map(Value::as_str)
        .collect();
    let kept: Vec<&str> = choice(&plan, "rack", "editing")["remedies"]
        .as_array()
        .expect("remedies")
        .iter()
        .filter_map(|r| r["undo"].as_str())
        .collect();
    for undo in &undo {
        assert!(
            // The power plan and what nobody misses stay.
            restored.contains(&undo.as_str())
                || kept.contains(&undo.as_str())
                || undo.contains("power plan")
                || undo.contains("load "),
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
    let mut args = at("try", "rack", "overdub", &["--roll", "1024"]);
    for id in ids.iter().filter(|id| **id != "roll:1024") {
        args.extend(["--remedy", id]);
    }
    let same = folder.json(&args);
    assert_eq!(same["is_planned"], true);
    assert_eq!(same["risk"], planned["risk"]);
    assert_eq!(same["loops"], planned["loops"]);
    let bare = folder.json(&at("try", "rack", "overdub", &[]));
    assert_eq!(bare["is_planned"], false);
    assert!(bare["why_not"].as_str().expect("a reason").contains("over the limit"));
    assert_eq!(folder.run(&at("try", "rack", "overdub", &[])).code, 1);
    // Fewer workers never make the worst block shorter.
    let worst = |workers: &str| {
        let t = folder.json(&at("try", "rack", "editing", &["--workers", workers]));
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
    let rack = legs(&at("try", "rack", "overdub", &[]));
    assert!(rack.iter().any(|(name, origin)| name == "blocks, as measured" && origin == "measured"));
    let mut at_brisk = at("try", "desk", "overdub", &["--driver", "asio", "--buffer", "brisk"]);
    at_brisk[1] = "rig-probed.toml";
    let probed = legs(&at_brisk);
    assert!(probed.iter().any(|(name, origin)| name == "interface round trip" && origin == "measured"));
    let brisk = legs(&at("try", "desk", "overdub", &["--driver", "asio", "--buffer", "brisk"]));
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
    assert_eq!(json["format"], "swiftloop.try/4");
    assert_eq!(json["setting"]["buffer_frames"], 128);
    let origins: Vec<&Value> =
        json["loops"][0]["legs"].as_array().expect("legs").iter().map(|l| &l["origin"]).collect();
    assert!(origins.iter().all(|o| *o == "assumed"), "{origins:?}");
    assert_eq!(folder.run(&["try", "--driver", "mme", "--buffer", "2048"]).code, 1);
    // Nobody named a buffer: the smallest that the driver runs is taken.
    let mme = folder.run(&["try", "--driver", "mme"]);
    assert!(mme.code == 1 && mme.err.is_empty(), "{}", mme.err);
    assert!(folder.files().is_empty());
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
fn a_measured_profile_replaces_the_class() {
    let folder = Folder::with_demo();
    folder.edit(
        "rig.toml",
        "other_load = 0.03",
        "other_load = 0.03\n[machine.wake]\ndate = \"2026-11-20\"\nwakes = 100000\nthreshold_us = 200\ntail_share = [0.0008, 0.001, 0.0012]\n\
         shape = [0.08, 0.1, 0.12]\nscale_us = [70, 75, 80]\nvariation = [0.05, 0.06, 0.07]\n\
         bins = [{ up_to_us = 50, count = 60000 }, { up_to_us = 200, count = 39900 }, { up_to_us = 900, count = 100 }]",
    );
    let args = at("try", "rack", "editing", &[]);
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
    let text = folder.run_with(&["plan", "rig.toml", "session.toml", "--full"], &[("COLUMNS", "160")]).out;
    for c in plan["choices"].as_array().expect("choices") {
        let setting = &c["setting"];
        let word = |key: &str| setting[key].as_str().expect("a word").to_string();
        let line = text
            .lines()
            .find(|l| l.split_whitespace().take(2).eq([word("phase").as_str(), word("interface").as_str()]))
            .unwrap_or_else(|| panic!("no line for {setting}"));
        assert!(line.contains(&word("driver")), "{line}");
        assert!(line.contains(word("buffer_label").trim_matches('"')), "{line}");
        assert!(line.trim_end().ends_with(&c["total_effort"].to_string()), "{line}");
        assert!(line.contains(c["risk"]["verdict"].as_str().expect("a verdict")), "{line}");
        for r in c["remedies"].as_array().expect("remedies") {
            let does = r["does"].as_str().expect("words");
            let flat = text.split_whitespace().collect::<Vec<_>>().join(" ");
            assert!(flat.contains(does), "{does}");
        }
    }
}

#[test]
fn try_draws_its_own_picture_and_lists_remedies() {
    let folder = Folder::with_demo();
    let args = at("try", "rack", "tracking", &["--performer", "eli"]);
    let answer = folder.run(&[&args[..], &["--full", "--svg", "one.svg"]].concat());
    assert_eq!(answer.code, 1);
    for words in [
        "Eli, frame drum, sound loop",
        "Changes to try",
        "delays the live path",
        "The plan takes",
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
    let demo = folder.run(&["demo", "--full"]).out;
    for args in [
        &["plan", "rig.toml", "session.toml", "--full"][..],
        &at("try", "rack", "tracking", &[]),
        &["listen", "mix-crackling.wav", "--full"],
    ] {
        let shown = folder.run(args).out;
        assert!(demo.contains(&shown), "the demo's {args:?} is not the command's");
    }
}

/// One way to say which block is busiest: the sentence, the table and the JSON name the same.
#[test]
fn the_busiest_block_is_one_and_the_same_everywhere() {
    let folder = Folder::with_demo();
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    for c in plan["choices"].as_array().expect("choices") {
        let ratio = |b: &Value| number(&b["worst_ratio"]);
        let roll = &c["roll"];
        let rolled =
            if roll.is_null() { 0.0 } else { number(&roll["response_us"]) / number(&roll["deadline_us"]) };
        let worst = if rolled > ratio(&c["load"]) { ratio(roll) } else { ratio(&c["load"]) };
        let (i, p) = (
            c["setting"]["interface"].as_str().expect("a word"),
            c["setting"]["phase"].as_str().expect("a word"),
        );
        let text = folder.run(&["plan", "rig.toml", "session.toml", "--interface", i, "--phase", p]).out;
        let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
        let said = format!("orst block takes {:.0} %", worst * 100.0);
        assert!(text.contains(&said), "{i} {p}: {said} is not in\n{text}");
    }
}

/// The next step that an answer names is the very setting that it is about.
#[test]
fn the_command_at_the_end_leads_to_the_same_setting() {
    let folder = Folder::with_demo();
    let last = |out: &str, start: &str| {
        let line = out.lines().rev().map(str::trim).find(|l| l.starts_with(start)).expect("a command");
        line.split_whitespace().skip(1).map(String::from).collect::<Vec<_>>()
    };
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    for c in plan["choices"].as_array().expect("choices") {
        let word = |key: &str| c["setting"][key].as_str().expect("a word");
        let one =
            ["plan", "rig.toml", "session.toml", "--interface", word("interface"), "--phase", word("phase")];
        let line = last(&folder.run(&one).out, "swiftloop try");
        let tried = folder.json(&line.iter().map(String::as_str).collect::<Vec<_>>());
        assert_eq!(tried["is_planned"], true, "{line:?}");
    }
    let args =
        at("try", "rack", "tracking", &["--buffer", "128", "--workers", "2", "--remedy", "full-power"]);
    let line = last(&folder.run(&args).out, "swiftloop try");
    let again: Vec<&str> = line.iter().map(String::as_str).filter(|a| *a != "--full").collect();
    // The second names everything, so it is not held beside the plan.
    let same = |args: &[&str]| {
        let mut value = folder.json(args);
        let all = value.as_object_mut().expect("an object");
        for key in ["compared_with_plan", "is_planned", "planned", "why_not"] {
            all.remove(key);
        }
        value
    };
    assert!(folder.json(&again)["compared_with_plan"] == false);
    assert_eq!(same(&again), same(&args));
}
