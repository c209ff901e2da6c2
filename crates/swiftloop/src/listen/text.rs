//! What was heard as text.

use super::Listened;
use crate::shared::answer::{Detail, quoted};
use crate::shared::page::{
    Columns, Head, Style, TIED, answer, clean, command, counted, heading, styled, title, wrapped,
};
use crate::shared::words::figures::{clock, sure};
use crate::shared::words::warnings::capital;
use std::path::Path;
use swiftloop_core::survey::SeenBlock;
use swiftloop_measure::listen::{AudioSource, Crackle, CrackleCause, CrackleKind};
use swiftloop_units::{Decibels, Hz};

/// Events listed on one screen.
const LISTED: usize = 12;

/// The answer, what to do, and why.
pub struct Lead {
    pub answer: String,
    pub todo: String,
    /// Commands that belong to it, the first thing to do first.
    pub commands: Vec<String>,
    pub why: String,
}

/// The answer in three sentences.
pub fn lead(path: &Path, heard: &Listened<'_>) -> Lead {
    let events = heard.events();
    let answer = match (events.len(), heard.comparison.is_some()) {
        (0, true) => "Every frame is there and right.".into(),
        (0, false) => "No crackles.".into(),
        (n, _) => format!(
            "{}, {:.1} a minute: {}",
            capital(&counted(n, "crackle", "crackles")),
            heard.per_minute(),
            kinds(events)
        ),
    };
    let (why, todo, commands) = cause(path, heard);
    Lead { answer, todo, commands, why }
}

pub fn show(path: &Path, heard: &Listened<'_>, detail: Detail) -> String {
    let (events, rate) = (heard.events(), heard.recording.rate());
    let mut text = heading(&format!(
        "{}: {}, {rate}{TIED}Hz, {}, {}",
        clean(&path.display().to_string()),
        clock(heard.recording.seconds()),
        counted(heard.recording.channels(), "channel", "channels"),
        heard.recording.depth().as_str()
    ));
    let lead = lead(path, heard);
    let style = if events.is_empty() { Style::Good } else { Style::Bad };
    text.push_str(&answer(&styled(style, lead.answer)));
    text.push_str(&wrapped("", &lead.todo));
    lead.commands.iter().for_each(|line| text.push_str(&command(line)));
    text.push_str(&wrapped("", &lead.why));
    if let Some(c) = heard.comparison {
        let noise = c.noise.map_or("adds nothing else, to the bit".to_string(), |n| {
            format!("adds noise at {:.0}{TIED}dBFS", n.raw())
        });
        text.push_str(&wrapped(
            "",
            &format!(
                "Against the original: {:.2} frames later, {:+.2}{TIED}dB; the way {noise}.",
                c.delay.raw(),
                c.gain.raw()
            ),
        ));
    }
    if !events.is_empty() {
        text.push('\n');
        let shown = if detail.is_full() { events.len() } else { LISTED };
        text.push_str(&list(&events[..events.len().min(shown)], rate));
        if events.len() > shown {
            text.push_str(&wrapped("  ", &format!("… and {} more: --full lists all.", events.len() - shown)));
        }
    }
    let remarks = remarks(heard, detail);
    if !remarks.is_empty() {
        text.push_str(&title("Not counted as crackles"));
        remarks.iter().for_each(|r| text.push_str(&wrapped("  ", r)));
    }
    if let Some(note) = &heard.recording.note {
        text.push_str(&wrapped("  ! ", note));
    }
    text
}

/// `3 gaps, 2 repeats.`
fn kinds(events: &[Crackle]) -> String {
    let count = |k: CrackleKind| events.iter().filter(|e| e.kind == k).count();
    let all = CrackleKind::ALL.into_iter().map(|k| (k.as_str(), count(k))).filter(|(_, n)| *n > 0);
    let words: Vec<String> = all.map(|(k, n)| counted(n, k, &format!("{k}s"))).collect();
    format!("{}.", words.join(", "))
}

/// Why, what to do, and the commands that belong to it.
fn cause(path: &Path, heard: &Listened<'_>) -> (String, String, Vec<String>) {
    let a = heard.attribution();
    let rate = heard.recording.rate();
    let percent = sure(a.confidence);
    let file = quoted(&path.display().to_string());
    match a.cause {
        CrackleCause::None if heard.comparison.is_some() => (
            "Recording and original agree all the way.".into(),
            "A smaller buffer may hold as well. Which does this computer hold?".into(),
            vec!["swiftloop soak --ladder".into()],
        ),
        CrackleCause::None => (
            "Nothing breaks off, stands still, repeats itself or jumps.".into(),
            "Single clicks in noisy material can hide. If you have what was played, compare every frame:".into(),
            vec![format!("swiftloop listen {file} --against ORIGINAL.wav")],
        ),
        CrackleCause::Buffer => {
            let block = a.block.map_or(0, swiftloop_units::Block::get);
            (
                format!(
                    "Lengths and places point to blocks of {block} frames ({:.2}{TIED}ms), {percent} sure: driver or software was \
                     not ready in time.",
                    f64::from(block) * 1000.0 / f64::from(rate.get())
                ),
                format!(
                    "Is the buffer set to {block}? Then take the next larger one. Is it not? Then another stage works in blocks of \
                     {block}: raise that one. {}Whose fault is it, and does this computer hold {block}?",
                    whose(block, heard.here)
                ),
                vec![format!("swiftloop why {file}"), format!("swiftloop soak --buffer {block}")],
            )
        }
        CrackleCause::Clock => {
            let interval = a.interval.map_or(0.0, |i| i.at(rate).raw() / 1000.0);
            let drift = a.drift.map_or(0.0, |d| d.raw().abs());
            (
                format!(
                    "Single frames at regular intervals, one every {interval:.2}{TIED}s: two clocks, {drift:.1}{TIED}ppm apart, \
                     {percent} sure."
                ),
                "No buffer cures this: lock the clocks (word clock), or use one interface for input and output. Do all \
                 places have one rate?"
                    .into(),
                vec!["swiftloop survey".into()],
            )
        }
        CrackleCause::SingleChannel => {
            let channel = a.channel.map_or(0, |c| c + 1);
            (
                format!("Only on channel {channel}, {percent} sure: a driver would break all of them at once."),
                format!(
                    "Swap what only channel {channel} has, one thing at a time: cable, connector, input, a plug-in on its track; \
                     record and listen after each."
                ),
                vec![format!("swiftloop listen {file}")],
            )
        }
        CrackleCause::Unknown => (
            "Lengths and places fit neither a block size nor a clock: cables, power, an edit, another program, or too few \
             events to say."
                .into(),
            "Change the cable, the hub and the power supply one after the other, and see what else disturbs this computer. To \
             find every frame, play a tone that never repeats through the loop, record it, and compare:"
                .into(),
            vec![format!("swiftloop why {file}"), "swiftloop probe make --tone --out tone.wav".into()],
        ),
    }
}

