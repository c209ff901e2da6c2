//! A trace that was read, as text: who is to blame, what to do, why, and the way of the worst block.

use super::TraceRead;
use crate::shared::answer::Detail;
use crate::shared::answer::thieves::advice;
use crate::shared::page::{
    Columns, Head, Style, TIED, answer, clean, command, counted, styled, tied, title, wrapped,
};
use crate::shared::words::figures::{duration, us};
use crate::shared::words::thieves::{kind, short, stage, who};
use crate::shared::words::warnings::capital;
use swiftloop_measure::trace::{BlockStage, HolderKind, LateBlock, Ranked};
use swiftloop_units::Seconds;

/// Rows of a table without `--full`.
const ROWS: usize = 5;

pub fn show(read: &TraceRead<'_>, detail: Detail) -> String {
    let mut text = answer(&lead(read));
    text.push('\n');
    if read.is_blind() {
        text.push_str(&blind(read));
        return text;
    }
    if let Some(first) = read.reading.told.ranking.all.first() {
        text.push_str(&advice(&first.who));
        text.push_str(&ranking(read, detail));
    }
    if let Some((at, block)) = read.told() {
        text.push_str(&one(read, at, block, detail));
    }
    text.push_str(&sureness(read, detail));
    text.push_str(&next(read));
    text
}

/// `3 of 20`, or `all 20`.
fn of(part: u64, all: u64) -> String {
    if part == all { format!("all {all}") } else { format!("{part} of {all}") }
}

fn lead(read: &TraceRead<'_>) -> String {
    let told = &read.reading.told;
    if read.is_blind() {
        return "No block of this trace can be judged: it has no marks of ours, and no thread is named."
            .into();
    }
    let count = told.late.len() as u64;
    if count == 0 {
        return format!("No block was late: {} were followed.", told.blocks.max(told.marks));
    }
    let late =
        if count == 1 { "One block was late".to_string() } else { format!("{count} blocks were late") };
    let Some(first) = told.ranking.all.first() else {
        return format!("{late}, and the trace shows nobody who took their time.");
    };
    if first.cured > 0 {
        let cured = if count == 1 {
            "it would have been in time".into()
        } else {
            format!("{} would have been in time", of(first.cured, count))
        };
        return format!("{late}; without {} {cured}.", who(&first.who));
    }
    match told.ranking.together.first() {
        Some(together) => {
            let all: Vec<String> = together.all.iter().map(who).collect();
            let which = if count == 1 { "it".into() } else { of(together.cured, count) };
            format!(
                "{late}; no single thief: {which} would have been in time only without {} together.",
                crate::shared::page::and_list(&all)
            )
        }
        None => format!(
            "{late}; the largest share went to {}, and the trace does not show that anything would have saved them.",
            who(&first.who)
        ),
    }
}

fn ranking(read: &TraceRead<'_>, detail: Detail) -> String {
    let told = &read.reading.told;
    let ranking = &told.ranking;
    let count = told.late.len();
    if count < 2 {
        return String::new();
    }
    let mut text = title("Who took the time");
    let mut table = Columns::new(&[
        Head::words("who"),
        Head::words("kind"),
        Head::figures("late"),
        Head::figures("in time without it"),
        Head::figures("longest"),
    ]);
    let rows = if detail.is_full() { usize::MAX } else { ROWS };
    let shown: Vec<&Ranked> = ranking.all.iter().take(rows).collect();
    for r in &shown {
        let cured = format!("{} ({:.0} to {:.0})", r.cured, r.interval.0.floor(), r.interval.1.ceil());
        table.row([
            short(&r.who),
            tied(kind(r.who.kind)),
            r.late_blocks.to_string(),
            tied(&cured),
            us(r.longest.us()),
        ]);
    }
    text.push_str(&table.show());
    text.push_str(&wrapped(
        "  ",
        &format!(
            "Late: of the {count} late blocks, those of which it took most. In time without it: how many would have been if \
             it had not run, and in 9 of 10 such recordings."
        ),
    ));
    if ranking.all.len() > shown.len() {
        text.push_str(&wrapped("  ", &format!("{} more: --full", ranking.all.len() - shown.len())));
    }
    for together in ranking.together.iter().take(if detail.is_full() { usize::MAX } else { 2 }) {
        let all: Vec<String> = together.all.iter().map(|w| clean(&w.name).into_owned()).collect();
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Only together: without {} {} more would have been in time.",
                crate::shared::page::and_list(&all),
                together.cured
            ),
        ));
    }
    text
}

