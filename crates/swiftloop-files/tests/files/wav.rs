//! Recordings in every form that is read: what comes out is what was put in, wherever one looks and however much at a time.

use proptest::prelude::*;
use std::path::{Path, PathBuf};
use swiftloop_files::{Depth, Recording, wav_bytes};
use swiftloop_measure::listen::AudioSource;
use swiftloop_units::Hz;

const RATE: Hz = Hz::new(48_000);

fn write(folder: &Path, bytes: &[u8]) -> PathBuf {
    let path = folder.join("take.wav");
    std::fs::write(&path, bytes).unwrap();
    path
}

fn noise(channels: usize, frames: usize, seed: u64) -> Vec<Vec<f32>> {
    let mut state = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1;
    let mut sample = || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        ((state >> 40) as f32 / 8_388_608.0 - 1.0) * 0.999
    };
    (0..channels).map(|_| (0..frames).map(|_| sample()).collect()).collect()
}

fn chunk(name: &[u8; 4], content: &[u8]) -> Vec<u8> {
    let mut all = name.to_vec();
    all.extend((content.len() as u32).to_le_bytes());
    all.extend(content);
    all.extend(std::iter::repeat_n(0, content.len() % 2));
    all
}

/// A file put together by hand: integers of so many bits in containers of so many bytes, with the extended header.
fn by_hand(bits: u16, container: usize, channels: &[Vec<i32>], before: &[Vec<u8>]) -> Vec<u8> {
    let block = (container * channels.len()) as u16;
    let mut format = Vec::new();
    format.extend(0xfffeu16.to_le_bytes());
    format.extend((channels.len() as u16).to_le_bytes());
    format.extend(RATE.get().to_le_bytes());
    format.extend((RATE.get() * u32::from(block)).to_le_bytes());
    format.extend(block.to_le_bytes());
    format.extend((8 * container as u16).to_le_bytes());
    format.extend(22u16.to_le_bytes());
    format.extend(bits.to_le_bytes());
    format.extend(0u32.to_le_bytes());
    format.extend([1, 0, 0, 0, 0, 0, 16, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71]);
    let mut data = Vec::new();
    for n in 0..channels[0].len() {
        for channel in channels {
            data.extend(&channel[n].to_le_bytes()[..container]);
        }
    }
    let mut body = b"WAVE".to_vec();
    before.iter().for_each(|c| body.extend(c));
    body.extend(chunk(b"fmt ", &format));
    body.extend(chunk(b"data", &data));
    chunk(b"RIFF", &body)
}

fn depths() -> impl Strategy<Value = Depth> {
    prop_oneof![Just(Depth::Int16), Just(Depth::Int24), Just(Depth::Int32), Just(Depth::Float32)]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn any_stretch_is_a_piece_of_the_whole(
        depth in depths(), channels in 1usize..7, frames in 1usize..40_000, seed in 1u64..1000, cut in (0.0f64..1.0, 0.0f64..1.0)
    ) {
        let folder = tempfile::tempdir().unwrap();
        let put_in = noise(channels, frames, seed);
        let recording =
            Recording::open(&write(folder.path(), &wav_bytes(&put_in, RATE, depth).unwrap())).unwrap();
        prop_assert_eq!((recording.channels(), recording.frames(), recording.rate()), (channels, frames as u64, RATE));
        let whole = recording.whole().unwrap();
        // Rounding to the depth is all that may happen.
        for (a, b) in whole.iter().flatten().zip(put_in.iter().flatten()) {
            prop_assert!((a - b).abs() <= 0.51 * recording.step(), "{} {}", a, b);
        }
        let at = |share: f64| (share * frames as f64) as usize;
        let (from, to) = (at(cut.0.min(cut.1)), at(cut.0.max(cut.1)));
        // Into vectors that held something else.
        let mut into = vec![vec![7.0; 3]; 9];
        recording.fetch_into(from as u64, to as u64, 0..recording.channels(), &mut into).unwrap();
        prop_assert_eq!(into.len(), channels);
        for (piece, channel) in into.iter().zip(&whole) {
            prop_assert_eq!(piece.as_slice(), &channel[from..to]);
        }
    }

    #[test]
    fn wide_containers_and_other_chunks_change_nothing(
        channels in 1usize..4, container in 3usize..5, values in prop::collection::vec(-8_388_608i32..8_388_608, 4..200), odd in 0usize..9
    ) {
        let folder = tempfile::tempdir().unwrap();
        let frames = values.len() / channels.min(values.len());
        let each: Vec<Vec<i32>> = (0..channels).map(|c| values[c * frames..(c + 1) * frames].to_vec()).collect();
        let before = [chunk(b"bext", &vec![1; 300]), chunk(b"junk", &vec![2; odd])];
        let recording = Recording::open(&write(folder.path(), &by_hand(24, container, &each, &before))).unwrap();
        prop_assert_eq!(recording.depth(), Depth::Int24);
        for (got, want) in recording.whole().unwrap().iter().flatten().zip(each.iter().flatten()) {
            prop_assert_eq!(*got, *want as f32 / 8_388_608.0);
        }
    }
}