/// Who works in blocks of this size here, or in which blocks everybody does; nothing where nobody plays.
fn whose(block: u32, here: &[SeenBlock]) -> String {
    let owners: Vec<&str> = here.iter().filter(|b| b.frames == block).map(|b| b.who.as_str()).collect();
    let others: Vec<String> = here.iter().map(|b| format!("{}: {}", clean(&b.who), b.frames)).collect();
    match (owners.is_empty(), here.is_empty()) {
        (false, _) => {
            format!("On this computer {} runs blocks of {block} now. ", clean(&owners.join(" and ")))
        }
        (true, false) => format!("Nothing here runs blocks of {block} now ({}). ", others.join("; ")),
        (true, true) => String::new(),
    }
}

fn list(events: &[Crackle], rate: Hz) -> String {
    // Blind, the shift is seldom known: no column of question marks.
    let known = events.iter().any(|e| e.shift.is_some());
    let mut heads = vec![
        Head::figures("at"),
        Head::figures("frame"),
        Head::words("kind"),
        Head::figures("frames"),
        Head::figures("sure"),
        Head::words("channels"),
    ];
    heads.extend(known.then_some(Head::figures("later by")));
    let mut t = Columns::new(&heads);
    for e in events {
        let mut row = vec![
            format!("{:.3} s", e.start as f64 / f64::from(rate.get())),
            e.start.to_string(),
            e.kind.as_str().to_string(),
            if e.length == 0 { "–".into() } else { e.length.to_string() },
            sure(e.confidence),
            channels(&e.channels),
        ];
        row.extend(known.then(|| e.shift.map_or("?".into(), |s| format!("{s:+}"))));
        t.push(row);
    }
    t.show()
}

fn channels(list: &[usize]) -> String {
    let words: Vec<String> = list.iter().take(8).map(|c| (c + 1).to_string()).collect();
    if list.len() > 8 { format!("{} … ({})", words.join(" "), list.len()) } else { words.join(" ") }
}

/// Remarks on one screen.
const REMARKS: usize = 4;
/// A constant offset below this is no matter.
const OFFSET: f64 = 2e-3;

/// Clipping between the frames and constant offsets.
fn remarks(heard: &Listened<'_>, detail: Detail) -> Vec<String> {
    let mut all = Vec::new();
    for (i, l) in heard.scan.levels.iter().enumerate() {
        let channel = i + 1;
        if l.true_peak > 1.0 || l.full_scale > 3 {
            all.push(format!(
                "Channel {channel}: peaks reach {:+.1}{TIED}dBFS between the frames, {} samples at full scale: turn down, not the \
                 buffer up.",
                Decibels::of_amplitude(l.true_peak).raw(),
                l.full_scale
            ));
        }
        if l.held_below_full_scale() {
            all.push(format!(
                "Channel {channel}: {} samples stand at one common extreme of {:.1}{TIED}dBFS: a limiter or a clip before this file was \
                 made, not the driver.",
                l.at_peak,
                Decibels::of_amplitude(l.peak).raw()
            ));
        }
        if l.dc_offset.abs() > OFFSET {
            all.push(format!(
                "Channel {channel}: a constant offset of {:.2}{TIED}% of full scale clicks at every cut; a high-pass takes it away.",
                l.dc_offset * 100.0
            ));
        }
    }
    if all.len() > REMARKS && !detail.is_full() {
        let more = all.len() - REMARKS;
        all.truncate(REMARKS);
        all.push(styled(Style::Faint, format!("… and {more} more: --full")));
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_block_is_told_with_whoever_works_in_it() {
        let seen = |who: &str, frames| SeenBlock { who: who.into(), frames };
        let here = [seen("PipeWire", 256), seen("ALSA, box playback", 128)];
        assert_eq!(whose(256, &here), "On this computer PipeWire runs blocks of 256 now. ");
        assert_eq!(
            whose(64, &here),
            "Nothing here runs blocks of 64 now (PipeWire: 256; ALSA, box playback: 128). "
        );
        assert_eq!(whose(64, &[]), "");
    }
}
