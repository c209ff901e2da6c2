//! Legs of a loop as a table with a small bar, and what is least certain.

use super::words::{fit, limit, ms};
use super::{STRONG, lines, right, styled, table, width, wrapped};
use swiftloop_core::loops::Loop;

/// The bar's longest, in characters.
const BAR: usize = 14;

/// Doubts below this are not worth a measurement.
pub const SMALL_DOUBT_MS: f64 = 0.1;

/// The legs of one loop.
pub fn show(l: &Loop) -> String {
    let mut text = format!(
        "{}: {} loop, {}\n",
        styled(STRONG, &l.who),
        l.kind.word(),
        if l.limit.is_some() {
            format!("limit {}, {}", limit(l), fit(l.verdict()))
        } else {
            "no limit".into()
        }
    );
    let wide = width() >= 96;
    let columns = ["leg, in ms", "low", "typical", "high", "origin", "", "note"];
    let mut t = table(if wide { &columns } else { &columns[..6] });
    let longest = l.legs.iter().map(|leg| leg.span.high().0).fold(1e-9, f64::max);
    for leg in &l.legs {
        let mut row = vec![
            leg.name.clone(),
            ms(leg.span.low()),
            ms(leg.span.typical()),
            ms(leg.span.high()),
            leg.origin.word().into(),
            bar(leg.span.typical().0, leg.span.high().0, longest),
        ];
        if wide {
            row.push(leg.note.clone());
        }
        t.add_row(row);
    }
    let mut sum = vec!["together".to_string(), ms(l.total.low()), ms(l.total.typical()), ms(l.total.high())];
    sum.resize(if wide { 7 } else { 6 }, String::new());
    t.add_row(sum.into_iter().map(|c| styled(STRONG, c)));
    right(&mut t, &[1, 2, 3]);
    text.push_str(&lines(&t));
    match l.widest_doubt().filter(|d| d.spread.0 >= SMALL_DOUBT_MS) {
        Some(doubt) => text.push_str(&wrapped(
            "  ",
            &format!(
                "Widest doubt: {}, {} ms between low and high. To be surer: {}.",
                doubt.leg,
                ms(doubt.spread),
                doubt.measure_with
            ),
        )),
        None => text.push_str("  No leg is in doubt by as much as a tenth of a millisecond.\n"),
    }
    text
}

/// Solid up to the typical figure, light up to the high one.
fn bar(typical: f64, high: f64, longest: f64) -> String {
    let cells = |x: f64| ((x / longest * BAR as f64).round() as usize).min(BAR);
    let solid = cells(typical);
    format!("{}{}", "█".repeat(solid), "░".repeat(cells(high) - solid))
}

/// One line for each loop: who, how long, limit, verdict.
pub fn summary(loops: &[Loop]) -> String {
    let mut t = table(&["performer", "loop", "typical", "low – high", "limit", "verdict"]);
    for l in loops {
        t.add_row([
            l.who.clone(),
            l.kind.word().into(),
            format!("{} ms", ms(l.total.typical())),
            format!("{} – {}", ms(l.total.low()), ms(l.total.high())),
            limit(l),
            fit(l.verdict()),
        ]);
    }
    right(&mut t, &[2, 3, 4]);
    lines(&t)
}
