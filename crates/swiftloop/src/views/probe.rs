//! What the probe says: the answer first, then what to know about it, then the next step.

use super::{BAD, FAINT, GOOD, STRONG, UNSURE, heading, lines, right, styled, table, wrapped};
use serde_json::{Value, json};
use std::path::Path;
use swiftloop_core::listen::Programme;
use swiftloop_core::probe::{ChannelReading, Onsets, Polarity, Reading, Recipe, Residual};
use swiftloop_core::units::{Frames, Hz};
use swiftloop_files::{Depth, Recording};

/// After `probe make`.
pub fn made(path: &Path, recipe: &Recipe, depth: Depth, tone: Option<u32>) -> String {
    let file = path.display();
    let (rate, channels, level) = (recipe.rate, recipe.channels, recipe.level_db);
    let plural = if channels == 1 { "" } else { "s" };
    let depth = depth.word();
    let Some(seconds) = tone else {
        let seconds = recipe.length() as f64 / f64::from(rate.0);
        return format!(
            "Written: {file}, {seconds:.1} s, {rate} Hz, {channels} channel{plural}, {depth}, peaks at {level} dBFS\n\n\
             Next:\n  1. Patch an output into an input; switch direct monitoring and processing off; turn the speakers down.\n  \
             2. Start recording and playing at the same moment, from zero: the probe on a track, the input on another.\n  \
             3. Save what was recorded as WAV, from the same zero:  swiftloop probe read RECORDING.wav\n"
        );
    };
    format!(
        "Written: {file}, {seconds} s of a tone that never repeats, {rate} Hz, {channels} channel{plural}, {depth}\n\n\
         Next: play it through the loop, record it, then\n  swiftloop listen RECORDING.wav --against {file}\n"
    )
}

/// Decimals that the doubt leaves meaningful.
fn digits(half: f64) -> usize {
    ((1.0 - half.max(1e-4).log10()).floor().max(0.0) as usize).min(4)
}

/// A figure with `n` decimals, and no minus before a zero.
pub fn figure(x: f64, n: usize) -> String {
    let text = format!("{x:.n$}");
    match text.strip_prefix('-') {
        Some(rest) if rest.chars().all(|c| "0.".contains(c)) => rest.into(),
        _ => text,
    }
}

fn half(c: &ChannelReading) -> f64 {
    c.latency.spread().0 / 2.0
}

/// `412.25 ± 0.02`
fn with_doubt(c: &ChannelReading) -> String {
    let n = digits(half(c));
    format!("{} ± {:.n$}", figure(c.latency.typical().0, n), half(c))
}

/// After `probe read`.
pub fn read(path: &Path, recording: &Recording, reading: &Reading, residual: Option<Residual>) -> String {
    let rate = recording.rate();
    let mut text = heading(&format!("{}: what came back of the probe", path.display()));
    for c in &reading.channels {
        let lead = if reading.channels.len() > 1 {
            format!("Channel {}: round", c.channel + 1)
        } else {
            "Round".into()
        };
        let answer =
            format!("{lead} trip {} frames, {} ms", with_doubt(c), figure(c.latency.typical().at(rate).0, 3));
        text.push_str(&format!("{} at {rate} Hz.\n", styled(STRONG, answer)));
    }
    if reading.channels.iter().any(|c| c.latency.typical().at(rate).0 > 1000.0) {
        text.push_str(&wrapped(
            "  ",
            "Over a second: did recording and playing really start at the same moment?",
        ));
    }
    let mut t = table(&[
        " channel",
        "hears output",
        "gain",
        "polarity",
        "above noise",
        "drift",
        "jitter, frames",
        "bursts",
    ]);
    for c in &reading.channels {
        t.add_row(vec![
            format!(" {}", c.channel + 1),
            (c.source + 1).to_string(),
            format!("{} dB", figure(c.gain.0, 1)),
            polarity(c.polarity).into(),
            format!("{:.0} dB", c.snr.0),
            if c.drifts {
                format!("{:+.2} ppm", c.drift.0)
            } else {
                format!("0 ± {:.2} ppm", c.drift_doubt.0)
            },
            format!("{:.4}", c.jitter.0),
            format!("{} of {}", c.bursts.len(), reading.recipe.bursts),
        ]);
    }
    right(&mut t, &[1, 2, 4]);
    text.push('\n');
    text.push_str(&lines(&t));
    let notes = notes(reading, rate);
    if !notes.is_empty() {
        text.push('\n');
    }
    for (bad, note) in notes {
        text.push_str(&wrapped(&format!("  {} ", styled(if bad { BAD } else { UNSURE }, "!")), &note));
    }
    if let Some(note) = &recording.note {
        text.push_str(&wrapped("  ! ", note));
    }
    if !reading.silent.is_empty() {
        let silent: Vec<String> = reading.silent.iter().map(|c| (c + 1).to_string()).collect();
        text.push_str(&wrapped("  ", &format!("No probe on channel {}.", silent.join(", "))));
    }
    if let Some(residual) = residual {
        text.push('\n');
        text.push_str(&residual_words(residual, rate));
    }
    text.push_str(&format!(
        "\nNext: the same at two or three more buffers, then\n  swiftloop probe fit 64=… 128=… 256=… \
         {}\n",
        styled(FAINT, "(--save rig.toml --interface … --driver …)")
    ));
    text
}

