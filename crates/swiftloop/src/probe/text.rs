//! What the probe says: the answer first, what to do about it, then what to know, then the next step.

use crate::shared::answer::{Detail, quoted};
use crate::shared::page::{
    Columns, Head, Style, TIED, answer, clean, command, heading, styled, title, wrapped,
};
use crate::shared::words::Explain;
use crate::shared::words::figures::decimals;
use crate::shared::words::warnings::capital;
use serde_json::{Value, json as object};
use std::path::Path;
use swiftloop_files::{Depth, Recording};
use swiftloop_measure::listen::AudioSource;
use swiftloop_measure::probe::{ChannelReading, Onsets, Polarity, ProbeReading, Recipe, Residual, Trouble};
use swiftloop_units::{Frames, Hz};

/// After `probe make`.
pub fn made(path: &Path, recipe: &Recipe, depth: Depth, tone: Option<u32>) -> String {
    let file = quoted(&path.display().to_string());
    let (rate, channels, level) = (recipe.rate, recipe.channels, recipe.level_db);
    let plural = if channels == 1 { "" } else { "s" };
    let depth = depth.as_str();
    let Some(seconds) = tone else {
        let seconds = recipe.length() as f64 / f64::from(rate.get());
        let mut text = wrapped(
            "",
            &format!(
                "Written: {file}, {seconds:.1} s, {rate} Hz, {channels} channel{plural}, {depth}, peaks at {level} dBFS."
            ),
        );
        text.push_str(&title("Next"));
        for (n, step) in [
            "Patch an output into an input; switch direct monitoring and plug-ins off; turn the speakers down.",
            "Put the file on a track at zero, arm another track for that input, record from zero.",
            "Save what was recorded as WAV from the same zero, and read it:",
        ]
        .iter()
        .enumerate()
        {
            text.push_str(&wrapped(&format!("  {}. ", n + 1), step));
        }
        text.push_str(&command("swiftloop probe read RECORDING.wav"));
        return text;
    };
    let mut text = wrapped(
        "",
        &format!(
            "Written: {file}, {seconds} s of a tone that never repeats, {rate} Hz, {channels} channel{plural}, {depth}."
        ),
    );
    text.push_str(&title("Next: play it through the loop, record it, then"));
    text.push_str(&command(&format!("swiftloop listen RECORDING.wav --against {file}")));
    text
}

/// Decimals that the doubt leaves meaningful.
fn digits(half: f64) -> usize {
    ((1.0 - half.max(1e-4).log10()).floor().max(0.0) as usize).min(4)
}

fn half(c: &ChannelReading) -> f64 {
    c.latency.spread().raw() / 2.0
}

/// `412.25 ± 0.02`
fn with_doubt(c: &ChannelReading) -> String {
    let n = digits(half(c));
    format!("{}{TIED}±{TIED}{:.n$}", decimals(c.latency.typical().raw(), n), half(c))
}

/// The answer, a line for each channel.
pub fn lead(reading: &ProbeReading, rate: Hz) -> Vec<String> {
    let many = reading.channels.len() > 1;
    let of = |c: &ChannelReading| {
        let lead = if many { format!("Channel {}: the", c.channel + 1) } else { "The".into() };
        format!(
            "{lead} loop takes {} frames, {}{TIED}ms at {rate}{TIED}Hz.",
            with_doubt(c),
            decimals(c.latency.typical().at(rate).raw(), 3)
        )
    };
    reading.channels.iter().map(of).collect()
}

/// After `probe read`.
pub fn read(
    path: &Path,
    recording: &Recording,
    reading: &ProbeReading,
    (residual, trouble): (Option<Residual>, Option<Trouble>),
    detail: Detail,
) -> String {
    let rate = recording.rate();
    let mut text = heading(&format!("{}: what came back of the probe", clean(&path.display().to_string())));
    if let Some(trouble) = trouble {
        text.push_str(&answer(&styled(Style::Bad, format!("{}.", capital(&trouble.what())))));
    }
    for line in lead(reading, rate) {
        text.push_str(&if trouble.is_none() { answer(&line) } else { wrapped("", &line) });
    }
    if reading.channels.iter().any(|c| c.latency.typical().at(rate).raw() > 1000.0) {
        text.push_str(&wrapped(
            "  ",
            "Over a second: did recording and playing really start at the same moment?",
        ));
    }
    if let Some(residual) = residual {
        text.push_str(&residual_words(residual, rate));
    }
    for (bad, note) in notes(reading, rate) {
        let mark = styled(if bad { Style::Bad } else { Style::Unsure }, "!");
        text.push_str(&wrapped(&format!("  {mark} "), &note));
    }
    if let Some(note) = &recording.note {
        text.push_str(&wrapped("  ! ", note));
    }
    text.push('\n');
    text.push_str(&table(reading, detail));
    if !reading.silent.is_empty() {
        let silent: Vec<String> = reading.silent.iter().map(|c| (c + 1).to_string()).collect();
        text.push_str(&wrapped("  ", &format!("No probe on channel {}.", silent.join(", "))));
    }
    if let Some(trouble) = trouble {
        text.push_str(&title(&format!("Next: {}, then", trouble.help())));
        text.push_str(&command(&format!("swiftloop probe read {}", quoted(&path.display().to_string()))));
    } else {
        text.push_str(&title("Next: the same at two or three more buffers, then put them together"));
        text.push_str(&command("swiftloop probe fit 64=FILE.wav 128=FILE.wav 256=FILE.wav"));
    }
    text
}

