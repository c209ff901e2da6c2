//! A trace that was read, as JSON.

use super::TraceRead;
use crate::shared::answer::thieves::late;
use crate::shared::answer::thieves::ranking;
use crate::shared::answer::thieves::together;
use serde_json::{Value, json as object};
use swiftloop_files::trace::TraceReading;

/// What was read, without the answer.
fn input(reading: &TraceReading) -> Value {
    let told = &reading.told;
    object!({
        "lines": reading.lines,
        "lines_not_read": reading.unread,
        "first_not_read": reading.first_unread.as_ref().map(|(line, text)| object!({ "line": line, "text": text })),
        "unknown_events": reading.unknown,
        "out_of_order": reading.too_late,
        "clock_jumps": told.clock_jumps,
        "written_over": reading.overwritten,
        "covered_s": told.covered.map(|(from, to)| to.since(from).us() / 1e6),
        "marks": told.marks,
        "marks_not_readable": told.unreadable,
        "marks_of_another_clock": told.apart,
        "blocks_followed": told.blocks,
    })
}

pub fn json(read: &TraceRead<'_>) -> Value {
    let reading = read.reading;
    let told = &reading.told;
    let names = &reading.names;
    let heard = read.heard.map(|h| {
        h.map(|h| object!({ "began_s": h.began, "crackles": h.crackles, "by_chance": h.by_chance, "late_blocks": h.blocks.len() }))
    });
    let candidates: Vec<Value> = told
        .candidates
        .iter()
        .take(20)
        .map(|(t, n)| object!({ "thread": names.get(t.name), "woken": n }))
        .collect();
    object!({
        "format": "swiftloop.trace-read/1",
        "file": read.file,
        "events": told.events,
        "lost": told.lost,
        "late_count": told.late_count,
        "late": told.late.iter().map(|b| late(b, names)).collect::<Vec<_>>(),
        "ranking": ranking(&told.ranking),
        "together": together(&told.ranking),
        "noticed": told.noticed.iter().map(|(at, what)| object!({ "at_us": at.0 as f64 / 1e3, "what": names.get(*what) })).collect::<Vec<_>>(),
        "heard": heard,
        "realtime_threads": candidates,
        "input": input(reading),
    })
}
