//! What reaches the terminal: no line over its width, no colour where none is wanted, nothing raw from outside.

use crate::common::{Folder, at};

#[test]
fn readable_at_every_width_and_without_colour() {
    let folder = Folder::with_demo();
    // Wider pages are held by the snapshots; this one is where tables have to stack.
    for args in super::snapshots::TEXTS {
        super::snapshots::fits(args, "60", &folder.run_with(args, &[("COLUMNS", "60")]).out);
    }
    let forced = ["--color", "always", "try", "--driver", "asio"];
    assert!(folder.run(&forced).out.contains('\u{1b}'));
    assert!(!folder.run_with(&["try", "--driver", "asio"], &[("NO_COLOR", "1")]).out.contains('\u{1b}'));
}

#[test]
fn names_from_files_reach_neither_terminal_nor_svg_nor_json_raw() {
    let folder = Folder::with_demo();
    folder.edit(
        "session.toml",
        "name = \"Ada, voice\"",
        "name = \"Ada\\u001b[2J\\u202etxt\\u009b5m, <voice>\"",
    );
    folder.edit("rig.toml", "name = \"16-channel rack\"", "name = \"rack\\u0007\\u001b]0;x\\u0007\\u200f\"");
    let args = at("try", "rack", "tracking", &["--full"]);
    let raw = |c: char| {
        (c.is_control() && c != '\n') || matches!(c, '\u{202a}'..='\u{202e}' | '\u{200e}' | '\u{200f}')
    };
    let text = folder.run(&[&args[..], &["--svg", "one.svg"]].concat());
    let plan = folder.run(&["plan", "rig.toml", "session.toml", "--full", "--svg", "all.svg"]);
    let json = folder.run(&[&args[..7], &["--json"]].concat());
    for shown in [text.out, text.err, plan.out, json.out, folder.read("one.svg"), folder.read("all.svg")] {
        assert!(!shown.contains(raw), "{:?}", shown.chars().find(|c| raw(*c)));
    }
    assert!(text.code <= 1 && plan.code <= 1 && json.code <= 1);
    folder.edit("session.toml", "plays = \"voice\"", "plays = \"vo\\u001b[31mice\"");
    let wrong = folder.run(&args);
    assert!(wrong.code == 2 && !wrong.err.contains(raw), "{:?}", wrong.err);
}
