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
