//! A trace that was read, as JSON.

use super::TraceRead;
use serde_json::{Map, Value, json as object};
use swiftloop_files::trace::Reading;
use swiftloop_measure::trace::{LateBlock, Names, Ranked, Ranking, Span, Stage, Who};

/// Kind and name.
pub fn who(who: &Who) -> Value {
    object!({ "kind": who.kind.word(), "name": who.name })
}

fn us(span: Option<Span>) -> Value {
    span.map_or(Value::Null, |s| object!(s.us()))
}

/// A late block.
pub fn late(block: &LateBlock, names: &Names) -> Value {
    let stages: Map<String, Value> = Stage::ALL
        .into_iter()
        .zip(block.way.stages())
        .map(|(stage, span)| (stage.word().to_string(), us(span)))
        .collect();
    let holders: Vec<Value> = block
        .holders
        .iter()
        .map(|h| object!({ "kind": h.who.kind.word(), "name": h.who.name, "us": h.took.us(), "too_much_us": h.extra.us() }))
        .collect();
    object!({
        "thread": names.get(block.thread.name),
        "pid": block.thread.pid.0,
        "core": block.core.0,
        "due_us": block.way.due.0 as f64 / 1e3,
        "late_us": block.late().us(),
        "by_deadline": block.by_deadline,
        "took_us": block.took.us(),
        "allowed_us": block.allowed.us(),
        "stages_us": stages,
        "grew": block.grew.word(),
        "holders": holders,
        "thief": who(&block.thief),
        "events_lost": block.lost,
        "noticed": block.noticed.map(|n| names.get(n)),
    })
}

fn ranked(r: &Ranked) -> Value {
    object!({
        "kind": r.who.kind.word(),
        "name": r.who.name,
        "late_blocks": r.late_blocks,
        "cured": { "low": r.interval.0, "typical": r.cured, "high": r.interval.1 },
        "only_together": r.together,
        "took_us": r.took.us(),
        "longest_us": r.longest.us(),
    })
}

/// The ranking.
pub fn ranking(ranking: &Ranking) -> Value {
    object!(ranking.all.iter().map(ranked).collect::<Vec<_>>())
}

/// Those who matter together.
pub fn together(ranking: &Ranking) -> Value {
    let all = ranking
        .together
        .iter()
        .map(|t| object!({ "holders": t.all.iter().map(who).collect::<Vec<_>>(), "cured": t.cured }));
    object!(all.collect::<Vec<_>>())
}

/// What was read, without the answer.
fn input(reading: &Reading) -> Value {
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
