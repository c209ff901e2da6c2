//! `import`: a session that nobody types, from the built program.

use crate::common::Folder;
use swiftloop_files::import::project_archive;
use swiftloop_fixtures::projects::{Lane, project};

const BOATHOUSE: &str = include_str!("../../demo/boathouse-project.xml");

#[test]
fn a_project_becomes_a_session_that_plans_and_is_brought_up_to_date() {
    let folder = Folder::with_demo();
    folder.write("boathouse.dawproject", project_archive(BOATHOUSE));
    let first = folder.run(&["import", "boathouse.dawproject", "--into", "mine.toml", "--rig", "rig.toml"]);
    assert_eq!(first.code, 0, "{}", first.err);
    for said in ["Written: mine.toml", "8 tracks", "live inputs", "swiftloop plan rig.toml mine.toml"] {
        assert!(first.out.contains(said), "{said}: {}", first.out);
    }
    assert!(folder.run(&["plan", "rig.toml", "mine.toml"]).code <= 1);
    let text = folder.read("mine.toml");
    assert!(text.contains("voices = 4"), "{text}");
    // What the user adds stays.
    folder.write(
        "mine.toml",
        text.replace("id = \"ada\"", "id = \"ada\"\nmonitor = \"never\"") + "[[phase]]\nkind = \"overdub\"\n",
    );
    let again = folder.json(&["import", "boathouse.dawproject", "--into", "mine.toml"]);
    assert_eq!((again["is_new"].as_bool(), again["added"].as_array().map(Vec::len)), (Some(false), Some(0)));
    assert!(
        folder.read("mine.toml").contains("overdub")
            && folder.read("mine.toml").contains("monitor = \"never\"")
    );
    assert_eq!(folder.run(&["import", "boathouse.dawproject", "--into", "mine.toml", "--force"]).code, 0);
    assert!(!folder.read("mine.toml").contains("kind = \"overdub\""));
}

#[test]
fn what_cannot_be_read_changes_nothing() {
    let folder = Folder::with_demo();
    let before = folder.read("session.toml");
    folder.write("bad.dawproject", project_archive("<Project version=\"1.0\"><Structure>"));
    folder.write("empty.dawproject", b"");
    for source in ["bad.dawproject", "empty.dawproject", "nothing.dawproject", "rig.toml"] {
        let answer = folder.run(&["import", source]);
        assert_eq!(answer.code, 2, "{source}: {}", answer.out);
        assert!(answer.err.contains("to do:"), "{}", answer.err);
    }
    // A session that is not sound is not written into either.
    folder.write("good.dawproject", project_archive(BOATHOUSE));
    folder.write("session.toml", before.replace("kind = \"mixing\"", "kind = \"mixin\""));
    let answer = folder.run(&["import", "good.dawproject"]);
    assert!(answer.code == 2 && answer.err.contains("mixin"), "{}", answer.err);
    assert!(!folder.files().iter().any(|f| f.contains("imported")), "{:?}", folder.files());
}

#[test]
fn names_from_a_project_do_nothing_to_a_terminal() {
    let folder = Folder::empty();
    let name = "Bad\u{1b}[31m\u{202e} name\n";
    let lane = Lane {
        name,
        content: "audio",
        role: "regular",
        loaded: true,
        audio_hz: Some(48_000),
        ..Lane::default()
    };
    folder.write("p.dawproject", project_archive(&project(&[lane.clone(), lane]).replace('\u{1b}', "&#x9;")));
    let answer = folder.run(&["import", "p.dawproject"]);
    assert_eq!(answer.code, 0, "{}", answer.err);
    assert!(!answer.out.contains('\u{202e}') && !answer.out.contains('\u{1b}'), "{:?}", answer.out);
}
