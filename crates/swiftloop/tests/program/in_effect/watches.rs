//! `watch` where no server is in the way: its log, its summary, and the note that it keeps.

use crate::common::Folder;
use serde_json::Value;

const PLACE: [&str; 6] = ["rig.toml", "session.toml", "--phase", "editing", "--interface", "rack"];

#[test]
fn what_was_watched_is_logged_summed_up_and_noted() {
    let folder = Folder::with_demo();
    let more = ["--length", "3s", "--log", "take.jsonl", "--note", "--json"];
    let answer = folder.run(&[&["watch"], &PLACE[..], &more].concat());
    assert!((0..=1).contains(&answer.code), "{}", answer.err);
    let told: Value = serde_json::from_str(&answer.out).unwrap();
    let summary = &told["summary"];
    assert_eq!((told["server"].clone(), summary["told_by_server"].as_bool()), (Value::Null, Some(false)));
    // Without a server a late wake-up of our own thread stands in for a dropout.
    assert_eq!(summary["dropouts"], summary["late_blocks"]);
    assert_eq!(answer.code == 0, summary["dropouts"] == 0);
    let log: Vec<Value> =
        folder.read("take.jsonl").lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    assert_eq!(log[0]["format"], "swiftloop.watch-log/1");
    assert_eq!(log.last().unwrap()["event"], "end");
    let note = folder.read("notes.toml");
    let dropouts = format!("dropouts = {}", summary["dropouts"]);
    for line in ["phase = \"editing\"", "interface = \"rack\"", "minutes = 0.1", &dropouts] {
        assert!(note.contains(line), "{line}: {note}");
    }
    let again = folder.run(&[&["watch"], &PLACE[..], &["--length", "1s", "--log", "take.jsonl"]].concat());
    assert!(again.code == 2 && again.err.contains("exists already"), "{}", again.err);
    folder.run(&["plan", "rig.toml", "session.toml", "--hand-out", "settings.toml"]);
    let alone =
        folder.run(&["watch", "settings.toml", "--phase", "editing", "--interface", "rack", "--note"]);
    assert!(alone.code == 2 && alone.err.contains("beside a session"), "{}", alone.err);
}