/// One block's way, and who held it up.
fn one(read: &TraceRead<'_>, at: usize, block: &LateBlock, detail: Detail) -> String {
    let names = &read.reading.names;
    let count = read.late().len();
    let which = match (count, read.chosen) {
        (1, _) => "The late block".to_string(),
        (_, Some(_)) => format!("Late block {} of {count}", at + 1),
        _ => format!("The worst of them, {} of {count}", at + 1),
    };
    let late = us(block.late().us());
    let mut text = title(&format!(
        "{which}: {}, {late} late on core {}",
        clean(names.get(block.thread.name)),
        block.core.0
    ));
    let mut table = Columns::new(&[Head::words("its way"), Head::figures("took"), Head::words("")]);
    for (step, span) in BlockStage::ALL.into_iter().zip(block.way.stages()) {
        let took = span.map_or_else(|| "not seen".to_string(), |s| us(s.us()));
        let mark = if step == block.grew { styled(Style::Bad, "grew") } else { String::new() };
        table.row([tied(stage(step)), tied(&took), mark]);
    }
    text.push_str(&table.show());
    let holders: Vec<_> =
        block.holders.iter().filter(|h| detail.is_full() || h.took.0 * 50 >= block.took.0).collect();
    if !holders.is_empty() {
        let all: Vec<String> =
            holders.iter().map(|h| format!("{} {}", clean(&h.who.name), tied(&us(h.took.us())))).collect();
        text.push_str(&wrapped("  ", &format!("Meanwhile the core was held by: {}.", all.join(" · "))));
    }
    if block.lost {
        text.push_str(&wrapped(
            "  ",
            "Events are missing in this stretch: no thief is named on what is left.",
        ));
    }
    if let Some(noticed) = block.noticed {
        text.push_str(&wrapped("  ", &format!("Noticed after it: {}.", clean(names.get(noticed)))));
    }
    text
}

/// How sure it is, and what is missing.
fn sureness(read: &TraceRead<'_>, detail: Detail) -> String {
    let reading = read.reading;
    let told = &reading.told;
    let mut notes = Vec::new();
    if told.late.iter().any(|b| b.thief.kind == HolderKind::Host) {
        notes.push("That a host or the firmware took the time is likely, not proven: nothing of the system itself ran then.".into());
    }
    if told.lost > 0 {
        let blocks = told.late.iter().filter(|b| b.lost).count();
        notes.push(format!(
            "{} events are lost, in the stretches of {}.",
            told.lost,
            counted(blocks, "late block", "late blocks")
        ));
    }
    if told.late_count > told.late.len() as u64 {
        notes.push(format!(
            "{} late blocks more are not told one by one.",
            told.late_count - told.late.len() as u64
        ));
    }
    if told.apart > 0 {
        notes.push(format!("{} of {} marks lie far from the trace's clock and are not used: it was not recorded with the clock `mono`.", told.apart, told.marks));
    }
    if told.unreadable > 0 {
        notes.push(format!("{} could not be read.", counted(told.unreadable as usize, "mark", "marks")));
    }
    if told.clock_jumps > 0 {
        notes.push(format!(
            "The clock went back {}: nothing is told across that.",
            counted(told.clock_jumps as usize, "time", "times")
        ));
    }
    if reading.too_late > 0 {
        notes.push(format!(
            "{} events come too far out of order to be used: sort the file by time.",
            reading.too_late
        ));
    }
    if reading.unread > 0 {
        let first = reading
            .first_unread
            .as_ref()
            .map(|(line, text)| format!(", the first is line {line}: {}", clean(text)));
        notes.push(format!(
            "{} could not be read{}",
            counted(reading.unread as usize, "line", "lines"),
            first.unwrap_or_default()
        ));
    }
    if !reading.unknown.is_empty() {
        let all: u64 = reading.unknown.values().sum();
        let kinds = counted(reading.unknown.len(), "kind", "kinds");
        let named: Vec<&str> = reading.unknown.keys().take(4).map(String::as_str).collect();
        notes.push(format!(
            "{all} events of {kinds} are unknown here and were passed over ({}).",
            clean(&named.join(", "))
        ));
    }
    let seen = reading.seen;
    let missing: Vec<&str> = [
        (seen.switches, "changes of threads (sched_switch)"),
        (seen.wakings, "wake-ups (sched_waking)"),
        (seen.interrupts || seen.timers, "interrupts and timers"),
        (seen.soft, "deferred work (softirq)"),
        (
            seen.counted,
            "time counted (sched_stat_runtime): a host cannot be told from interrupts switched off",
        ),
    ]
    .iter()
    .filter(|k| !k.0)
    .map(|k| k.1)
    .collect();
    if !missing.is_empty() {
        notes.push(format!("The trace has no {}.", missing.join(", no ")));
    }
    if let Some(heard) = read.heard {
        notes.push(match heard {
            Some(h) => format!(
                "{} of the recording's crackles have a late block (by chance it would be {:.1}); it began at {:.3} s of the trace's clock.",
                h.crackles, h.by_chance, h.began
            ),
            None => "The recording's crackles and these late blocks do not fit together better than by chance: give --began, or look for another cause.".into(),
        });
    }
    if detail.is_full() {
        let covered = told.covered.map_or(0.0, |(from, to)| to.since(from).us() / 1e6);
        notes.push(format!(
            "{} events on {} lines, {}.",
            told.events,
            reading.lines,
            duration(Seconds::new(covered))
        ));
    }
    if notes.is_empty() {
        return String::new();
    }
    let mut text = title("How sure");
    notes.iter().for_each(|n| text.push_str(&wrapped("  ", &capital(n))));
    text
}

