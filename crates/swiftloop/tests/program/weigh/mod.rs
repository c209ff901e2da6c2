//! `weigh`: processors that are known to the frame, and those that fail in every way there is. They lie in a library that is
//! an example of this workspace, which `cargo test --workspace` builds.
#![cfg(target_os = "linux")]

mod apart;
mod kept;
mod real;

use crate::common::Folder;
use serde_json::Value;
use std::path::{Path, PathBuf};

pub fn library() -> PathBuf {
    let program = assert_cmd::cargo::cargo_bin("swiftloop");
    program.with_file_name("examples").join("libfaulty_plugin.so")
}

fn weighed(id: &str, rates: &str) -> Value {
    weighed_of(&library(), id, rates)
}

fn weighed_of(library: &Path, id: &str, rates: &str) -> Value {
    let folder = Folder::empty();
    let library = library.to_str().expect("a path");
    assert!(Path::new(library).exists(), "{library} is built by cargo test --workspace");
    let floor = std::env::temp_dir().join("swiftloop-test-yardsticks.json").display().to_string();
    let args = [
        "weigh",
        library,
        "--label",
        id,
        "--rates",
        rates,
        "--blocks",
        "32,128,512",
        "--floor",
        &floor,
        "--catalogue",
        "processors.toml",
        "--json",
    ];
    let answer = folder.run(&args);
    assert!((0..=1).contains(&answer.code), "{id}: {} {}", answer.code, answer.err);
    assert_eq!(folder.files(), ["processors.toml"]);
    let value: Value = serde_json::from_str(&answer.out).expect("one JSON object");
    let one = value["processors"][0].clone();
    assert_eq!(answer.code, i32::from(one["status"] != "weighed"), "{one}");
    one
}

#[test]
fn delays_are_told_to_the_hundredth_of_a_frame_whatever_is_reported() {
    for (id, truth, reported) in [
        ("plain", 0.0, 0.0),
        ("delay-240", 240.0, 240.0),
        ("lies-512", 512.0, 0.0),
        ("delay-10.5", 10.5, 0.0),
    ] {
        let one = weighed(id, "48000,96000");
        for at in one["by_rate"].as_array().expect("a list") {
            let delay = &at["delay"];
            let measured = delay["measured_frames"].as_f64().unwrap_or(f64::NAN);
            assert!((measured - truth).abs() < 0.01, "{id}: {delay}");
            assert_eq!(
                (delay["reported_frames"].as_f64(), delay["readable"].as_bool()),
                (Some(reported), Some(true)),
                "{id}"
            );
        }
    }
}

#[test]
fn blocks_of_their_own_are_told_to_the_frame() {
    for (id, own) in [("burst-1024", Some(1024)), ("burst-480", Some(480)), ("plain", None), ("work", None)] {
        let one = weighed(id, "48000");
        assert_eq!(one["burst"]["frames"].as_u64(), own, "{one}");
    }
}

#[test]
fn silence_that_costs_less_is_told() {
    let one = weighed("quiet", "48000");
    let (loud, silent) = (&one["per_frame_ns"]["typical"], &one["quiet_per_frame_ns"]["typical"]);
    assert!(loud.as_f64() > silent.as_f64().map(|s| 2.0 * s), "{one}");
}

/// The same library under the name of the other standard.
fn clap_library(folder: &Folder) -> PathBuf {
    let path = folder.path("faulty.clap");
    std::fs::copy(library(), &path).expect("copied");
    path
}

#[test]
fn a_second_standard_tells_delays_versions_and_refusals() {
    let folder = Folder::empty();
    let library = clap_library(&folder);
    let late = weighed_of(&library, "made-up.late", "48000");
    let delay = &late["delay"];
    assert!((delay["measured_frames"].as_f64().unwrap_or(f64::NAN) - 100.0).abs() < 0.01, "{delay}");
    assert_eq!((delay["reported_frames"].as_f64(), late["version"].as_str()), (Some(100.0), Some("1.2")));
    assert_eq!(late["channels"], serde_json::json!({ "inputs": 2, "outputs": 2 }));
    // Late by a block, whatever the block.
    let block = weighed_of(&library, "made-up.one-block", "48000");
    let by_block = block["delay"]["by_block"].as_array().expect("a list").clone();
    assert_eq!(by_block.len(), 3, "{block}");
    for at in by_block {
        let (block, frames) = (at["block"].as_f64(), at["frames"].as_f64());
        assert!(block.zip(frames).is_some_and(|(b, f)| (b - f).abs() < 0.01), "{at}");
    }
    for (id, status) in [("made-up.refuses", "refused"), ("made-up.fails", "not-a-number")] {
        assert_eq!(weighed_of(&library, id, "48000")["status"], status, "{id}");
    }
}