fn table(reading: &ProbeReading, detail: Detail) -> String {
    let mut heads = vec![
        Head::figures("channel"),
        Head::figures("hears output"),
        Head::figures("level"),
        Head::words("polarity"),
        Head::figures("above noise"),
        Head::words("clocks apart"),
    ];
    if detail.is_full() {
        heads.extend([Head::figures("jitter, frames"), Head::words("bursts")]);
    }
    let mut t = Columns::new(&heads);
    for c in &reading.channels {
        let mut row = vec![
            (c.channel + 1).to_string(),
            (c.source + 1).to_string(),
            format!("{} dB", decimals(c.gain.raw(), 1)),
            polarity(c.polarity).into(),
            format!("{:.0} dB", c.snr.raw()),
            if c.drifts {
                format!("{:+.2} ppm", c.drift.raw())
            } else {
                format!("0.00 ± {:.2} ppm", c.drift_doubt.raw())
            },
        ];
        if detail.is_full() {
            row.push(format!("{:.4}", c.jitter.raw()));
            row.push(format!("{} of {}", c.bursts.len(), reading.recipe.bursts));
        }
        t.push(row);
    }
    t.show()
}

fn polarity(p: Polarity) -> &'static str {
    match p {
        Polarity::Normal => "normal",
        Polarity::Inverted => "inverted",
    }
}

fn seconds(frame: u64, rate: Hz) -> f64 {
    frame as f64 / f64::from(rate.get())
}

/// What an engineer should know, and whether it is bad.
fn notes(reading: &ProbeReading, rate: Hz) -> Vec<(bool, String)> {
    let mut all = Vec::new();
    for c in &reading.channels {
        let on =
            if reading.channels.len() > 1 { format!("Channel {}: ", c.channel + 1) } else { String::new() };
        if c.drifts {
            let faster = if c.drift.raw() > 0.0 { "faster" } else { "slower" };
            let every = 1e6 / c.drift.raw().abs() / f64::from(rate.get());
            all.push((true, format!(
                "{on}Two clocks: the one that records runs {:.2}{TIED}ppm {faster} than the one that plays, a frame every \
                 {every:.1}{TIED}s. No buffer cures that: lock them (word clock), or use one interface for both. The figure above \
                 is that of the beginning.",
                c.drift.raw().abs()
            )));
        }
        for s in &c.slips {
            let what = if s.shift_frames < 0 { "lost" } else { "put in" };
            let n = s.shift_frames.unsigned_abs();
            let frames = if n == 1 { "frame" } else { "frames" };
            all.push((true, format!(
                "{on}{n} {frames} {what} about {:.2}{TIED}s into the recording (frame {} ± {}): the driver was late there; try a \
                 larger buffer.",
                seconds(s.frame, rate), s.frame, s.give_or_take
            )));
        }
        if let Some(e) = c.echo {
            all.push((false, format!(
                "{on}A second arrival {:.1} frames ({:.2}{TIED}ms) after the first, {:.1}{TIED}dB beside it: a reflection, or the \
                 same signal by a second way (direct monitoring, a send). The figure above is that of the first.",
                e.later.raw(), e.later.at(rate).raw(), 20.0 * e.ratio.abs().log10()
            )));
        }
        if c.polarity == Polarity::Inverted {
            all.push((false, format!("{on}Upside down: a cable or an input turns the polarity.")));
        }
        if !c.missing.is_empty() {
            let list: Vec<String> = c.missing.iter().map(|b| (b + 1).to_string()).collect();
            all.push((
                false,
                format!("{on}Bursts that are not whole: {}; the others were read.", list.join(", ")),
            ));
        }
    }
    all
}

