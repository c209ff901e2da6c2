//! `probe` and `listen` as programs: the demo's recordings, the whole way from a probe to a plan, and bad files.

use crate::common::{Folder, at};
use proptest::prelude::*;
use serde_json::Value;
use swiftloop_files::{Depth, wav_bytes};
use swiftloop_host::simulated::SimulatedInterface;
use swiftloop_units::{Block, Hz};

const RATE: Hz = Hz::new(48_000);

fn near(value: &Value, want: f64, most: f64) {
    let got = value.as_f64().unwrap_or_else(|| panic!("{value} is no number"));
    assert!((got - want).abs() <= most, "{got} is not {want}");
}

/// Reads a WAV file's channels back.
fn channels(folder: &Folder, name: &str) -> Vec<Vec<f32>> {
    swiftloop_files::Recording::open(&folder.path(name)).unwrap().whole().unwrap()
}

fn wav(folder: &Folder, name: &str, channels: &[Vec<f32>]) {
    folder.write(name, wav_bytes(channels, RATE, Depth::Int24).unwrap());
}

#[test]
fn the_demos_recordings_say_what_was_done_to_them() {
    let folder = Folder::with_demo();
    let clean = folder.json(&["probe", "read", "loop-128.wav"]);
    assert_eq!(clean["format"], "swiftloop.probe-read/2");
    near(&clean["channels"][0]["latency_frames"], 424.4, 0.001);
    near(&clean["channels"][0]["gain_db"], -6.0, 0.05);
    assert_eq!(clean["channels"][0]["polarity"], "normal");
    assert!(clean["trouble"].is_null());
    let drifting = folder.run(&["probe", "read", "loop-two-clocks.wav", "--json"]);
    assert_eq!(drifting.code, 1, "two clocks are no yes");
    let drifting: Value = serde_json::from_str(&drifting.out).unwrap();
    assert_eq!(drifting["trouble"], "two-clocks");
    let refused = folder.run(&["probe", "fit", "128=loop-two-clocks.wav", "256=loop-256.wav"]);
    assert!(refused.code == 2 && refused.err.contains("two clocks"), "{}", refused.err);
    near(&drifting["channels"][0]["drift_ppm"], 23.4, 0.05);
    let takes = ["probe", "fit", "128=loop-128.wav", "256=loop-256.wav", "512=loop-512.wav"];
    let fit = folder.json(&takes);
    near(&fit["blocks"], 3.0, 1e-4);
    near(&fit["fixed_frames"], 40.4, 0.01);

    let clean = folder.run(&["listen", "mix-clean.wav"]);
    assert_eq!(clean.code, 0, "{}", clean.out);
    let crackling = folder.run(&["listen", "mix-crackling.wav", "--json"]);
    assert_eq!(crackling.code, 1);
    let crackling: Value = serde_json::from_str(&crackling.out).unwrap();
    assert_eq!(crackling["attribution"]["cause"], "buffer");
    assert_eq!(crackling["attribution"]["block_frames"], 128);
    let slips = folder.json(&["listen", "drone-two-clocks.wav"]);
    assert_eq!(slips["attribution"]["cause"], "clock");
    near(&slips["attribution"]["drift_ppm"], -23.4, 0.2);
    let against = folder.json(&["listen", "mix-crackling.wav", "--against", "mix-clean.wav"]);
    assert!(against["events"].as_array().unwrap().len() >= crackling["events"].as_array().unwrap().len());
    assert_eq!(against["attribution"]["block_frames"], 128);
}

