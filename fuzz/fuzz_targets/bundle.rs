//! What a bundle of processors says of itself.
#![no_main]
use swiftloop_fuzz::{BETWEEN, program};

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    let program = program();
    let split = data.windows(BETWEEN.len()).position(|w| w == BETWEEN.as_bytes());
    let (manifest, more) = split.map_or((data, &[][..]), |at| (&data[..at], &data[at + BETWEEN.len()..]));
    program.write("manifest.ttl", manifest);
    program.write("more.ttl", more);
    if let Ok(found) = swiftloop_host::weigh::described_in_bundle(&program.path("")) {
        assert!(found.iter().all(|p| p.channels.0 <= 2_000_000 && !p.id.is_empty()));
    }
});
