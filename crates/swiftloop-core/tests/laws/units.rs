//! Units and ranges: they do not mix, they keep their order, they refuse what cannot be.

use proptest::prelude::*;
use serde::Deserialize;
use swiftloop_core::rig::{Buffers, Offered, nearest};
use swiftloop_units::{Block, Frames, Hz, Metres, Ms, Range, Share};

#[derive(Debug, Deserialize)]
struct Line {
    frames: Option<Frames>,
    rate: Option<Hz>,
    block: Option<Block>,
    share: Option<Share>,
    range: Option<Range<Ms>>,
}

fn read(text: &str) -> Result<Line, String> {
    toml::from_str(text).map_err(|e| e.message().to_string())
}

#[test]
fn good_figures_are_read() {
    let line =
        read("frames = 12.5\nrate = 48000\nblock = 64\nshare = 1\nrange = [1, 2.5, 4]").expect("all good");
    assert_eq!(line.frames, Some(Frames::new(12.5)));
    assert_eq!(line.rate, Some(Hz::new(48_000)));
    assert_eq!(line.block, Some(Block::new(64)));
    assert_eq!(line.share, Some(Share::new(1.0)));
    assert_eq!(line.range.map(Range::typical), Some(Ms::new(2.5)));
    assert_eq!(read("range = 3").expect("one number").range, Some(Range::exact(Ms::new(3.0))));
}

#[test]
fn what_cannot_be_is_refused_with_its_unit() {
    for (text, words) in [
        ("frames = -1", "frames"),
        ("frames = nan", "frames"),
        ("frames = inf", "frames"),
        ("frames = true", "frames"),
        ("rate = 0", "sample rate in hertz"),
        ("rate = -48000", "sample rate in hertz"),
        ("rate = 48000.5", "sample rate in hertz"),
        ("rate = 99999999999999", "sample rate in hertz"),
        ("block = 0", "block size in frames"),
        ("block = 70000", "block size in frames"),
        ("share = 1.01", "share from 0 to 1"),
        ("range = [3, 2, 4]", "rising order"),
        ("range = [1, 2]", "rising order"),
        ("range = [1, 2, 3, 4]", "rising order"),
        ("range = \"5\"", "three in rising order"),
    ] {
        let message = read(text).expect_err(text);
        assert!(message.contains(words), "{text}: {message}");
    }
}

proptest! {
    #[test]
    fn frames_and_milliseconds_are_each_others_inverse(frames in 0.0f64..1e6, rate in 8000u32..768_000) {
        let back = Frames::new(frames).at(Hz::new(rate)).frames_at(Hz::new(rate));
        prop_assert!((back.raw() - frames).abs() < 1e-6);
    }

    #[test]
    fn ranges_keep_their_order(a in 0.0f64..1e3, b in 0.0f64..1e3, c in 0.0f64..1e3, k in 0.0f64..10.0) {
        let r = Range::spanning(Ms::new(a), Ms::new(b), Ms::new(c));
        let other = Range::exact(Ms::new(k));
        for r in [r, r.plus(other), r.times(k), r.plus(r)] {
            prop_assert!(r.low() <= r.typical() && r.typical() <= r.high());
            prop_assert!((r.spread().raw() - (r.high().raw() - r.low().raw())).abs() < 1e-9);
        }
        prop_assert_eq!(Range::new(Ms::new(a), Ms::new(b), Ms::new(c)).is_some(), a <= b && b <= c);
        let metres: Range<Metres> = r.map(|m| Metres::new(m.raw() * 0.343));
        prop_assert!((metres.typical().raw() - r.typical().raw() * 0.343).abs() < 1e-9);
    }
}

fn offered(text: &str, rate: u32) -> Vec<Offered> {
    let buffers: Buffers = toml::from_str(text).expect(text);
    buffers.offered(Hz::new(rate))
}

fn sizes(text: &str, rate: u32) -> Vec<u32> {
    offered(text, rate).iter().map(|o| o.block.get()).collect()
}

#[test]
fn every_language_of_panels_comes_out_as_frames() {
    assert_eq!(sizes("frames = [256, 64, 128, 64]", 48_000), [64, 128, 256]);
    assert_eq!(sizes("powers = [30, 300]", 48_000), [32, 64, 128, 256]);
    assert_eq!(sizes("steps = { from = 96, to = 480, by = 96 }", 48_000), [96, 192, 288, 384, 480]);
    assert_eq!(sizes("ms = [3, 5, 10]", 44_100), [132, 221, 441]);
    let blocks = offered("blocks = { counts = [2, 3], frames = [64, 128] }", 48_000);
    assert_eq!(
        blocks.iter().map(Offered::label).collect::<Vec<_>>(),
        ["2 × 64", "3 × 64", "2 × 128", "3 × 128"]
    );
    assert!(blocks.iter().filter(|b| b.extra_blocks).all(|b| b.count == Some(3)));
    let speeds = offered("speeds = [\"brisk\", \"slow\"]", 48_000);
    assert!(speeds.iter().all(|s| s.doubt.low() < s.doubt.typical() && s.doubt.typical() < s.doubt.high()));
    assert_eq!(speeds[0].label(), "\"brisk\"");
}

#[test]
fn a_buffer_is_found_by_frames_by_name_and_by_count() {
    let find = |text: &str, wanted: &str| {
        let buffers: Buffers = toml::from_str(text).expect(text);
        buffers.find(Hz::new(48_000), wanted).map(|o| o.block.get())
    };
    assert_eq!(find("powers = [32, 2048]", "64"), Some(64));
    assert_eq!(find("powers = [32, 2048]", "65"), None);
    assert_eq!(find("powers = [32, 2048]", "many"), None);
    assert_eq!(find("speeds = [\"brisk\", \"slow\"]", "slow"), Some(128));
    assert_eq!(find("speeds = [\"brisk\", \"slow\"]", "128"), None);
    assert_eq!(find("blocks = { counts = [2, 3], frames = [64] }", "3 × 64"), Some(64));
    // A step that the thinned list leaves out is still offered.
    assert_eq!(find("steps = { from = 16, to = 2048, by = 1 }", "777"), Some(777));
    assert_eq!(find("steps = { from = 16, to = 2048, by = 16 }", "777"), None);
    assert!(sizes("steps = { from = 16, to = 2048, by = 1 }", 48_000).len() <= 24);
}

#[test]
fn the_nearest_word_is_named_only_when_it_is_near() {
    let known = ["buffer_frames", "rates_hz", "model"];
    assert_eq!(nearest("bufer_frames", &known), Some("buffer_frames"));
    assert_eq!(nearest("rate_hz", &known), Some("rates_hz"));
    assert_eq!(nearest("modle", &known), Some("model"));
    assert_eq!(nearest("zebra", &known), None);
    assert_eq!(nearest("", &known), None);
}