fn polarity(p: Polarity) -> &'static str {
    match p {
        Polarity::Normal => "normal",
        Polarity::Inverted => "inverted",
    }
}

fn seconds(frame: u64, rate: Hz) -> f64 {
    frame as f64 / f64::from(rate.0)
}

/// What an engineer should know, and whether it is bad.
fn notes(reading: &Reading, rate: Hz) -> Vec<(bool, String)> {
    let mut all = Vec::new();
    for c in &reading.channels {
        let on =
            if reading.channels.len() > 1 { format!("channel {}: ", c.channel + 1) } else { String::new() };
        if c.drifts {
            let (word, every) = (
                if c.drift.0 > 0.0 { "faster" } else { "slower" },
                1e6 / c.drift.0.abs() / f64::from(rate.0),
            );
            all.push((true, format!(
                "{on}two clocks: the one that records runs {:.2} ppm {word} than the one that plays, a frame every {every:.1} s. \
                 No buffer cures that: lock them (word clock), or use one interface for both. The round trip above is that of the beginning.",
                c.drift.0.abs()
            )));
        }
        for s in &c.slips {
            let what = if s.shift_frames < 0 { "lost" } else { "put in" };
            let n = s.shift_frames.unsigned_abs();
            let frames = if n == 1 { "frame" } else { "frames" };
            all.push((true, format!(
                "{on}{n} {frames} {what} about {:.2} s into the recording (frame {} ± {}): the driver was late there; try a larger buffer.",
                seconds(s.frame, rate), s.frame, s.give_or_take
            )));
        }
        if let Some(e) = c.echo {
            all.push((false, format!(
                "{on}a second arrival {:.1} frames ({:.2} ms) after the first, {:.1} dB beside it: a reflection, or the same signal by a second way (direct monitoring, a send). The round trip is that of the first.",
                e.later.0, e.later.at(rate).0, 20.0 * e.ratio.abs().log10()
            )));
        }
        if c.polarity == Polarity::Inverted {
            all.push((false, format!("{on}upside down: a cable or an input turns the polarity.")));
        }
        if !c.missing.is_empty() {
            let list: Vec<String> = c.missing.iter().map(|b| (b + 1).to_string()).collect();
            all.push((
                false,
                format!("{on}bursts that are not whole: {}; the others were read.", list.join(", ")),
            ));
        }
    }
    all
}

fn residual_words(residual: Residual, rate: Hz) -> String {
    let frames = residual.0;
    if residual.nothing() {
        let line = format!(
            "Overdubs line up: {:+.2} frames are left after compensation, nothing to enter.",
            frames.0
        );
        return wrapped("", &styled(GOOD, line));
    }
    let word = if residual.late() { "late" } else { "early" };
    let line = format!(
        "Overdubs land {:.2} frames ({:.3} ms) {word} after the reported latency was taken off. Enter {} frames as the \
         recording offset ({} where the software counts a positive offset as earlier), then record the probe once more to see zero.",
        frames.0.abs(),
        frames.at(rate).0.abs(),
        residual.offset_to_enter(),
        -residual.offset_to_enter()
    );
    wrapped("", &line)
}

