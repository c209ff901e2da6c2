//! Legs of a loop as a table with a small bar, and one line for each loop.

use super::Detail;
use crate::shared::page::{Columns, Head, Style, para, styled};
use crate::shared::words::figures::{delay_verdict, limit, ms};
use crate::shared::words::legs::{leg, note};
use crate::shared::words::settings::whose;
use swiftloop_core::loops::{Context, DelayVerdict, Loop};
use swiftloop_units::{Ms, Range};

/// The bar's longest, in characters.
const BAR: usize = 12;

/// The legs of one loop; with what to know about each when `notes` are wanted.
pub fn show(context: &Context<'_>, l: &Loop, notes: bool) -> String {
    let mut heads = vec![
        Head::words("leg, in ms"),
        Head::figures("low"),
        Head::figures("typical"),
        Head::figures("high"),
        Head::words("origin"),
        Head::picture("█ typical ░ high"),
    ];
    if notes {
        heads.push(Head::prose("note"));
    }
    let mut t = Columns::new(&heads);
    let longest = l.legs.iter().map(|leg| leg.span.high().raw()).fold(1e-9, f64::max);
    for part in &l.legs {
        let mut row = vec![
            leg(part.kind).to_string(),
            ms(part.span.low()),
            ms(part.span.typical()),
            ms(part.span.high()),
            part.origin.as_str().into(),
            bar(part.span.typical().raw(), part.span.high().raw(), longest),
        ];
        if notes {
            row.push(note(context, &part.note));
        }
        t.push(row);
    }
    let sum = ["together".to_string(), ms(l.total.low()), ms(l.total.typical()), ms(l.total.high())];
    let mut sum: Vec<String> = sum.into_iter().map(|c| styled(Style::Strong, c)).collect();
    sum.resize(heads.len(), String::new());
    t.push(sum);
    t.show()
}

/// Solid up to the typical figure, light up to the high one.
fn bar(typical: f64, high: f64, longest: f64) -> String {
    let cells = |x: f64| ((x / longest * BAR as f64).round() as usize).min(BAR);
    let solid = cells(typical);
    format!("{}{}", "█".repeat(solid), "░".repeat(cells(high) - solid))
}

/// Everybody's loop, when there are several; on one screen a sentence does where all are in time.
pub fn everybody(context: &Context<'_>, loops: &[Loop], detail: Detail) -> String {
    let in_time = loops.iter().all(|l| l.verdict() == DelayVerdict::Immediate);
    match loops {
        [] | [_] => String::new(),
        all if in_time && !detail.is_full() => {
            para(&format!("None of the {} performers notices it, in 9 of 10 rigs like this.", all.len()))
        }
        all => format!("\n{}", summary(context, all)),
    }
}

/// One line for each loop: who, how long, limit, verdict.
fn summary(context: &Context<'_>, loops: &[Loop]) -> String {
    let mut t = Columns::new(&[
        Head::words("performer"),
        Head::words("loop"),
        Head::figures("ms late"),
        Head::words("low to high"),
        Head::figures("limit"),
        Head::words("verdict"),
    ]);
    for l in loops {
        t.row([
            whose(context, l).to_string(),
            l.kind.as_str().into(),
            ms(l.total.typical()),
            span(l.total),
            limit(l),
            delay_verdict(l.verdict()),
        ]);
    }
    t.show()
}

/// `5.5 to 7.1`, or nothing where both are one.
pub fn span(r: Range<Ms>) -> String {
    let (low, high) = (ms(r.low()), ms(r.high()));
    if low == high { String::new() } else { format!("{low} to {high}") }
}
