//! The trade as a small picture for the terminal: buffers across, the loop's delay and the dropouts per hour
//! down, the chosen one marked.

use super::words::per_hour;
use super::{STRONG, lines, right, styled, table};
use swiftloop_core::choice::{Arrangement, TradePoint};

/// Bars are so many characters at the most.
const BAR: usize = 16;

/// More rows than this are no picture.
const MOST_ROWS: usize = 9;

/// The picture of a trade; nothing when there is nothing to compare.
pub fn show(trade: &[TradePoint], chosen: &Arrangement, target: f64) -> String {
    if trade.len() < 2 {
        return String::new();
    }
    let longest = trade.iter().map(|p| p.round_trip_ms).fold(1e-9, f64::max);
    let mut t = table(&["", "buffer", "delay", "", "dropouts/h", "", ""]);
    for point in thinned(trade, chosen) {
        let mine = point.arrangement.setting == chosen.setting;
        let delay = ((point.round_trip_ms / longest * BAR as f64).round() as usize).clamp(1, BAR);
        let mut remarks = Vec::new();
        if mine {
            remarks.push("chosen");
        }
        if !point.within {
            remarks.push("over a limit");
        }
        if point.dropouts_per_hour > target {
            remarks.push("breaking");
        }
        if remarks.is_empty() && !point.on_frontier {
            remarks.push("no gain");
        }
        let row = [
            if mine { "▶" } else { "" }.to_string(),
            point.arrangement.setting.buffer.label(),
            format!("{:.1} ms", point.round_trip_ms),
            "▆".repeat(delay),
            per_hour(point.dropouts_per_hour),
            risk_bar(point.dropouts_per_hour, target),
            remarks.join(", "),
        ];
        t.add_row(row.into_iter().map(|c| if mine && !c.is_empty() { styled(STRONG, c) } else { c }));
    }
    right(&mut t, &[1, 2, 4]);
    lines(&t)
}

/// At most [`MOST_ROWS`] points: the chosen one, and the others at even distances.
fn thinned<'a>(trade: &'a [TradePoint], chosen: &Arrangement) -> Vec<&'a TradePoint> {
    let stride = trade.len().div_ceil(MOST_ROWS).max(1);
    let keep = |(i, p): &(usize, &TradePoint)| i % stride == 0 || p.arrangement.setting == chosen.setting;
    trade.iter().enumerate().filter(keep).map(|(_, p)| p).collect()
}

/// Dropouts on a logarithmic scale from a thousandth of the target to ten thousand times it, the target in the
/// middle as a stroke.
fn risk_bar(rate: f64, target: f64) -> String {
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
    use super::risk_bar;

    #[test]
    fn the_stroke_is_the_target_and_the_bar_passes_it_only_when_it_breaks() {
        assert_eq!(risk_bar(0.0, 1.0), "·····┃······");
        assert_eq!(risk_bar(1e9, 1.0), "━━━━━╋━━━━━━");
        for rate in [1e-3, 0.1, 0.9] {
            assert!(risk_bar(rate, 1.0).contains('┃'), "{rate}");
        }
        for rate in [5.0, 100.0, 1e4] {
            assert!(risk_bar(rate, 1.0).contains('╋'), "{rate}");
        }
        let reach = |rate| risk_bar(rate, 1.0).matches('━').count();
        assert!((-3..5).map(|d| reach(10f64.powi(d))).is_sorted());
    }
}
