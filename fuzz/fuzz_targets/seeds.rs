//! Where the fuzzer begins: writes a corpus for each target into the folder that `SWIFTLOOP_SEEDS` names, from the demo, the
//! tests' own cases and what the program itself makes. It fuzzes nothing; being built like the others it needs no
//! second build of everything.
#![no_main]

use std::path::{Path, PathBuf};
use swiftloop_measure::link::stamp::{StampKey, StampRequest};
use swiftloop_units::Hz;
use swiftloop_files::import::project_archive;
use swiftloop_fixtures::projects::sized;
use swiftloop_fixtures::sessions::{Size, rig, session};
use swiftloop_files::{Depth, wav_bytes};
use swiftloop_fuzz::{BETWEEN, program};

type Done = Result<(), Box<dyn std::error::Error>>;

/// Writes seeds of one target, numbered.
struct Corpus {
    folder: PathBuf,
    written: usize,
}

impl Corpus {
    fn of(all: &Path, target: &str) -> std::io::Result<Self> {
        let folder = all.join(target);
        std::fs::create_dir_all(&folder)?;
        Ok(Self { folder, written: 0 })
    }

    /// With each of the first bytes that choose.
    fn add(&mut self, choices: impl IntoIterator<Item = u8>, bytes: &[u8]) -> std::io::Result<()> {
        for first in choices {
            std::fs::write(
                self.folder.join(format!("seed-{:03}", self.written)),
                [&[first], bytes].concat(),
            )?;
            self.written += 1;
        }
        Ok(())
    }
}

fn files_below(folder: &Path) -> std::io::Result<Vec<PathBuf>> {
    let mut files = Vec::new();
    for entry in std::fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() { files.extend(files_below(&path)?) } else { files.push(path) }
    }
    files.sort();
    Ok(files)
}

/// Nothing that leads out of the description: far sides are files of their own.
fn alone(rig: &str) -> String {
    let mut kept = String::new();
    let mut skips = false;
    for line in rig.lines() {
        if line.starts_with('[') {
            skips = line.starts_with("[[far");
        }
        if !skips {
            kept.extend([line, "\n"]);
        }
    }
    kept
}

fn descriptions(all: &Path, demo: &Path, cases: &Path) -> Done {
    let mut corpus = Corpus::of(all, "descriptions")?;
    let both = |rig: &str, session: &str| format!("{rig}{BETWEEN}{session}").into_bytes();
    let text = |path: PathBuf| std::fs::read_to_string(path);
    let rig_text = text(demo.join("rig.toml"))?;
    corpus.add(0..6, &both(&alone(&rig_text), &text(demo.join("session.toml"))?))?;
    let small = Size { tracks: 4, processors: 2, interfaces: 1, phases: 2, remedies: 2 };
    corpus.add(0..6, &both(&rig(small), &session(small)))?;
    for (r, s) in [
        ("desktop-rig", "one-live-track-session"),
        ("desktop-rig", "muted-sampler-session"),
        ("two-cores-rig", "reverb-copies-session"),
        ("direct-mixer-rig", "direct-listener-session"),
        ("hiccup-clusters-rig", "hiccup-clusters-session"),
        ("cheapest-sets-tie-first-rig", "cheapest-sets-tie-first-session"),
    ] {
        let read = |name: &str| text(cases.join(format!("{name}.toml")));
        corpus.add([0, 1, 3, 5], &both(&read(r)?, &read(s)?))?;
    }
    Ok(())
}

fn sound(all: &Path) -> Done {
    let mut corpus = Corpus::of(all, "sound")?;
    let tone = |n: usize| (0..n).map(|i| (i as f32 * 0.06).sin() * 0.3).collect::<Vec<f32>>();
    let mut broken = tone(1500);
    broken.drain(700..748);
    for depth in [Depth::Int16, Depth::Int24, Depth::Float32] {
        let wav = wav_bytes(&[tone(1452), broken.clone()], Hz::new(48_000), depth)?;
        corpus.add(0..7, &wav)?;
    }
    let mut program = program();
    let made = program.run(&["probe", "make", "--out", "@probe.wav", "--bursts", "2", "--rate", "8000"]);
    if made.code == 0 {
        let wav = std::fs::read(program.path("probe.wav"))?;
        corpus.add([0, 4, 5, 6], &wav)?;
    }
    Ok(())
}

fn bundles(all: &Path) -> Done {
    let mut corpus = Corpus::of(all, "bundle")?;
    let manifest = "@prefix lv2: <http://lv2plug.in/ns/lv2core#> .\n@prefix rdfs: <http://www.w3.org/2000/01/rdf-schema#> .\n<urn:a> a lv2:Plugin ; lv2:binary <a.so> ; rdfs:seeAlso <more.ttl> .\n";
    let more = "@prefix lv2: <http://lv2plug.in/ns/lv2core#> .\n@prefix doap: <http://usefulinc.com/ns/doap#> .\n@prefix atom: <http://lv2plug.in/ns/ext/atom#> .\n<urn:a> doap:name \"A\" ; lv2:minorVersion 2 ; lv2:microVersion 1 ; lv2:requiredFeature <http://lv2plug.in/ns/ext/urid#map> ;\n lv2:port [ a lv2:InputPort , lv2:AudioPort ; lv2:index 0 ; lv2:symbol \"in\" ] , [ a lv2:OutputPort , lv2:AudioPort ; lv2:index 1 ] , [ a lv2:InputPort , lv2:ControlPort ; lv2:index 2 ; lv2:default 0.5 ; lv2:minimum 0 ; lv2:maximum 1.0 ] , [ a lv2:OutputPort , lv2:ControlPort ; lv2:index 3 ; lv2:portProperty lv2:reportsLatency ] , [ a lv2:InputPort , atom:AtomPort ; lv2:index 4 ; atom:supports <http://lv2plug.in/ns/ext/midi#MidiEvent> ] .\n";
    corpus.add([b' '], manifest.as_bytes())?;
    corpus.add([b' '], format!("{manifest}{BETWEEN}{more}").as_bytes())?;
    Ok(())
}

