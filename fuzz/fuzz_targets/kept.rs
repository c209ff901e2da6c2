//! What the program keeps for later, and reads again: notes, catalogue, journal, settings, measured links, what was good.
#![no_main]
use swiftloop_fuzz::{SMALL_RIG, SMALL_SESSION, choice, program};

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    let Some((which, kept)) = choice(data, 9) else { return };
    let mut program = program();
    program.write("rig.toml", SMALL_RIG);
    program.write("session.toml", SMALL_SESSION);
    let name = ["notes.toml", "catalogue.toml", "journal", "settings.toml", "link.json", "good.json"];
    program.write(name[[0, 0, 1, 1, 2, 3, 4, 4, 5][which]], kept);
    let plan = ["plan", "@rig.toml", "@session.toml"];
    match which {
        0 => _ = program.run(&plan),
        1 => {
            _ = program.run(&[
                "note",
                "@rig.toml",
                "@session.toml",
                "--minutes",
                "30",
                "--dropouts",
                "2",
                "--json",
            ]);
        }
        2 => _ = program.run(&[&plan[..], &["--catalogue", "@catalogue.toml", "--json"]].concat()),
        3 => {
            if let Ok(before) = swiftloop_files::read_catalogue(&program.path("catalogue.toml")) {
                drop(before);
                _ = program.run(&[&plan[..], &["--catalogue", "@catalogue.toml"]].concat());
            }
        }
        4 => {
            let own = rustix::process::getuid().as_raw();
            let _ = swiftloop_files::JournalFile::look(&program.path("journal"), own);
        }
        5 => _ = program.run(&["sheet", "@settings.toml"]),
        6 => _ = program.run(&["link", "plan", "@link.json"]),
        7 => _ = program.run(&["link", "plan", "@link.json", "--json", "--svg", "@link.svg"]),
        _ => _ = swiftloop_files::read_good(&program.path("good.json"), "this computer"),
    }
    program.drawn("link.svg");
});
