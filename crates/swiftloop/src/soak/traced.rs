//! Who stole the time of a soak's late blocks: the ranking over all rungs, and what looking cost.

use crate::shared::answer::Detail;
use crate::shared::answer::thieves as trace_json;
use crate::shared::page::{TIED, clean, command, counted, title, wrapped};
use crate::shared::words::figures::us;
use crate::shared::words::thieves::{kind, short, who};
use crate::soak::machine::Traced;
use serde_json::{Value, json as object};
use swiftloop_measure::trace::{HolderKind, LateBlock, Ranking, Who, rank};
use swiftloop_units::Block;

/// All late blocks that were looked at.
fn all(traced: &Traced) -> Vec<LateBlock> {
    traced.rungs.iter().flat_map(|r| r.1.told.late.iter().cloned()).collect()
}

/// Holders of a ranking at most, without `--full`.
const ROWS: usize = 4;

/// Who leads at each rung.
pub fn by_rung(traced: &Traced) -> Vec<(Block, String)> {
    // Who has no name of its own is told by its kind.
    let lead = |who: &Who| match who.kind {
        HolderKind::Host | HolderKind::Unknown | HolderKind::OwnWork => kind(who.kind).to_string(),
        HolderKind::Priority
        | HolderKind::KernelNotPreemptible
        | HolderKind::HardInterrupt
        | HolderKind::Softirq
        | HolderKind::SoftirqNet
        | HolderKind::SoftirqTimer
        | HolderKind::InterruptsOff
        | HolderKind::RtThrottle
        | HolderKind::PageFault
        | HolderKind::Idle
        | HolderKind::Migration
        | HolderKind::Lock => short(who),
    };
    let leads = |r: &Ranking| r.all.first().map_or("–".into(), |first| lead(&first.who));
    traced.rungs.iter().map(|(block, reading)| (*block, leads(&reading.told.ranking))).collect()
}

pub fn show(traced: &Traced, detail: Detail) -> String {
    let late = all(traced);
    let mut text = title("Who took the time");
    let ranking = rank(&late);
    match ranking.all.first() {
        None => text.push_str(&wrapped("  ", "No block was late while the kernel was looked into.")),
        Some(first) => {
            let count = late.len() as u64;
            let of = match first.cured {
                1 if count == 1 => "the one late block".to_string(),
                cured if cured == count => format!("all {count} late blocks"),
                cured => format!("{cured} of {count} late blocks"),
            };
            text.push_str(&wrapped(
                "  ",
                &format!("Without {} {of} would have been in time.", who(&first.who)),
            ));
            text.push_str(&crate::shared::answer::thieves::advice(&first.who));
            let rows = if detail.is_full() { usize::MAX } else { ROWS };
            for r in ranking.all.iter().take(rows) {
                text.push_str(&wrapped("  ", &row(&r.who, r.cured, r.interval, r.longest.us())));
            }
            let more = ranking.all.len().saturating_sub(rows);
            if more > 0 {
                text.push_str(&wrapped("  ", &format!("{more} more: --full")));
            }
        }
    }
    text.push_str(&wrapped(
        "  ",
        &format!(
            "Looking cost: about {:.0} events a second on the busiest core, {:.1}{TIED}% of it at the most (a mark takes \
             {:.1}{TIED}µs, an event less), and {:.1}{TIED}s in which nothing was recorded because it was read.",
            traced.rate,
            traced.rate * traced.mark_ns / 1e7,
            traced.mark_ns / 1e3,
            traced.blind_s
        ),
    ));
    if let Some(kept) = &traced.kept {
        text.push_str("  What the kernel said is kept:\n");
        text.push_str(&command(&format!("swiftloop trace read {}", clean(&kept.display().to_string()))));
    }
    text
}

fn row(thief: &Who, cured: u64, interval: (f64, f64), longest: f64) -> String {
    format!(
        "{} ({}): {} in time without it ({:.0} to {:.0}), {} at the longest",
        clean(&thief.name),
        kind(thief.kind),
        counted(cured as usize, "block", "blocks"),
        interval.0.floor(),
        interval.1.ceil(),
        us(longest)
    )
}

pub fn json(traced: &Traced) -> Value {
    let ranking = rank(&all(traced));
    let rungs = traced.rungs.iter().map(|(block, reading)| {
        let names = &reading.names;
        object!({
            "buffer_frames": block.get(),
            "events": reading.told.events,
            "lost": reading.told.lost,
            "late": reading.told.late.iter().map(|b| trace_json::late(b, names)).collect::<Vec<_>>(),
            "ranking": trace_json::ranking(&reading.told.ranking),
        })
    });
    object!({
        "ranking": trace_json::ranking(&ranking),
        "together": trace_json::together(&ranking),
        "rungs": rungs.collect::<Vec<_>>(),
        "events_per_second": traced.rate,
        "mark_ns": traced.mark_ns,
        "not_recorded_s": traced.blind_s,
        "kept": traced.kept,
    })
}
