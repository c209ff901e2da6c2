//! A rig and a session as anybody could write them: planned, tried, put on a sheet.
#![no_main]
use swiftloop_fuzz::{BETWEEN, choice, program};

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    let Some((which, rest)) = choice(data, 6) else { return };
    let text = String::from_utf8_lossy(rest);
    let Some((rig, session)) = text.split_once(BETWEEN) else { return };
    let mut program = program();
    program.write("rig.toml", rig);
    program.write("session.toml", session);
    let files = ["@rig.toml", "@session.toml"];
    let with = |before: &[&'static str], after: &[&'static str]| [before, &files, after].concat();
    let arguments = match which {
        0 => with(&["plan"], &["--json"]),
        1 => with(&["plan"], &["--full"]),
        2 => with(&["plan"], &["--svg", "@plan.svg"]),
        3 => with(&["try"], &["--buffer", "128", "--json"]),
        4 => with(&["try"], &["--buffer", "64"]),
        _ => with(&["sheet"], &["--out", "@sheet.html"]),
    };
    program.run(&arguments);
    program.drawn("plan.svg");
});
