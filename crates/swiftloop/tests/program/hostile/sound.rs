//! Recordings that nobody made: a thousand channels, samples at the edge of what a float holds, hours of nothing.

use super::laws;
use crate::common::Folder;
use std::io::Write;

/// A WAV file of `channels` at 48 kHz whose samples are bytes as they come.
fn wav(folder: &Folder, name: &str, (tag, bits, channels): (u16, u16, u16), data: &[u8], length: u32) {
    let block = u32::from(channels) * u32::from(bits / 8);
    let mut file = std::fs::File::create(folder.path(name)).unwrap();
    let mut head = Vec::new();
    head.extend(b"RIFF");
    head.extend(length.saturating_add(36).to_le_bytes());
    head.extend(b"WAVEfmt ");
    head.extend(16u32.to_le_bytes());
    head.extend(tag.to_le_bytes());
    head.extend(channels.to_le_bytes());
    head.extend(48_000u32.to_le_bytes());
    head.extend((48_000 * block).to_le_bytes());
    head.extend((block as u16).to_le_bytes());
    head.extend(bits.to_le_bytes());
    head.extend(b"data");
    head.extend(length.to_le_bytes());
    file.write_all(&head).unwrap();
    file.write_all(data).unwrap();
}

/// Runs with so much address space at the most, in kilobytes.
#[cfg(target_os = "linux")]
fn run_within(folder: &Folder, kilobytes: u32, args: &[&str]) -> (Option<i32>, String) {
    let program = assert_cmd::cargo::cargo_bin("swiftloop");
    let script = format!("ulimit -v {kilobytes}; exec \"$@\"");
    let out = std::process::Command::new("sh")
        .args(["-c", &script, "sh", program.to_str().unwrap()])
        .args(args)
        .current_dir(folder.root())
        .output()
        .unwrap();
    let said = [out.stdout, out.stderr].concat();
    (out.status.code(), String::from_utf8_lossy(&said).into_owned())
}

/// Noise that is the same on no two channels and never repeats, with a gap in the middle of all of them.
fn many(channels: usize, frames: usize, gap: std::ops::Range<usize>) -> Vec<u8> {
    let mut state = 1u32;
    let mut data = Vec::with_capacity(channels * frames * 2);
    for n in 0..frames {
        for _ in 0..channels {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let sample = if gap.contains(&n) { 0 } else { (state >> 18) as i16 };
            data.extend(sample.to_le_bytes());
        }
    }
    data
}

#[cfg(target_os = "linux")]
#[test]
fn a_thousand_channels_take_no_more_memory_than_a_few() {
    let folder = Folder::empty();
    let (channels, frames) = (1000, 24_000);
    for (name, gap) in [("played.wav", 0..0), ("recorded.wav", 12_000..12_256)] {
        let data = many(channels, frames, gap);
        wav(&folder, name, (1, 16, channels as u16), &data, data.len() as u32);
    }
    // Twice what two channels need, threads and all.
    let limit = 600_000;
    let (code, said) =
        run_within(&folder, limit, &["listen", "recorded.wav", "--against", "played.wav", "--json"]);
    assert_eq!(code, Some(1), "{said}");
    let found: serde_json::Value = serde_json::from_str(&said).unwrap();
    let event = &found["events"][0];
    assert_eq!(
        (event["kind"].as_str(), event["start_frame"].as_u64()),
        (Some("gap"), Some(12_000)),
        "{}",
        &said[..600]
    );
    assert_eq!(event["channels"].as_array().map(Vec::len), Some(channels));
    let (code, said) = run_within(&folder, limit, &["listen", "recorded.wav"]);
    assert!(code.is_some_and(|c| c <= 1), "{said}");
}