#[test]
fn from_a_probe_to_a_plan_without_any_hardware() {
    let folder = Folder::with_demo();
    let make = ["probe", "make", "--out", "two.wav", "--channels", "2", "--level", "-20", "--depth", "16"];
    assert_eq!(folder.run(&make).code, 0);
    assert_eq!(folder.run(&make).code, 0, "the same probe is there already");
    let other = ["probe", "make", "--out", "two.wav", "--channels", "1"];
    assert_eq!(folder.run(&other).code, 2, "another file stays");
    let played = channels(&folder, "two.wav");
    let mut fit = vec!["probe".to_string(), "fit".into()];
    for (speed, block, start) in [("brisk", 48, 0), ("brisk", 48, 8), ("unhurried", 256, 0)] {
        let way = SimulatedInterface {
            inverted: true,
            start_jitter_frames: start,
            ..SimulatedInterface::with_block(Block::new(block))
        };
        let name = format!("{speed}-{start}.wav");
        // Crossed cables: input 1 hears output 2.
        wav(&folder, &name, &[way.record(&played[1], 1).samples, way.record(&played[0], 1).samples]);
        fit.push(format!("{speed}={name}"));
    }
    let read =
        folder.json(&["probe", "read", "brisk-0.wav", "--probe", "two.wav", "--reported-frames", "150"]);
    let first = &read["channels"][0];
    assert_eq!((&first["source_channel"], &first["polarity"]), (&Value::from(2), &Value::from("inverted")));
    near(&first["latency_frames"], 184.4, 0.01);
    near(&read["residual_frames"], 34.4, 0.01);
    assert_eq!(read["offset_to_enter_frames"], -34);
    let words =
        folder.run(&["probe", "read", "brisk-0.wav", "--reported-frames", "150"]).out.replace('\n', " ");
    assert!(words.contains("late") && words.contains("Enter -34 frames"), "{words}");

    folder.write("read.json", folder.run(&["probe", "read", "unhurried-0.wav", "--json"]).out);
    let before = folder.read("rig.toml");
    let mut save: Vec<&str> = fit.iter().map(String::as_str).collect();
    save.extend(["unhurried=read.json", "--save", "rig.toml", "--interface", "desk", "--driver", "asio"]);
    let saved = folder.run(&save);
    assert_eq!(saved.code, 0, "{}", saved.err);
    let after = folder.read("rig.toml");
    for line in before.lines().filter(|l| !l.trim().is_empty()) {
        assert!(after.contains(line), "the rig file lost a line: {line}");
    }
    assert!(after.contains("speed = \"brisk\"") && after.contains("speed = \"unhurried\""));
    let tried = folder.json(&at("try", "desk", "overdub", &["--driver", "asio", "--buffer", "brisk"]));
    assert!(tried.to_string().contains("\"measured\""), "the measured trip is used");
    // Saving again changes nothing.
    assert_eq!(folder.run(&save).code, 0);
    assert_eq!(folder.read("rig.toml"), after);
}

#[test]
fn a_rig_that_does_not_fit_is_left_alone() {
    let folder = Folder::with_demo();
    let before = folder.read("rig.toml");
    for (args, hint) in [
        (["rack", "asoi"], "did you mean `asio`"),
        (["rakc", "asio"], "did you mean `rack`"),
        (["desk", "asio"], "brisk"),
    ] {
        let all = [
            "probe",
            "fit",
            "128=loop-128.wav",
            "--save",
            "rig.toml",
            "--interface",
            args[0],
            "--driver",
            args[1],
        ];
        let answer = folder.run(&all);
        assert_eq!(answer.code, 2);
        assert!(answer.err.contains(hint), "{}", answer.err);
    }
    assert_eq!(folder.read("rig.toml"), before);
    for take in ["loop-128.wav", "=loop-128.wav", "0=loop-128.wav", "128=", "128=rig.toml", "128=none.json"] {
        assert_eq!(folder.run(&["probe", "fit", take]).code, 2, "{take}");
    }
}

