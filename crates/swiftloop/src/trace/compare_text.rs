//! Two traces side by side: what went away, what came, and whether that is more than chance.

use crate::shared::answer::thieves::advice;
use crate::shared::page::{Columns, Head, answer, command, tied, wrapped};
use crate::shared::words::thieves::{kind, short, who};
use serde_json::{Value, json as object};
use std::path::Path;
use swiftloop_measure::trace::{CHANCE, ChangedThief, TraceComparison};

pub struct Compared<'a> {
    pub files: [&'a Path; 2],
    pub found: &'a TraceComparison,
}

/// What became of a thief.
fn verdict(c: &TraceComparison, thief: &ChangedThief) -> &'static str {
    match (thief.by_chance < CHANCE, thief.late) {
        (false, _) => "cannot be told",
        (true, [_, 0]) => "went away",
        (true, [0, _]) => "came",
        (true, late) if c.are_fewer(late) => "became less",
        (true, _) => "became more",
    }
}

pub fn show(c: &Compared<'_>) -> String {
    let c = c.found;
    let (before, after) = (c.per_hour(0, c.late), c.per_hour(1, c.late));
    let rates = format!("{} an hour before, {} after", rounded(before), rounded(after));
    let chance = in_100(c.by_chance);
    let mut text = answer(&if c.is_cured() {
        format!("Cured: no block is late any more ({rates}).")
    } else if c.is_better() {
        format!("Better: {rates}, and that is more than chance ({chance}).")
    } else if c.is_real() {
        format!("Worse: {rates}, and that is more than chance ({chance}).")
    } else {
        format!("No difference that is more than chance: {rates} ({chance}).")
    });
    text.push('\n');
    if c.is_cured() {
        text.push_str(&wrapped(
            "",
            "Now try the smaller buffer again: see which is the smallest that holds.",
        ));
        text.push_str(&command("swiftloop soak --ladder --trace"));
    } else if c.is_better() {
        if let Some(next) = c.thieves.iter().filter(|t| t.late[1] > 0).max_by_key(|t| t.late[1]) {
            text.push_str(&wrapped(
                "",
                &format!("Leave the change as it is, and take the next one on: {}.", who(&next.who)),
            ));
            text.push_str(&advice(&next.who));
        }
    } else if c.is_real() {
        text.push_str(&wrapped("", "Undo the change, and try another one."));
    } else {
        let longer = c.hours[1].max(c.hours[0]) * 4.0 * 60.0;
        text.push_str(&wrapped(
            "",
            &format!(
                "Record both for longer, about {:.0} minutes each, or undo the change and try another one.",
                longer.ceil().max(1.0)
            ),
        ));
    }
    if !c.thieves.is_empty() {
        text.push('\n');
        let mut table = Columns::new(&[
            Head::words("who"),
            Head::words("kind"),
            Head::figures("before"),
            Head::figures("after"),
            Head::prose("more than chance?"),
        ]);
        for thief in &c.thieves {
            table.row([
                short(&thief.who),
                tied(kind(thief.who.kind)),
                thief.late[0].to_string(),
                thief.late[1].to_string(),
                format!("{} ({})", verdict(c, thief), in_100(thief.by_chance)),
            ]);
        }
        text.push_str(&table.show());
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Late blocks of which each took most, in {} before and {} after. In brackets: how often such a difference \
                 comes about although nothing changed.",
                minutes(c.hours[0]),
                minutes(c.hours[1])
            ),
        ));
    }
    text
}

fn minutes(hours: f64) -> String {
    match hours * 60.0 {
        m if m < 2.0 => tied(&format!("{:.0} s", m * 60.0)),
        m if m < 120.0 => tied(&format!("{m:.0} minutes")),
        m => tied(&format!("{:.1} hours", m / 60.0)),
    }
}

fn rounded(rate: f64) -> String {
    if rate >= 10.0 || rate == 0.0 { format!("{rate:.0}") } else { format!("{rate:.1}") }
}

fn in_100(chance: f64) -> String {
    match chance * 100.0 {
        c if c < 1.0 => "by chance in fewer than 1 of 100".into(),
        c => format!("by chance in {c:.0} of 100"),
    }
}

pub fn json(compared: &Compared<'_>) -> Value {
    let c = compared.found;
    let side = |which: usize| {
        object!({
            "file": compared.files[which],
            "hours": c.hours[which],
            "late": c.late[which],
            "late_per_hour": c.per_hour(which, c.late),
        })
    };
    let thieves = c.thieves.iter().map(|t| {
        object!({
            "kind": t.who.kind.word(),
            "name": t.who.name,
            "before": t.late[0],
            "after": t.late[1],
            "by_chance": t.by_chance,
        })
    });
    object!({
        "format": "swiftloop.trace-compare/1",
        "before": side(0),
        "after": side(1),
        "by_chance": c.by_chance,
        "better": c.is_better(),
        "cured": c.is_cured(),
        "thieves": thieves.collect::<Vec<_>>(),
    })
}
