//! The trade as a small picture for the terminal: a buffer a line, the loop's delay and the dropouts an hour, the chosen one
//! marked.

use crate::shared::page::columns::legend;
use crate::shared::page::{Columns, Head, Style, styled};
use crate::shared::words::figures::{ms, per_hour, plain};
use swiftloop_core::plan::{Arrangement, TradePoint};
use swiftloop_units::{Ms, PerHour};

/// Bars are so many characters at the most.
const BAR: usize = 12;
/// More rows than this are no picture.
const MOST_ROWS: usize = 9;

/// The picture of a trade; nothing when there is nothing to compare.
pub fn show(trade: &[TradePoint], chosen: &Arrangement, target: PerHour, mark: &str) -> String {
    if trade.len() < 2 {
        return String::new();
    }
    let longest = trade.iter().map(|p| p.round_trip).fold(Ms::new(1e-9), Ms::max);
    let mut t = Columns::new(&[
        Head::figures("buffer"),
        Head::figures("ms late"),
        Head::picture("▆ delay"),
        Head::figures("dropouts/h"),
        Head::picture("allowed ┃"),
        Head::words("note"),
    ]);
    for point in thinned(trade, chosen) {
        let mine = point.arrangement.setting == chosen.setting;
        let delay = ((point.round_trip / longest * BAR as f64).round() as usize).clamp(1, BAR);
        let row = [
            format!("{}{}", if mine { "▶ " } else { "" }, point.arrangement.setting.buffer.label()),
            ms(point.round_trip),
            "▆".repeat(delay),
            per_hour(point.dropouts),
            risk_bar(point.dropouts, target),
            remarks(point, mine, target, mark),
        ];
        t.row(row.map(|c| if mine && !c.is_empty() { styled(Style::Strong, c) } else { c }));
    }
    let allowed = plain(target.raw());
    let text =
        format!("Each step of the bar is a bit over half a decade; ┃ is what you allow, {allowed} an hour.");
    format!("{}{}", t.show(), legend(&text))
}

fn remarks(point: &TradePoint, mine: bool, target: PerHour, mark: &str) -> String {
    let mut remarks = Vec::new();
    if mine {
        remarks.push(mark);
    }
    if !point.within {
        remarks.push("late");
    }
    if point.dropouts > target {
        remarks.push("breaks");
    }
    if remarks.is_empty() && !point.on_frontier {
        remarks.push("no gain");
    }
    remarks.join(", ")
}

/// At most [`MOST_ROWS`] points: the chosen one, and the others at even distances.
fn thinned<'a>(trade: &'a [TradePoint], chosen: &Arrangement) -> Vec<&'a TradePoint> {
    let stride = trade.len().div_ceil(MOST_ROWS).max(1);
    let keep = |(i, p): &(usize, &TradePoint)| i % stride == 0 || p.arrangement.setting == chosen.setting;
    trade.iter().enumerate().filter(keep).map(|(_, p)| p).collect()
}

/// Dropouts on a logarithmic scale from a thousandth of the target to ten thousand times it, the target in the
/// middle as a stroke.
fn risk_bar(rate: PerHour, target: PerHour) -> String {
    const CELLS: usize = 12;
    const MIDDLE: usize = 5;
    let decades = (rate / target).max(1e-9).log10();
    let reach = ((decades + 3.0) / 7.0 * CELLS as f64).round().clamp(0.0, CELLS as f64) as usize;
    (0..CELLS)
        .map(|i| match i {
            MIDDLE if reach > MIDDLE => '╋',
            MIDDLE => '┃',
            i if i < reach => '━',
            _ => '·',
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_stroke_is_the_target_and_the_bar_passes_it_only_when_it_breaks() {
        let bar = |rate: f64| risk_bar(PerHour::new(rate), PerHour::new(1.0));
        assert_eq!(bar(0.0), "·····┃······");
        assert_eq!(bar(1e9), "━━━━━╋━━━━━━");
        assert!([1e-3, 0.1, 0.9].iter().all(|r| bar(*r).contains('┃')));
        assert!([5.0, 100.0, 1e4].iter().all(|r| bar(*r).contains('╋')));
        assert!((-3..5).map(|d| bar(10f64.powi(d)).matches('━').count()).is_sorted());
    }
}