#[test]
fn takes_that_no_driver_gives_are_refused_and_not_saved() {
    let folder = Folder::with_demo();
    let before = folder.read("rig.toml");
    let save = ["--save", "rig.toml", "--interface", "rack", "--driver", "asio"];
    // Swapped: the larger buffer comes back sooner. And the probe itself, taken for a recording.
    let swapped = ["probe", "fit", "512=loop-128.wav", "128=loop-512.wav"];
    let told = folder.run(&swapped);
    assert!(told.code == 1 && told.out.contains("do not fit together"), "{}", told.out);
    let refused = folder.run(&[&swapped[..], &save].concat());
    assert!(refused.code == 2 && refused.err.contains("nothing was written"), "{}", refused.err);
    let itself = folder.run(&["probe", "read", "probe.wav"]);
    assert!(itself.code == 2 && itself.err.contains("not a recording of it"), "{}", itself.err);
    let itself = folder.run(&[&["probe", "fit", "128=probe.wav"][..], &save].concat());
    assert_eq!(itself.code, 2, "{}", itself.out);
    assert_eq!(folder.read("rig.toml"), before);
}

#[test]
fn a_tone_through_the_loop_is_compared_frame_by_frame() {
    let folder = Folder::empty();
    assert_eq!(folder.run(&["probe", "make", "--tone", "--seconds", "4", "--out", "tone.wav"]).code, 0);
    let tone = channels(&folder, "tone.wav");
    let mut take = vec![SimulatedInterface::with_block(Block::new(64)).record(&tone[0], 5).samples];
    wav(&folder, "whole.wav", &take);
    let fine = folder.run(&["listen", "whole.wav", "--against", "tone.wav"]);
    assert_eq!(fine.code, 0, "{}{}", fine.out, fine.err);
    take[0][90_000..90_064].fill(0.0);
    wav(&folder, "torn.wav", &take);
    let torn = folder.json(&["listen", "torn.wav", "--against", "tone.wav", "--svg", "torn.svg"]);
    let event = &torn["events"][0];
    assert_eq!(
        (&event["kind"], &event["start_frame"], &event["length_frames"]),
        (&"gap".into(), &90_000.into(), &64.into())
    );
    near(&torn["against"]["delay_frames"], 232.4, 0.01);
    assert!(folder.read("torn.svg").contains("1 crackles") || folder.read("torn.svg").contains("1 crackle"));
    assert_eq!(folder.run(&["listen", "torn.wav", "--svg", "torn.svg"]).code, 2, "an existing picture stays");
}

#[test]
fn onsets_are_paired() {
    let folder = Folder::empty();
    let (mut act, mut sound) = (vec![0.0f32; 480_000], vec![0.0f32; 480_000]);
    for i in 0..10 {
        for n in 0..4000 {
            let wave = (n as f32 * 0.3).sin() * (-(n as f32) / 600.0).exp();
            act[20_000 + i * 40_000 + n] += 0.5 * wave;
            sound[20_000 + i * 40_000 + 480 + n] += 0.4 * wave;
        }
    }
    wav(&folder, "keys.wav", &[act, sound]);
    let found = folder.json(&["probe", "read", "keys.wav", "--onset"]);
    near(&found["median_ms"], 10.0, 0.05);
    assert_eq!(found["events"].as_array().unwrap().len(), 10);
    assert!(folder.run(&["probe", "read", "keys.wav", "--onset"]).out.contains("10.0"));
}

