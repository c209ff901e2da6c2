//! The copy of a computer, as anybody could hand one over: each file is a line that begins with `@` and its path, then what it
//! holds.
#![no_main]
use std::path::{Component, Path};
use swiftloop_fuzz::{choice, program};

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    let Some((which, rest)) = choice(data, 4) else { return };
    let mut program = program();
    program.write("rig.toml", swiftloop_fuzz::SMALL_RIG);
    let root = program.path("root");
    std::fs::create_dir(&root).expect("a root");
    let text = String::from_utf8_lossy(rest);
    for part in text.split("\n@").take(64) {
        let (name, content) = part.split_once('\n').unwrap_or((part, ""));
        let name = Path::new(name.trim_start_matches(['@', '/']));
        let plain =
            name.components().all(|c| matches!(c, Component::Normal(_))) && name.components().count() < 12;
        if !plain || name.as_os_str().is_empty() {
            continue;
        }
        let path = root.join(name);
        let _ = path.parent().map(std::fs::create_dir_all);
        // A link, where it says so: to anywhere.
        let _ = match content.strip_prefix("-> ") {
            Some(to) => std::os::unix::fs::symlink(to.lines().next().unwrap_or(""), &path),
            None => std::fs::write(&path, content),
        };
    }
    program.run(match which {
        0 => &["survey", "--root", "@root"][..],
        1 => &["survey", "--root", "@root", "--json"],
        2 => &["survey", "--root", "@root", "--save", "@rig.toml"],
        _ => &["survey", "--root", "@root", "--full", "--json"],
    });
});
