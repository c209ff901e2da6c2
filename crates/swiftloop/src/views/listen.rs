//! What was heard: crackles or none first, then where they come from and what to do, then the list.

use super::{BAD, FAINT, GOOD, STRONG, heading, lines, right, styled, table, wrapped};
use serde_json::{Value, json};
use std::path::Path;
use swiftloop_core::listen::{Attribution, Cause, Comparison, Event, Findings, Kind, Programme, per_minute};
use swiftloop_core::units::Decibels;
use swiftloop_files::Recording;

/// A recording and what is known about it.
pub struct Heard<'a> {
    /// The file.
    pub recording: &'a Recording,
    /// What was heard blind.
    pub findings: &'a Findings,
    /// What the comparison says, which then counts.
    pub comparison: Option<&'a Comparison>,
}

impl Heard<'_> {
    /// The events that count.
    pub fn events(&self) -> &[Event] {
        self.comparison.map_or(&self.findings.events, |c| &c.events)
    }

    /// The attribution that counts.
    pub fn attribution(&self) -> &Attribution {
        self.comparison.map_or(&self.findings.attribution, |c| &c.attribution)
    }

    /// Crackles in a minute.
    pub fn per_minute(&self) -> f64 {
        per_minute(self.events(), self.recording.frames(), self.recording.rate())
    }
}

/// How much of a recording is done: on a terminal's stderr only, gone at the end.
pub fn progress() -> indicatif::ProgressBar {
    let style = indicatif::ProgressStyle::with_template("listening {bar:40} {percent} %, {eta} left");
    let bar = indicatif::ProgressBar::new(1000);
    style.map_or_else(|_| bar.clone(), |s| bar.clone().with_style(s))
}

/// Events listed at most: the rest is in the JSON.
const LISTED: usize = 16;

pub fn show(path: &Path, heard: &Heard<'_>) -> String {
    let (events, rate) = (heard.events(), heard.recording.rate());
    let seconds = heard.recording.seconds();
    let mut text = heading(&format!(
        "{}: {}, {rate} Hz, {} channel{}, {}",
        path.display(),
        clock(seconds),
        heard.recording.channels(),
        if heard.recording.channels() == 1 { "" } else { "s" },
        heard.recording.depth().word()
    ));
    if events.is_empty() {
        let how = if heard.comparison.is_some() { "Every frame is there and right." } else { "No crackles." };
        text.push_str(&format!("{}\n", styled(GOOD, how)));
    } else {
        let n = events.len();
        let answer =
            format!("{n} crackle{}, {:.1} a minute.", if n == 1 { "" } else { "s" }, heard.per_minute());
        text.push_str(&format!("{} {}\n", styled(BAD, answer), tally(events)));
    }
    let (why, next) = cause(heard);
    text.push_str(&wrapped("  ", &why));
    if let Some(c) = heard.comparison {
        let noise = c.noise.map_or("adds nothing else, to the bit".to_string(), |n| {
            format!("adds noise at {:.0} dBFS", n.0)
        });
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Against the original: {:.2} frames later, {:+.2} dB; the way {noise}.",
                c.delay.0, c.gain.0
            ),
        ));
    }
    if !events.is_empty() {
        text.push('\n');
        text.push_str(&list(events, rate));
        if events.len() > LISTED {
            text.push_str(&wrapped(
                "  ",
                &format!("… and {} more; --json lists all.", events.len() - LISTED),
            ));
        }
    }
    let remarks = remarks(heard);
    if !remarks.is_empty() {
        text.push_str("\nNot counted as crackles\n");
        for remark in remarks {
            text.push_str(&wrapped("  ", &remark));
        }
    }
    if let Some(note) = &heard.recording.note {
        text.push_str(&wrapped("  ! ", note));
    }
    text.push_str(&format!("\n{}", wrapped("Next: ", &next)));
    text
}

fn clock(seconds: f64) -> String {
    let whole = seconds as u64;
    if whole >= 60 { format!("{}:{:02} min", whole / 60, whole % 60) } else { format!("{seconds:.1} s") }
}

/// `3 gaps, 2 repeats`
fn tally(events: &[Event]) -> String {
    let counted = Kind::ALL.map(|k| (k, events.iter().filter(|e| e.kind == k).count()));
    let words: Vec<String> = counted
        .iter()
        .filter(|(_, n)| *n > 0)
        .map(|(k, n)| format!("{n} {}{}", k.word(), if *n == 1 { "" } else { "s" }))
        .collect();
    format!("{}.", words.join(", "))
}