#[test]
fn files_that_are_no_recordings_are_refused_with_a_reason() {
    let folder = Folder::with_demo();
    let good = std::fs::read(folder.path("loop-128.wav")).unwrap();
    let with = |at: usize, bytes: &[u8]| {
        let mut all = good.clone();
        all[at..at + bytes.len()].copy_from_slice(bytes);
        all
    };
    let mut float = wav_bytes(&[vec![0.1; 9000]], RATE, Depth::Float32).unwrap();
    let end = float.len();
    float[end - 400..end - 396].copy_from_slice(&f32::NAN.to_le_bytes());
    let bad: [(&str, Vec<u8>, &str); 9] = [
        ("empty.wav", Vec::new(), "header"),
        ("text.wav", b"not a recording at all, only words".to_vec(), "RIFF"),
        ("rf64.wav", with(0, b"RF64"), "RF64"),
        ("aiff.wav", with(0, b"FORM"), "AIFF"),
        ("silent.wav", with(22, &[0, 0]), "zero channels"),
        ("slow.wav", with(24, &[1, 0, 0, 0]), "inconsistent"),
        ("none.wav", wav_bytes(&[Vec::new()], RATE, Depth::Int16).unwrap(), "no frames"),
        ("nan.wav", float, "is no number"),
        ("eight.wav", with(34, &[12, 0]), "bits"),
    ];
    for (name, bytes, why) in &bad {
        folder.write(name, bytes);
        for command in [&["listen"][..], &["probe", "read"]] {
            let answer = folder.run(&[command, &[*name]].concat());
            assert_eq!(answer.code, 2, "{name}: {}", answer.out);
            assert!(answer.err.contains(why) && answer.err.contains("to do:"), "{name}: {}", answer.err);
        }
    }
    for name in [".", "missing.wav", "rig.toml"] {
        assert_eq!(folder.run(&["listen", name]).code, 2, "{name}");
    }
    // A header that promises more than there is: what is there is read, and said.
    folder.write("cut.wav", &good[..good.len() - 30_000]);
    let cut = folder.run(&["probe", "read", "cut.wav"]);
    assert_eq!(cut.code, 0, "{}", cut.err);
    assert!(cut.out.contains("cut off"), "{}", cut.out);
    #[cfg(unix)]
    {
        let pipe = folder.path("pipe.wav");
        assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
        let answer = folder.run(&["listen", "pipe.wav"]);
        assert!(answer.code == 2 && answer.err.contains("pipe"), "{}", answer.err);
    }
}

#[test]
fn every_depth_and_extra_chunks_read_the_same() {
    let folder = Folder::with_demo();
    let sound = channels(&folder, "loop-128.wav");
    for depth in [Depth::Int16, Depth::Int24, Depth::Int32, Depth::Float32] {
        folder.write("take.wav", wav_bytes(&sound, RATE, depth).unwrap());
        let read = folder.json(&["probe", "read", "take.wav"]);
        near(&read["channels"][0]["latency_frames"], 424.4, 0.001);
    }
    let mut bytes = wav_bytes(&sound, RATE, Depth::Int16).unwrap();
    bytes.splice(12..12, b"bext\x06\0\0\0abcdef".iter().copied());
    folder.write("chunk.wav", bytes);
    near(&folder.json(&["probe", "read", "chunk.wav"])["channels"][0]["latency_frames"], 424.4, 0.001);
}

#[test]
fn silly_probes_are_refused() {
    let folder = Folder::empty();
    for args in [
        &["--bursts", "3"][..],
        &["--bursts", "65"],
        &["--channels", "0"],
        &["--channels", "33"],
        &["--level", "0"],
        &["--level", "-64"],
        &["--rate", "7"],
        &["--depth", "8"],
        &["--seconds", "5"],
        &["--channels", "32", "--bursts", "64"],
    ] {
        let answer = folder.run(&[&["probe", "make", "--out", "p.wav"], args].concat());
        assert_eq!(answer.code, 2, "{args:?}");
        assert_eq!(folder.files(), Vec::<String>::new(), "{args:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]
    #[test]
    fn damaged_headers_never_panic(places in prop::collection::vec((0usize..60, any::<u8>()), 1..6), cut in 0usize..400) {
        let mut bytes = wav_bytes(&[vec![0.25; 300], vec![-0.25; 300]], RATE, Depth::Int16).unwrap();
        for (at, value) in places {
            bytes[at] = value;
        }
        bytes.truncate(bytes.len() - cut);
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("x.wav");
        std::fs::write(&path, &bytes).unwrap();
        if let Ok(recording) = swiftloop_files::Recording::open(&path) {
            let frames = swiftloop_measure::listen::AudioSource::frames(&recording);
            prop_assert!(frames > 0 && frames <= bytes.len() as u64);
            let _ = recording.whole();
        }
    }
}
