//! The kernel's trace as text, from anywhere.
#![no_main]
use swiftloop_fuzz::{choice, program};

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    let Some((which, trace)) = choice(data, 4) else { return };
    let mut program = program();
    program.write("t.txt", trace);
    program.run(match which {
        0 => &["trace", "read", "@t.txt"][..],
        1 => &["trace", "read", "@t.txt", "--json"],
        2 => &["trace", "read", "@t.txt", "--lanes", "@lanes.svg", "--ranking", "@ranking.svg"],
        _ => &["trace", "read", "@t.txt", "--full", "--json"],
    });
    program.drawn("lanes.svg");
    program.drawn("ranking.svg");
});
