//! What was heard, for programs.

use super::Listened;
use serde_json::{Value, json as object};
use swiftloop_measure::listen::{AudioSource, Crackle};
use swiftloop_units::Decibels;

pub fn json(heard: &Listened<'_>) -> Value {
    let a = heard.attribution();
    let event = |e: &Crackle| {
        object!({
            "start_frame": e.start,
            "length_frames": e.length,
            "kind": e.kind.as_str(),
            "channels": e.channels.iter().map(|c| c + 1).collect::<Vec<_>>(),
            "shift_frames": e.shift,
            "confidence": e.confidence,
        })
    };
    object!({
        "format": "swiftloop.listen/3",
        "duration_s": heard.recording.seconds(),
        "sample_rate_hz": heard.recording.rate(),
        "channels": heard.recording.channels(),
        "events": heard.events().iter().map(event).collect::<Vec<_>>(),
        "per_minute": heard.per_minute(),
        "attribution": {
            "cause": a.cause.as_str(),
            "block_frames": a.block,
            "channel": a.channel.map(|c| c + 1),
            "drift_ppm": a.drift,
            "interval_frames": a.interval,
            "confidence": a.confidence,
        },
        "against": heard.comparison.map(|c| object!({
            "delay_frames": c.delay, "gain_db": c.gain, "noise_db": c.noise,
        })),
        "blocks_here": heard.here,
        "levels": heard.scan.levels.iter().map(|l| object!({
            "dc_offset": l.dc_offset,
            "peak_db": Decibels::of_amplitude(l.peak),
            "true_peak_db": Decibels::of_amplitude(l.true_peak),
            "full_scale_samples": l.full_scale,
            "at_peak_samples": l.at_peak,
            "held_below_full_scale": l.held_below_full_scale(),
        })).collect::<Vec<_>>(),
        "note": heard.recording.note,
    })
}