fn residual_words(residual: Residual, rate: Hz) -> String {
    let frames = residual.frames();
    if residual.nothing() {
        let line = format!(
            "Overdubs line up: {:+.2} frames are left after compensation, nothing to enter.",
            frames.raw()
        );
        return wrapped("", &styled(Style::Good, line));
    }
    let word = if residual.late() { "late" } else { "early" };
    wrapped(
        "",
        &format!(
            "Overdubs land {:.2} frames ({:.3}{TIED}ms) {word} after the reported latency was taken off. Enter {} frames as the \
             recording offset ({} where the software counts a positive offset as earlier), then record the probe once more \
             to see zero.",
            frames.raw().abs(),
            frames.at(rate).raw().abs(),
            residual.offset_to_enter(),
            -residual.offset_to_enter()
        ),
    )
}

/// `probe read --json`
pub fn json(reading: &ProbeReading, residual: Option<Residual>, trouble: Option<Trouble>) -> Value {
    let rate = reading.recipe.rate;
    let channel = |c: &ChannelReading| {
        object!({
            "channel": c.channel + 1,
            "source_channel": c.source + 1,
            "latency_frames": c.latency.typical(),
            "latency_ms": c.latency.typical().at(rate),
            "low_frames": c.latency.low(),
            "high_frames": c.latency.high(),
            "gain_db": c.gain,
            "polarity": polarity(c.polarity),
            "snr_db": c.snr,
            "drift_ppm": c.drift,
            "drift_doubt_ppm": c.drift_doubt,
            "drifts": c.drifts,
            "jitter_frames": c.jitter,
            "bursts": c.bursts.iter().map(|b| object!({"start_frame": b.start, "latency_frames": b.latency})).collect::<Vec<_>>(),
            "missing_bursts": c.missing.iter().map(|b| b + 1).collect::<Vec<_>>(),
            "slips": c.slips.iter().map(|s| object!({
                "frame": s.frame, "give_or_take_frames": s.give_or_take, "shift_frames": s.shift_frames,
            })).collect::<Vec<_>>(),
            "echo": c.echo.map(|e| object!({"later_frames": e.later, "ratio": e.ratio})),
        })
    };
    object!({
        "format": "swiftloop.probe-read/2",
        "sample_rate_hz": rate,
        "probe": {
            "channels": reading.recipe.channels, "bursts": reading.recipe.bursts, "level_db": reading.recipe.level_db,
        },
        "channels": reading.channels.iter().map(channel).collect::<Vec<_>>(),
        "silent_channels": reading.silent.iter().map(|c| c + 1).collect::<Vec<_>>(),
        "trouble": trouble,
        "residual_frames": residual.map(Residual::frames),
        "offset_to_enter_frames": residual.map(Residual::offset_to_enter),
    })
}

/// Events of an onset recording that are listed.
const LISTED: usize = 12;

/// `probe read --onset`
pub fn onset(found: &Onsets, rate: Hz, detail: Detail) -> String {
    let ms = |f: Frames| f.at(rate).raw();
    let mut text = heading("From the act to the sound");
    text.push_str(&answer(&format!("The sound comes {:.2}{TIED}ms after the act.", ms(found.median))));
    text.push_str(&wrapped(
        "",
        &format!(
            "Median of {} events; they spread over {:.2}{TIED}ms. That tells whether notes wait for the next block (up to a block) \
             or carry a time stamp (next to none).",
            found.events.len(),
            ms(found.spread)
        ),
    ));
    if found.unanswered > 0 {
        let line = format!("{} acts were followed by no sound within half a second.", found.unanswered);
        text.push_str(&wrapped("  ! ", &line));
    }
    text.push('\n');
    let mut t = Columns::new(&[Head::figures("at"), Head::figures("delay"), Head::figures("frames")]);
    let shown = if detail.is_full() { found.events.len() } else { LISTED };
    for e in found.events.iter().take(shown) {
        t.row([
            format!("{:.3} s", ms(e.act) / 1000.0),
            format!("{:.2} ms", ms(e.delay)),
            format!("{:.0}", e.delay.raw()),
        ]);
    }
    text.push_str(&t.show());
    if found.events.len() > shown {
        text.push_str(&wrapped("  ", &format!("… and {} more: --full", found.events.len() - shown)));
    }
    text.push_str(&title("Next: write it into the session, where the keys belong to a performer"));
    text.push_str(&command(&format!("key_scan_ms = {:.2}", ms(found.median))));
    text
}

/// `probe read --onset --json`
pub fn onset_json(found: &Onsets, rate: Hz) -> Value {
    object!({
        "format": "swiftloop.probe-onset/1",
        "sample_rate_hz": rate,
        "median_frames": found.median,
        "median_ms": found.median.at(rate),
        "spread_frames": found.spread,
        "unanswered": found.unanswered,
        "events": found.events.iter().map(|e| object!({
            "act_frame": e.act, "delay_frames": e.delay, "delay_ms": e.delay.at(rate),
        })).collect::<Vec<_>>(),
    })
}