fn next(read: &TraceRead<'_>) -> String {
    let file = clean(&read.file.display().to_string()).into_owned();
    let step = |what: &str, run: &str| format!("\n{}{}", wrapped("", what), command(run));
    if read.late().is_empty() {
        return step(
            "To catch the next one, with the sound running:",
            "swiftloop trace record --until xrun,key",
        );
    }
    let mut text = step(
        "Change that one thing, record again, and see whether it is more than chance:",
        &format!("swiftloop trace compare {file} AFTER.txt"),
    );
    if read.reading.remark("quotas").is_some_and(|q| q != "0") {
        text.push_str(&wrapped(
            "",
            "Meanwhile a group of threads had used up its time (cpu.stat counts it): one that is held so looks as if it waited its turn.",
        ));
    }
    text
}

/// What is missing, and how to get on.
fn blind(read: &TraceRead<'_>) -> String {
    let told = &read.reading.told;
    let mut text = String::new();
    let file = clean(&read.file.display().to_string()).into_owned();
    if told.apart > 0 {
        text.push_str(&wrapped(
            "  ",
            &format!("It has {} of ours, but their times lie far from the trace's clock: record with the clock `mono` (echo mono > trace_clock), as swiftloop trace record does.", counted(told.marks as usize, "mark", "marks")),
        ));
    }
    if let Some((at, what)) = told.noticed.first() {
        let what = clean(read.reading.names.get(*what));
        let at = at.0 as f64 / 1e9;
        let more = told.noticed.len() - 1;
        let more = if more > 0 { format!(", and {more} more") } else { String::new() };
        text.push_str(&wrapped("  ", &format!("Noticed: {what} at {at:.3}{TIED}s of the trace's clock{more}. Whose blocks it was, no mark tells.")));
    }
    if let Some(thread) = read.thread {
        text.push_str(&wrapped("  ", &format!("No thread called {} was woken in it by a timer of its own; give its period with --period-us, or another name.", clean(thread))));
    }
    let likely: Vec<String> = told
        .candidates
        .iter()
        .filter(|(t, _)| !read.reading.names.get(t.name).contains('/'))
        .take(6)
        .map(|(t, n)| format!("{} ({n}{TIED}times)", clean(read.reading.names.get(t.name))))
        .collect();
    if likely.is_empty() {
        text.push_str(&wrapped(
            "  ",
            "No thread with real-time priority was woken in it: was the sound running?",
        ));
    } else {
        text.push_str(&wrapped(
            "  ",
            &format!("Threads with real-time priority that were woken: {}.", likely.join(", ")),
        ));
    }
    text.push_str(&wrapped(
        "",
        "Name the one that plays, and its period (2667 µs for 128 frames at 48 kHz):",
    ));
    text.push_str(&command(&format!("swiftloop trace read {file} --thread NAME --period-us 2667")));
    text
}