#[test]
fn what_is_played_tells_the_cost_of_its_voices() {
    let folder = Folder::empty();
    let one = weighed_of(&clap_library(&folder), "made-up.voices", "48000");
    let voices = &one["by_rate"][0]["voices"];
    let of = |key: &str| voices[key].as_f64().unwrap_or(f64::NAN);
    assert_eq!(voices["held"], 8, "{voices}");
    assert!(of("base_per_frame_ns") >= 0.0 && of("per_voice_per_frame_ns") > 0.0, "{voices}");
    // What takes sound in is not played.
    let late = weighed_of(&clap_library(&folder), "made-up.late", "48000");
    assert_eq!(late["by_rate"][0]["voices"], serde_json::Value::Null);
}

#[test]
#[ignore = "times real work"]
fn voices_have_a_base_a_price_and_a_limit() {
    let folder = Folder::empty();
    let one = weighed_of(&clap_library(&folder), "made-up.voices", "48000");
    let voices = &one["by_rate"][0]["voices"];
    let of = |key: &str| voices[key].as_f64().unwrap_or(f64::NAN);
    // Twenty steps of work a frame without a voice, ten for each.
    let ratio = of("base_per_frame_ns") / of("per_voice_per_frame_ns");
    assert!(voices["limit"] == 16 && (ratio - 2.0).abs() < 0.7, "{voices}");
}

#[test]
#[cfg(target_arch = "x86_64")]
fn what_small_numbers_cost_is_told() {
    let times = |id: &str| weighed(id, "48000")["by_rate"][0]["unflushed"].as_f64();
    assert!(times("denormal") > Some(2.0) && times("denormal") > times("plain"));
}

#[test]
fn every_way_to_fail_has_its_name_and_leaves_nothing_behind() {
    for (id, status) in [
        ("not-a-number", "not-a-number"),
        ("crash", "crashed"),
        ("late-crash", "crashed"),
        ("crash-at-once", "crashed"),
        ("abort", "crashed"),
        ("overflow", "crashed"),
        ("exit", "exited"),
        ("division", "crashed"),
        ("past-the-end", "crashed"),
        ("print", "weighed"),
        ("fork", "weighed"),
        ("leak", "out-of-memory"),
    ] {
        let one = weighed(id, "48000");
        assert_eq!(one["status"], status, "{id}: {one}");
        assert_eq!(one["why"].is_null(), status == "weighed", "{one}");
        assert_eq!(left_behind(&["weigh-inside", &format!(" {id} ")]), Vec::<String>::new());
    }
}

#[test]
fn who_goes_on_without_an_end_is_ended() {
    for id in ["hang", "hang-at-once"] {
        assert_eq!(weighed(id, "48000")["status"], "hung", "{id}");
        assert_eq!(left_behind(&["weigh-inside", &format!(" {id} ")]), Vec::<String>::new());
    }
}

/// Processes with these words in their command that still are.
fn left_behind(words: &[&str]) -> Vec<String> {
    let all = std::fs::read_dir("/proc").expect("a system that tells").flatten();
    let line = |entry: std::fs::DirEntry| {
        let id: u32 = entry.file_name().to_str()?.parse().ok()?;
        let said = std::fs::read(entry.path().join("cmdline")).ok()?;
        let said = String::from_utf8_lossy(&said).replace('\0', " ");
        words.iter().all(|w| said.contains(w)).then(|| format!("{id} {said}"))
    };
    all.filter_map(line).collect()
}

#[test]
fn what_is_no_library_is_told() {
    let folder = Folder::with_demo();
    folder.write("text.so", "hello");
    for name in ["plugin.lv2", "damaged.lv2", "outside.lv2"] {
        std::fs::create_dir(folder.path(name)).expect("made");
    }
    folder.write(
        "damaged.lv2/manifest.ttl",
        "@prefix : <http://lv2plug.in/ns/lv2core#> .\n<urn:x> a :Plugin ; :binary <x.so",
    );
    // A library outside of the bundle is not looked at.
    folder.write(
        "outside.lv2/manifest.ttl",
        "@prefix : <http://lv2plug.in/ns/lv2core#> .\n<urn:x> a :Plugin ; :binary <../text.so> .\n",
    );
    for (words, said) in [
        (&["weigh", "text.so"][..], "cannot be loaded"),
        (&["weigh", "plugin.lv2"], "no LV2 bundle"),
        (&["weigh", "damaged.lv2"], "damaged.lv2 cannot be weighed"),
        (&["weigh", "outside.lv2"], "no processor in it"),
        (&["weigh", "nothing.so"], "nothing.so"),
        (&["weigh", "/lib/x86_64-linux-gnu/libm.so.6"], "no LADSPA library"),
    ] {
        if words[1].starts_with('/') && !std::path::Path::new(words[1]).exists() {
            continue;
        }
        let answer = folder.run(words);
        assert!(answer.code == 2 && answer.err.contains(said), "{words:?}: {} {}", answer.code, answer.err);
    }
    let answer = folder.run(&["weigh", library().to_str().expect("a path"), "--id", "plan"]);
    assert!(answer.code == 2 && answer.err.contains("did you mean `plain`"), "{}", answer.err);
}
