//! Whoever took the processor from a block: what to do about it, and as JSON.

use crate::shared::page::{clean, command, wrapped};
use serde_json::{Map, Value, json};
use swiftloop_files::thieves;
use swiftloop_measure::trace::{BlockStage, LateBlock, Names, Ranked, Ranking, TraceSpan, Who, advice_for};

/// What to do about a thief, in a sentence.
pub fn in_short(thief: &Who) -> Option<String> {
    advice_for(thieves(), thief).map(|row| format!("{}.", row.what))
}

/// What to do about a thief, and how to undo it.
pub fn advice(thief: &Who) -> String {
    let Some(row) = advice_for(thieves(), thief) else { return String::new() };
    let mut text = wrapped("", &format!("{}{}", row.what, if row.run.is_some() { ":" } else { "." }));
    if let Some(run) = &row.run {
        text.push_str(&command(&clean(&run.replace("{name}", &thief.name.replace('\'', "")))));
    }
    text.push_str(&wrapped(
        "  ",
        &format!("It helps because {}. Undo: {}. Mind: {}.", row.reason, row.undo, row.risk),
    ));
    if let Some(update) = &row.update {
        text.push_str(&wrapped("  ", &format!("Before all that, update {update}.")));
    }
    if let Some(keep) = &row.keep {
        text.push_str(&wrapped("  ", keep));
    }
    text
}

pub fn who(who: &Who) -> Value {
    json!({ "kind": who.kind.word(), "name": who.name })
}

fn us(span: Option<TraceSpan>) -> Value {
    span.map_or(Value::Null, |s| json!(s.us()))
}

pub fn late(block: &LateBlock, names: &Names) -> Value {
    let stages: Map<String, Value> = BlockStage::ALL
        .into_iter()
        .zip(block.way.stages())
        .map(|(stage, span)| (stage.word().to_string(), us(span)))
        .collect();
    let holders: Vec<Value> = block
        .holders
        .iter()
        .map(|h| json!({ "kind": h.who.kind.word(), "name": h.who.name, "us": h.took.us(), "too_much_us": h.extra.us() }))
        .collect();
    json!({
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
    json!({
        "kind": r.who.kind.word(),
        "name": r.who.name,
        "late_blocks": r.late_blocks,
        "cured": { "low": r.interval.0, "typical": r.cured, "high": r.interval.1 },
        "only_together": r.together,
        "took_us": r.took.us(),
        "longest_us": r.longest.us(),
    })
}

pub fn ranking(ranking: &Ranking) -> Value {
    json!(ranking.all.iter().map(ranked).collect::<Vec<_>>())
}

/// Those who matter together.
pub fn together(ranking: &Ranking) -> Value {
    let all = ranking
        .together
        .iter()
        .map(|t| json!({ "holders": t.all.iter().map(who).collect::<Vec<_>>(), "cured": t.cured }));
    json!(all.collect::<Vec<_>>())
}