/// Where they come from, and what to do next.
fn cause(heard: &Heard<'_>) -> (String, String) {
    let a = heard.attribution();
    let rate = heard.recording.rate();
    let percent = sure(a.confidence);
    match a.cause {
        Cause::None if heard.comparison.is_some() => (
            "Recording and original agree all the way.".into(),
            "a smaller buffer may hold as well: try the next one down and listen again.".into(),
        ),
        Cause::None => (
            "Nothing breaks off, stands still, repeats itself or jumps.".into(),
            "single clicks in noisy material can hide; --against ORIGINAL.wav compares every frame.".into(),
        ),
        Cause::Buffer => {
            let block = a.block.map_or(0, |b| b.0);
            (
                format!(
                    "Lengths and places point to blocks of {} frames ({:.2} ms), {percent} sure: the driver or the software was not ready in time.",
                    styled(STRONG, block),
                    f64::from(block) * 1000.0 / f64::from(rate.0)
                ),
                format!(
                    "if the buffer is set to {block}, take the next larger one or take load away (swiftloop plan says which); if it is not, \
                     something else on the way works in blocks of {block}: find it."
                ),
            )
        }
        Cause::Clock => {
            let interval = a.interval.map_or(0.0, |i| i.at(rate).0 / 1000.0);
            let drift = a.drift.map_or(0.0, |d| d.0.abs());
            (
                format!("Single frames at regular intervals, one every {interval:.2} s: two clocks, {drift:.1} ppm apart, {percent} sure."),
                "no buffer cures this: lock the clocks (word clock), or use one interface for input and output; check that every place has the same rate.".into(),
            )
        }
        Cause::SingleChannel => {
            let channel = a.channel.map_or(0, |c| c + 1);
            (
                format!("Only on channel {channel}, {percent} sure: a driver would break all of them at once."),
                format!("look at what only channel {channel} has: cable, connector, input, a processor on its track."),
            )
        }
        Cause::Unknown => (
            "Lengths and places fit neither a block size nor a clock: cables, power, an edit, another program, or too few events to say.".into(),
            "record longer, or play swiftloop probe make --tone through the loop and listen --against it.".into(),
        ),
    }
}

fn list(events: &[Event], rate: swiftloop_core::units::Hz) -> String {
    // Blind, the shift is seldom known: no column of question marks.
    let known = events.iter().any(|e| e.shift.is_some());
    let mut columns = vec![" at", "frame", "kind", "frames", "sure", "channels"];
    columns.extend(known.then_some("later by"));
    let mut t = table(&columns);
    for e in events.iter().take(LISTED) {
        let mut row = vec![
            format!(" {:.3} s", e.start as f64 / f64::from(rate.0)),
            e.start.to_string(),
            e.kind.word().to_string(),
            if e.length == 0 { "–".into() } else { e.length.to_string() },
            sure(e.confidence),
            channels(&e.channels),
        ];
        row.extend(known.then(|| e.shift.map_or("?".into(), |s| format!("{s:+}"))));
        t.add_row(row);
    }
    right(&mut t, &[0, 1, 3, 4, 6]);
    lines(&t)
}

/// A probability for people: nothing is ever quite certain.
fn sure(confidence: f64) -> String {
    if confidence > 0.99 { "over 99 %".into() } else { format!("{:.0} %", confidence * 100.0) }
}

fn channels(list: &[usize]) -> String {
    let words: Vec<String> = list.iter().take(8).map(|c| (c + 1).to_string()).collect();
    if list.len() > 8 { format!("{} … ({})", words.join(" "), list.len()) } else { words.join(" ") }
}

/// Clipping between the frames and direct current.
fn remarks(heard: &Heard<'_>) -> Vec<String> {
    let mut all = Vec::new();
    for (i, l) in heard.findings.levels.iter().enumerate() {
        let channel = i + 1;
        if l.true_peak > 1.0 || l.full_scale > 3 {
            all.push(format!(
                "channel {channel}: peaks reach {:+.1} dBFS between the frames, {} samples at full scale: turn down, not the buffer up.",
                Decibels::of_amplitude(l.true_peak).0, l.full_scale
            ));
        }
        if l.direct_current.abs() > 2e-3 {
            all.push(format!(
                "channel {channel}: direct current of {:.2} % of full scale: clicks at every cut; a high-pass takes it away.",
                l.direct_current * 100.0
            ));
        }
    }
    if all.len() > 6 {
        let more = all.len() - 6;
        all.truncate(6);
        all.push(styled(FAINT, format!("… and {more} more")));
    }
    all
}

pub fn json(heard: &Heard<'_>) -> Value {
    let a = heard.attribution();
    let event = |e: &Event| {
        json!({
            "start_frame": e.start,
            "length_frames": e.length,
            "kind": e.kind.word(),
            "channels": e.channels.iter().map(|c| c + 1).collect::<Vec<_>>(),
            "shift_frames": e.shift,
            "confidence": e.confidence,
        })
    };
    json!({
        "format": "swiftloop.listen/1",
        "duration_s": heard.recording.seconds(),
        "sample_rate_hz": heard.recording.rate(),
        "channels": heard.recording.channels(),
        "events": heard.events().iter().map(event).collect::<Vec<_>>(),
        "per_minute": heard.per_minute(),
        "attribution": {
            "cause": a.cause.word(),
            "block_frames": a.block,
            "channel": a.channel.map(|c| c + 1),
            "drift_ppm": a.drift.map(|d| d.0),
            "interval_frames": a.interval.map(|i| i.0),
            "confidence": a.confidence,
        },
        "against": heard.comparison.map(|c| json!({
            "delay_frames": c.delay.0, "gain_db": c.gain.0, "noise_db": c.noise.map(|n| n.0),
        })),
        "levels": heard.findings.levels.iter().map(|l| json!({
            "direct_current": l.direct_current,
            "peak_db": Decibels::of_amplitude(l.peak).0,
            "true_peak_db": Decibels::of_amplitude(l.true_peak).0,
            "full_scale_samples": l.full_scale,
        })).collect::<Vec<_>>(),
        "note": heard.recording.note,
    })
}
