//! A project saved for exchange, or notes: the whole file as it comes, or the project's description put into a sound archive.
#![no_main]
use std::io::Write;
use swiftloop_fuzz::{choice, program};
use zip::write::SimpleFileOptions;

fn archived(project: &[u8]) -> Vec<u8> {
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let plain = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (name, bytes) in [("project.xml", project), ("metadata.xml", b"<MetaData/>".as_slice())] {
        archive
            .start_file(name, plain)
            .and_then(|()| Ok(archive.write_all(bytes)?))
            .expect("an archive in memory");
    }
    archive.finish().expect("an archive in memory").into_inner()
}

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    let Some((which, rest)) = choice(data, 4) else { return };
    let mut program = program();
    program.write("song", if which < 2 { archived(rest) } else { rest.to_vec() });
    let into = ["import", "@song", "--into", "@session.toml", "--force"];
    let answer = program.run(&[&into[..], if which % 2 == 0 { &["--json"] } else { &[] }].concat());
    if answer.code < 2 {
        // What it wrote is a session that it reads itself, and a second time nothing is new.
        let again = program.run(&into);
        assert!(again.code < 2, "what was imported cannot be imported again: {}", again.err);
    }
});
