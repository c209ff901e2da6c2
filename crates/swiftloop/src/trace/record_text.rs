//! What was recorded, and what to do with it.

use crate::shared::page::{answer, clean, command, counted, wrapped};
use serde_json::{Value, json as object};
use std::path::Path;

/// A recording that is done.
pub struct Recorded<'a> {
    pub file: &'a Path,
    pub seconds: f64,
    pub asked_seconds: f64,
    pub full_disk: bool,
    pub events: u64,
    pub lost: u64,
    /// Events a second on the busiest core, when it began.
    pub rate: f64,
    pub ring_kb: u64,
    /// How far the ring reaches back, in seconds.
    pub back: Option<f64>,
    pub wanted_back: f64,
    pub cores: usize,
    pub missing: &'a [&'static str],
    /// Of one core, by this program itself.
    pub own_share: f64,
    pub times: u32,
    pub until: bool,
}

pub fn show(r: &Recorded<'_>) -> String {
    let file = clean(&r.file.display().to_string()).into_owned();
    let lasted = lasted(r.seconds);
    let mut text = answer(&if r.full_disk {
        format!("The disk is full: {file} holds what was recorded until then, {} events.", r.events)
    } else if r.until && r.times == 0 {
        format!("Nothing was noticed in {lasted}: there is nothing to read.")
    } else if r.until {
        format!(
            "Noticed {} in {lasted}; what was around it is in {file}, {} events.",
            counted(r.times as usize, "time", "times"),
            r.events
        )
    } else {
        format!("{lasted} of what the kernel did are in {file}, {} events.", r.events)
    });
    text.push('\n');
    if r.full_disk {
        text.push_str(&wrapped("  ", "Make room on the disk, or record into another folder."));
    }
    if r.lost > 0 {
        let all = (r.events + r.lost).max(1);
        let share = r.lost as f64 / all as f64 * 100.0;
        text.push_str(&wrapped(
            "  ",
            &format!(
                "{} events ({share:.1} %) did not fit into the ring and are missing: late blocks among them have no thief. \
                 Record again with --ring-kb {}.",
                r.lost,
                (r.ring_kb * 4).min(1_048_576)
            ),
        ));
    }
    if let Some(back) = r.back.filter(|b| *b < r.wanted_back) {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "The ring reaches back about {back:.1} s only, not the {:.1} s that were asked for: give it more room with \
                 --ring-kb {}.",
                r.wanted_back,
                (r.ring_kb * 4).min(1_048_576)
            ),
        ));
    }
    if !(r.until && r.times == 0) {
        text.push_str(&wrapped("", "To see who held the processor when a block was late:"));
        text.push_str(&command(&format!("swiftloop trace read {file}")));
    } else {
        text.push_str(&wrapped("", "To look whether anything is late at all:"));
        text.push_str(&command("swiftloop soak --trace"));
    }
    text.push('\n');
    text.push_str(&wrapped(
        "  ",
        &format!(
            "This program took {:.2} % of one core; the kernel's own part comes on top: about {:.0} events a second on the \
             busiest core. Ring: {} KB on each of {}. Nothing of the recorder is left.",
            r.own_share * 100.0,
            r.rate,
            r.ring_kb,
            counted(r.cores, "core", "cores"),
        ),
    ));
    if !r.missing.is_empty() {
        text.push_str(&wrapped("  ", &format!("This kernel does not tell of: {}.", r.missing.join(", "))));
    }
    text
}

fn lasted(seconds: f64) -> String {
    match seconds {
        s if s < 120.0 => format!("{s:.1} s"),
        s if s < 7200.0 => format!("{:.0} minutes", s / 60.0),
        s => format!("{:.1} hours", s / 3600.0),
    }
}

pub fn json(r: &Recorded<'_>) -> Value {
    object!({
        "format": "swiftloop.trace-record/1",
        "file": r.file,
        "seconds": r.seconds,
        "asked_seconds": r.asked_seconds,
        "disk_full": r.full_disk,
        "events": r.events,
        "lost": r.lost,
        "noticed": r.times,
        "rate_per_second": r.rate,
        "ring_kb": r.ring_kb,
        "reaches_back_s": r.back,
        "own_share_of_a_core": r.own_share,
        "missing_events": r.missing,
    })
}
