//! `new`: files to start from, also beside a rig that is there.

use crate::common::{Folder, choice};

#[test]
fn new_asks_nothing_when_piped_and_its_files_plan() {
    let folder = Folder::empty();
    let made = folder.run(&[
        "new",
        "studio",
        "--driver",
        "JACK",
        "--connection",
        "USB-C",
        "--playing",
        "keys",
        "--tracks",
        "3",
    ]);
    assert_eq!(made.code, 0, "{}", made.err);
    let plan = folder.json(&["plan", "studio/rig.toml", "studio/session.toml"]);
    assert_eq!(choice(&plan, "interface", "tracking")["loops"][0]["kind"], "keys");
    assert_eq!(folder.run(&["new", "studio"]).code, 2);
    assert_eq!(folder.run(&["new", "studio", "--driver", "jakc"]).code, 2);
}

#[test]
fn new_writes_a_session_beside_a_rig_that_is_there() {
    let folder = Folder::with_demo();
    std::fs::remove_file(folder.path("session.toml")).expect("removed");
    let before = folder.read("rig.toml");
    // What belongs to the rig cannot be said without changing it.
    let refused = folder.run(&["new", ".", "--driver", "alsa"]);
    assert!(refused.code == 2 && refused.err.contains("--driver"), "{}", refused.err);
    let made = folder.run(&["new", ".", "--playing", "drums"]);
    assert_eq!(made.code, 0, "{}", made.err);
    assert_eq!(folder.read("rig.toml"), before);
    assert!(folder.read("session.toml").contains("\"drums\""));
    assert!(folder.run(&["plan", "rig.toml", "session.toml"]).code <= 1);
}

#[test]
fn who_listens_through_the_interface_is_not_warned_of_hearing_twice() {
    let folder = Folder::empty();
    assert_eq!(folder.run(&["new", ".", "--listening", "direct"]).code, 0);
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    let codes: Vec<&str> =
        plan["warnings"].as_array().expect("a list").iter().filter_map(|w| w["code"].as_str()).collect();
    assert!(!codes.contains(&"heard-twice"), "{codes:?}");
    assert_eq!(choice(&plan, "interface", "tracking")["loops"][0]["kind"], "direct");
}

#[test]
fn new_writes_what_is_asked_and_notes_the_meter() {
    let folder = Folder::empty();
    let asked = [
        "new",
        ".",
        "--driver",
        "asio",
        "--playing",
        "drum-pads",
        "--instruments",
        "25",
        "--memory-each",
        "1.8",
        "--tracks",
        "35",
        "--phases",
        "writing,overdub,mixing",
        "--meter",
        "40@512",
    ];
    let made = folder.run(&asked);
    assert_eq!(made.code, 0, "{}", made.err);
    assert!(made.out.contains("notes.toml"), "{}", made.out);
    let session = folder.read("session.toml");
    assert!(session.lines().count() < 60, "{session}");
    // Drum pads are keys with a sharp attack, and sound in the software.
    assert!(session.contains("plays = \"keys\"") && session.contains("source = \"instrument\""), "{session}");
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    assert_eq!(choice(&plan, "interface", "overdub")["loops"][0]["kind"], "keys");
    assert!(plan["notes"].to_string().contains("costs"), "{}", plan["notes"]);
    for (option, word) in [
        ("--meter", "40"),
        ("--meter", "0@512"),
        ("--meter", "40@500"),
        ("--phases", "mixing,mixin"),
        ("--phases", "mixing,mixing"),
        ("--memory-each", "-1"),
        ("--instruments", "3000"),
    ] {
        let word = format!("{option}={word}");
        let answer = folder.run(&["new", "elsewhere", &word]);
        assert!(answer.code == 2 && !folder.path("elsewhere").exists(), "{word}: {}", answer.out);
    }
}

#[test]
fn whichever_of_the_two_is_missing_is_written() {
    let folder = Folder::with_demo();
    let (rig, session) = (folder.read("rig.toml"), folder.read("session.toml"));
    std::fs::remove_file(folder.path("rig.toml")).expect("removed");
    assert_eq!(folder.run(&["new", ".", "--session"]).code, 2);
    assert_eq!(folder.run(&["new", ".", "--driver", "asio"]).code, 0);
    assert_eq!(folder.read("session.toml"), session);
    // The rig may lie elsewhere.
    folder.write("other.toml", rig);
    let made = folder.run(&["new", "next", "--rig", "other.toml"]);
    assert!(
        made.code == 0 && made.out.contains("plan other.toml next/session.toml"),
        "{} {}",
        made.out,
        made.err
    );
    assert!(!folder.path("next/rig.toml").exists());
}

/// Ten lines plan.
#[test]
fn a_rig_and_a_session_of_a_few_lines_plan() {
    let folder = Folder::empty();
    folder.write(
        "rig.toml",
        "format = \"swiftloop.rig/1\"\nmachine = { cores = 8, memory_gb = 32, disk_mb_per_s = 500, disk_free_gb = 200 }\n\
         [[interface]]\nid = \"box\"\ndriver = [{ model = \"asio\", rates_hz = [48000], buffers = { powers = [32, 1024] } }]\n",
    );
    folder.write(
        "session.toml",
        "format = \"swiftloop.session/1\"\n\
         track = [{ id = \"voice\", source = \"live\" }, { id = \"band-*\", count = 24, processor = [{}, { cost = \"heavy\" }] }]\n\
         performer = [{ id = \"ada\", plays = \"voice\" }]\n\
         phase = [{ kind = \"overdub\", performers = [\"ada\"] }, { kind = \"mixing\" }]\n",
    );
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    assert_eq!(choice(&plan, "box", "overdub")["loops"][0]["performer"], "ada");
    // An error in alike tracks points at the line that was written.
    let text = folder.read("session.toml").replace("cost = \"heavy\"", "cost = \"hevy\"");
    folder.write("session.toml", text);
    let answer = folder.run(&["plan", "rig.toml", "session.toml"]);
    assert!(
        answer.code == 2 && answer.err.contains("hevy") && answer.err.contains("session.toml:2:"),
        "{}",
        answer.err
    );
    folder.write(
        "session.toml",
        folder.read("session.toml").replace("hevy", "heavy").replace("count = 24", "count = 0"),
    );
    let answer = folder.run(&["plan", "rig.toml", "session.toml"]);
    assert!(answer.code == 2 && answer.err.contains("count from 1"), "{}", answer.err);
}