fn packets(all: &Path) -> Done {
    let mut corpus = Corpus::of(all, "packets")?;
    let key = StampKey::new(b"a key that nobody knows");
    for (first, key) in [(0, None), (1, None), (2, key.as_ref()), (3, key.as_ref())] {
        let mut said = Vec::new();
        for n in 0..5_u32 {
            let packet = StampRequest { sequence: n, ..StampRequest::of_seed() }.bytes(60 + n as usize * 40, key);
            said.extend([(packet.len() >> 8) as u8, packet.len() as u8, n as u8 % 2, 10]);
            said.extend(packet);
        }
        corpus.add([first], &said)?;
    }
    Ok(())
}

trait OfSeed {
    fn of_seed() -> Self;
}

impl OfSeed for StampRequest {
    fn of_seed() -> Self {
        use swiftloop_measure::link::stamp::{ErrorEstimate, Stamp, TimeFormat};
        let format = TimeFormat::Ptp;
        Self {
            sequence: 0,
            sent: Stamp::from_unix_ns(1, format),
            error: ErrorEstimate::unsynchronised(format),
            session: 7,
        }
    }
}

fn computers(all: &Path, samples: &Path) -> Done {
    let mut corpus = Corpus::of(all, "computer")?;
    for computer in std::fs::read_dir(samples)? {
        let root = computer?.path();
        let mut text = String::new();
        for file in files_below(&root)? {
            let content = String::from_utf8_lossy(&std::fs::read(&file)?).into_owned();
            if content.len() < 4096 && text.len() < 60_000 {
                text += &format!("\n@{}\n{content}", file.strip_prefix(&root)?.display());
            }
        }
        corpus.add(0..4, text.trim_start().as_bytes())?;
    }
    corpus.add(0..4, b"@proc/cpuinfo\n-> /etc/passwd\n@proc/meminfo\nMemTotal: 8000000 kB\n@proc/asound/cards\n 0 [box ]: USB-Audio - box\n")?;
    Ok(())
}

fn kept(all: &Path, demo: &Path) -> Done {
    let mut corpus = Corpus::of(all, "kept")?;
    corpus.add([0, 1], b"format = \"swiftloop.notes/1\"\n[[note]]\ndate = \"2026-11-20\"\nminutes = 40\ndropouts = 3\nmeter = 60\n")?;
    corpus.add([2, 3], b"format = \"swiftloop.catalogue/1\"\n[[processor]]\nid = \"ladspa:amp\"\n")?;
    let mut program = program();
    for file in ["rig.toml", "session.toml"] {
        let text = std::fs::read_to_string(demo.join(file))?;
        program.write(file, if file == "rig.toml" { alone(&text) } else { text });
    }
    let made = program.run(&["plan", "@rig.toml", "@session.toml", "--settings", "@settings.toml"]);
    if made.code < 2 {
        corpus.add([5], &std::fs::read(program.path("settings.toml"))?)?;
    }
    corpus.add([4], b"{\"format\":\"swiftloop.journal/1\"}\n")?;
    let link = std::fs::read(demo.join("loft-link.json"))?;
    corpus.add([6, 7], &link)?;
    corpus.add(
        [6, 7],
        b"# swiftloop.packets/1 every_ms=2.7 bytes=512 line_kbit_s=1000 v6=no counts=yes strays=0 host=a\n",
    )?;
    corpus.add([8], b"{\"format\":\"swiftloop.good/1\"}\n")?;
    Ok(())
}

libfuzzer_sys::fuzz_target!(
    init: {
        if let Err(e) = write_all() {
            eprintln!("no seeds: {e}");
            std::process::exit(1)
        }
    },
    // The fuzzer calls once with nothing and once with a line's end before it leaves: all was done at the start.
    |_data: &[u8]| {}
);

fn write_all() -> Done {
    let all = PathBuf::from(std::env::var_os("SWIFTLOOP_SEEDS").ok_or("SWIFTLOOP_SEEDS names a folder")?);
    let here = Path::new(env!("CARGO_MANIFEST_DIR")).join("../crates");
    let demo = tempfile::tempdir()?;
    let folder = demo.path().join("demo");
    program().run(&["demo", folder.to_str().ok_or("a path")?]);
    descriptions(&all, &folder, &here.join("swiftloop-fixtures/cases"))?;
    sound(&all)?;
    let mut traces = Corpus::of(&all, "kernel_trace")?;
    for file in files_below(&here.join("swiftloop-files/tests/traces"))?
        .into_iter()
        .chain([folder.join("mixing.trace.txt")])
    {
        let text = std::fs::read(file)?;
        traces.add(0..4, &text[..text.len().min(20_000)])?;
    }
    let mut archives = Corpus::of(&all, "archive")?;
    archives.add([2, 3], &project_archive(include_str!("../../crates/swiftloop/demo/boathouse-project.xml")))?;
    archives.add([0, 1], sized(3, 2).as_bytes())?;
    archives.add([2, 3], b"MThd\0\0\0\x06\0\x01\0\x01\x01\xe0MTrk\0\0\0\x14\0\xff\x03\x04Harp\0\x90\x40\x40\x60\x80\x40\0\0\xff\x2f\0")?;
    bundles(&all)?;
    packets(&all)?;
    computers(&all, &here.join("swiftloop-fixtures/computers"))?;
    kept(&all, &folder)
}