#[test]
fn samples_that_no_one_recorded_are_refused_with_their_place() {
    let folder = Folder::empty();
    let floats = |strange: f32| -> Vec<u8> {
        let sound = (0..400_000).map(|n| if n == 15_001 { strange } else { (n as f32 * 0.05).sin() * 0.3 });
        sound.flat_map(f32::to_le_bytes).collect()
    };
    for (strange, words) in [
        (f32::MAX, "771 dB above full scale"),
        (-3.0e38, "above full scale"),
        (f32::NAN, "is no number"),
        (f32::INFINITY, "is no number"),
    ] {
        let data = floats(strange);
        wav(&folder, "strange.wav", (3, 32, 2), &data, data.len() as u32);
        for args in [
            &["listen", "strange.wav"][..],
            &["listen", "strange.wav", "--against", "strange.wav"],
            &["probe", "read", "strange.wav", "--json"],
        ] {
            let answer = folder.run(args);
            laws::hold(&answer, words);
            assert_eq!(answer.code, 2, "{args:?}");
            let said = answer.err.split_whitespace().collect::<Vec<_>>().join(" ");
            assert!(said.contains(words) && said.contains("frame 7500 of channel 2"), "{said}");
        }
    }
    // Where whole numbers of 32 bits were written as floats it is only loud.
    let data = floats(2.0e9);
    wav(&folder, "loud.wav", (3, 32, 2), &data, data.len() as u32);
    for args in [&["listen", "loud.wav", "--json"][..], &["listen", "loud.wav"]] {
        laws::hold(&folder.run(args), "loud");
    }
}

/// Ten gigabytes that are not there: as much of it is read as the header can say, and no more.
#[test]
fn a_file_of_nothing_is_no_longer_than_its_header_says() {
    let folder = Folder::empty();
    wav(&folder, "nothing.wav", (1, 16, 2), &[], 4_000_000);
    std::fs::OpenOptions::new()
        .write(true)
        .open(folder.path("nothing.wav"))
        .unwrap()
        .set_len(10_000_000_000)
        .unwrap();
    let answer = folder.run(&["listen", "nothing.wav", "--json"]);
    laws::hold(&answer, "nothing");
    let said: serde_json::Value = serde_json::from_str(&answer.out).unwrap();
    assert_eq!(said["duration_s"].as_f64().map(|s| (s * 48_000.0).round()), Some(1e6), "{}", answer.out);
}

/// Half an hour of eight channels is 2.8 GB of samples; what is held is one channel's worth of a probe for each core.
#[cfg(target_os = "linux")]
#[test]
fn a_probe_in_a_long_recording_takes_no_more_memory_than_a_short_one() {
    use std::io::{Read, Seek, SeekFrom};
    let folder = Folder::empty();
    let made = folder.run(&["probe", "make", "--out", "probe.wav", "--depth", "16"]);
    assert_eq!(made.code, 0, "{}", made.err);
    let mut played = Vec::new();
    std::fs::File::open(folder.path("probe.wav")).unwrap().read_to_end(&mut played).unwrap();
    let played = &played[44..];
    let (channels, frames, late) = (8u16, 1800 * 48_000u32, 321);
    wav(&folder, "long.wav", (1, 16, channels), &[], frames * 16);
    let mut file = std::fs::OpenOptions::new().write(true).open(folder.path("long.wav")).unwrap();
    file.set_len(44 + u64::from(frames) * 16).unwrap();
    // On the third channel, a little late; all the rest is a hole.
    let mut all = vec![0u8; (played.len() / 2 + late) * 16];
    for (n, sample) in played.chunks(2).enumerate() {
        all[(n + late) * 16 + 4..][..2].copy_from_slice(sample);
    }
    file.seek(SeekFrom::Start(44)).unwrap();
    file.write_all(&all).unwrap();
    drop(file);
    let (code, said) =
        run_within(&folder, 1_200_000, &["probe", "read", "long.wav", "--probe", "probe.wav", "--json"]);
    assert_eq!(code, Some(0), "{said}");
    let found: serde_json::Value = serde_json::from_str(&said).unwrap();
    let read = found["channels"].as_array().and_then(|all| all.first()).cloned().unwrap_or_default();
    assert_eq!(read["channel"].as_u64(), Some(3), "{said}");
    let latency = read["latency_frames"].as_f64().unwrap_or(f64::NAN);
    assert!((latency - late as f64).abs() < 0.01, "{latency}: {said}");
}