#[test]
fn the_ends_of_the_scale_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    let each = vec![vec![-8_388_608, 8_388_607, 0, -1, 1], vec![1, -1, 0, 8_388_607, -8_388_608]];
    for container in [3, 4] {
        let recording = Recording::open(&write(folder.path(), &by_hand(24, container, &each, &[]))).unwrap();
        let whole = recording.whole().unwrap();
        assert_eq!(whole[0], [-1.0, 8_388_607.0 / 8_388_608.0, 0.0, -recording.step(), recording.step()]);
        assert!(whole[1].iter().rev().eq(&whole[0]), "{whole:?}");
    }
}

#[test]
fn what_is_no_number_is_refused_with_its_place() {
    let folder = tempfile::tempdir().unwrap();
    for bad in [f32::NAN, f32::INFINITY, f32::NEG_INFINITY] {
        let mut take = noise(2, 30_000, 3);
        take[1][20_000] = bad;
        let path = write(folder.path(), &wav_bytes(&take, RATE, Depth::Float32).unwrap());
        let recording = Recording::open(&path).unwrap();
        assert!(recording.fetch(0, 20_000).is_ok() && recording.fetch(20_001, 30_000).is_ok());
        let said = format!("{:?}", recording.whole().unwrap_err());
        assert!(said.contains("frame 20000 of channel 2"), "{said}");
    }
}

#[test]
fn a_file_that_shrinks_while_it_is_read_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = write(folder.path(), &wav_bytes(&noise(2, 50_000, 5), RATE, Depth::Int24).unwrap());
    let recording = Recording::open(&path).unwrap();
    std::fs::OpenOptions::new().write(true).open(&path).unwrap().set_len(100_000).unwrap();
    assert!(recording.fetch(0, 10_000).is_ok());
    let said = format!("{:?}", recording.whole().unwrap_err());
    assert!(said.contains("frames 0 to 50000"), "{said}");
}

#[test]
fn a_header_without_samples_is_refused_however_many_chunks_it_has() {
    let folder = tempfile::tempdir().unwrap();
    for chunks in [0, 3, 20_000] {
        let mut bytes = b"RIFF\0\0\0\0WAVE".to_vec();
        bytes.extend(std::iter::repeat_n(0, 8 * chunks));
        let said = format!("{:?}", Recording::open(&write(folder.path(), &bytes)).unwrap_err());
        assert!(said.contains("ends within its header"), "{said}");
    }
    // Samples that come after more chunks than anybody writes are not looked for.
    let many: Vec<Vec<u8>> = (0..20_000).map(|_| chunk(b"junk", b"")).collect();
    assert!(Recording::open(&write(folder.path(), &by_hand(24, 3, &[vec![1, 2, 3]], &many))).is_err());
    assert!(Recording::open(&write(folder.path(), &by_hand(24, 3, &[vec![1, 2, 3]], &many[..99]))).is_ok());
}
