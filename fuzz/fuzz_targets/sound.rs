//! A recording as anybody could hand over: listened to, alone and against itself, and read as the take of a probe.
#![no_main]
use swiftloop_fuzz::{choice, program};

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    let Some((which, wav)) = choice(data, 7) else { return };
    let mut program = program();
    program.write("a.wav", wav);
    program.run(match which {
        0 => &["listen", "@a.wav"][..],
        1 => &["listen", "@a.wav", "--json"],
        2 => &["listen", "@a.wav", "--svg", "@a.svg"],
        3 => &["listen", "@a.wav", "--against", "@a.wav", "--json"],
        4 => &["probe", "read", "@a.wav"],
        5 => &["probe", "read", "@a.wav", "--json"],
        _ => &["probe", "read", "@a.wav", "--onset", "--json"],
    });
    program.drawn("a.svg");
});