/// `probe read --json`
pub fn json(reading: &Reading, residual: Option<Residual>) -> Value {
    let rate = reading.recipe.rate;
    let channel = |c: &ChannelReading| {
        json!({
            "channel": c.channel + 1,
            "source_channel": c.source + 1,
            "latency_frames": c.latency.typical().0,
            "latency_ms": c.latency.typical().at(rate).0,
            "low_frames": c.latency.low().0,
            "high_frames": c.latency.high().0,
            "gain_db": c.gain.0,
            "polarity": polarity(c.polarity),
            "snr_db": c.snr.0,
            "drift_ppm": c.drift.0,
            "drift_doubt_ppm": c.drift_doubt.0,
            "drifts": c.drifts,
            "jitter_frames": c.jitter.0,
            "bursts": c.bursts.iter().map(|b| json!({"start_frame": b.start.0, "latency_frames": b.latency.0})).collect::<Vec<_>>(),
            "missing_bursts": c.missing.iter().map(|b| b + 1).collect::<Vec<_>>(),
            "slips": c.slips.iter().map(|s| json!({
                "frame": s.frame, "give_or_take_frames": s.give_or_take, "shift_frames": s.shift_frames,
            })).collect::<Vec<_>>(),
            "echo": c.echo.map(|e| json!({"later_frames": e.later.0, "ratio": e.ratio})),
        })
    };
    json!({
        "format": "swiftloop.probe-read/1",
        "sample_rate_hz": rate,
        "probe": {
            "channels": reading.recipe.channels, "bursts": reading.recipe.bursts, "level_db": reading.recipe.level_db,
        },
        "channels": reading.channels.iter().map(channel).collect::<Vec<_>>(),
        "silent_channels": reading.silent.iter().map(|c| c + 1).collect::<Vec<_>>(),
        "residual_frames": residual.map(|r| r.0.0),
        "offset_to_enter_frames": residual.map(Residual::offset_to_enter),
    })
}

/// `probe read --onset`
pub fn onset(found: &Onsets, rate: Hz) -> String {
    let ms = |f: Frames| f.at(rate).0;
    let mut text = heading("From the act to the sound");
    let answer = format!("{:.2} ms from the act to the sound", ms(found.median));
    text.push_str(&format!(
        "{} (median of {} events; they spread over {:.2} ms).\n\n",
        styled(STRONG, answer),
        found.events.len(),
        ms(found.spread)
    ));
    let mut t = table(&[" at", "delay", "frames"]);
    for e in &found.events {
        t.add_row(vec![
            format!(" {:.3} s", ms(e.act) / 1000.0),
            format!("{:.2} ms", ms(e.delay)),
            format!("{:.0}", e.delay.0),
        ]);
    }
    right(&mut t, &[0, 1, 2]);
    text.push_str(&lines(&t));
    if found.unanswered > 0 {
        text.push_str(&wrapped(
            "  ! ",
            &format!("{} acts were followed by no sound within half a second.", found.unanswered),
        ));
    }
    text.push_str(&wrapped("  ", "The spread tells whether events wait for the next block (up to a block) or carry a time stamp (next to none)."));
    text
}

/// `probe read --onset --json`
pub fn onset_json(found: &Onsets, rate: Hz) -> Value {
    json!({
        "format": "swiftloop.probe-onset/1",
        "sample_rate_hz": rate,
        "median_frames": found.median.0,
        "median_ms": found.median.at(rate).0,
        "spread_frames": found.spread.0,
        "unanswered": found.unanswered,
        "events": found.events.iter().map(|e| json!({"act_frame": e.act.0, "delay_frames": e.delay.0, "delay_ms": e.delay.at(rate).0})).collect::<Vec<_>>(),
    })
}
