//! The trade as a small picture in a page: delay across, dropouts an hour up (both logarithmic), each buffer a point, the chosen one a
//! square with its name. Colours come from the page, shapes say the same without them.

use crate::shared::page::clean;
use std::fmt::Write;
use swiftloop_core::in_effect::{AtBuffer, Demand};

const WIDTH: f64 = 320.0;
const HEIGHT: f64 = 150.0;
const LEFT: f64 = 46.0;
const RIGHT: f64 = 10.0;
const TOP: f64 = 10.0;
const FOOT: f64 = 34.0;
/// From one in ten thousand hours to a hundred thousand an hour.
const LOW: f64 = -4.0;
const HIGH: f64 = 5.0;
/// More points than this are no picture.
const MOST: usize = 9;

/// The picture; nothing where there is nothing to compare.
pub fn picture(d: &Demand, id: &str) -> String {
    let points = thinned(d);
    if points.len() < 2 {
        return String::new();
    }
    // Buffers double from one to the next, so delay is drawn by its logarithm as well.
    let late = |p: &AtBuffer| p.late_ms.raw().max(0.1);
    let longest = points.iter().map(late).fold(0.1, f64::max);
    let shortest = points.iter().map(late).fold(f64::INFINITY, f64::min);
    let (from, to) = ((shortest * 0.8).ln(), (longest * 1.25).ln());
    let x = |ms: f64| LEFT + (WIDTH - LEFT - RIGHT) * (ms.max(0.1).ln() - from) / (to - from);
    let y = |rate: f64| {
        let decade = rate.max(1e-9).log10().clamp(LOW, HIGH);
        TOP + (HEIGHT - TOP - FOOT) * (HIGH - decade) / (HIGH - LOW)
    };
    let floor = HEIGHT - FOOT;
    let words: Vec<String> = points.iter().map(said).collect();
    let mut svg = format!(
        "<svg viewBox=\"0 0 {WIDTH} {HEIGHT}\" role=\"img\" aria-labelledby=\"{id}-t\">\
         <title id=\"{id}-t\">Delay against dropouts: {}. Chosen: {}.</title>",
        escaped(&words.join("; ")),
        d.buffer_frames
    );
    let _ = write!(svg, "<path class=\"axis\" d=\"M{LEFT} {TOP}V{floor}H{}\"/>", WIDTH - RIGHT);
    let allowed = y(d.allowed_per_hour.raw());
    let _ = write!(svg, "<path class=\"allowed\" d=\"M{LEFT} {allowed:.1}H{}\"/>", WIDTH - RIGHT);
    let _ = write!(
        svg,
        "<text x=\"{}\" y=\"{:.1}\" text-anchor=\"end\">allowed</text>",
        LEFT - 4.0,
        allowed + 3.5
    );
    let line: Vec<String> = points
        .iter()
        .map(|p| format!("{:.1} {:.1}", x(p.late_ms.raw()), y(p.dropouts_per_hour.raw())))
        .collect();
    let _ = write!(svg, "<path class=\"trade\" d=\"M{}\"/>", line.join("L"));
    let mut last = f64::NEG_INFINITY;
    for p in &points {
        let (px, py) = (x(p.late_ms.raw()), y(p.dropouts_per_hour.raw()));
        let mine = p.frames == d.buffer_frames;
        let _ = if mine {
            write!(
                svg,
                "<rect class=\"mine\" x=\"{:.1}\" y=\"{:.1}\" width=\"10\" height=\"10\"/>",
                px - 5.0,
                py - 5.0
            )
        } else {
            write!(svg, "<circle class=\"dot\" cx=\"{px:.1}\" cy=\"{py:.1}\" r=\"3\"/>")
        };
        // Labels that would run into each other are left out, the chosen one never.
        if mine || px - last > 24.0 {
            let low = py < TOP + 14.0;
            let at = if low { py + 16.0 } else { py - 7.0 };
            let bold = if mine { " class=\"name\"" } else { "" };
            let _ = write!(
                svg,
                "<text x=\"{px:.1}\" y=\"{at:.1}\" text-anchor=\"middle\"{bold}>{}</text>",
                p.frames
            );
            last = px;
        }
    }
    let edge = LEFT - 4.0;
    let _ = write!(
        svg,
        "<text x=\"{edge}\" y=\"{:.1}\" text-anchor=\"end\">often</text><text x=\"{edge}\" y=\"{floor}\" text-anchor=\"end\">rare</text>\
         <text x=\"{LEFT}\" y=\"{:.1}\">{shortest:.1} ms late</text><text x=\"{:.1}\" y=\"{:.1}\" text-anchor=\"end\">{longest:.0} ms late</text>\
         <text x=\"{LEFT}\" y=\"{:.1}\">dropouts against delay; the square is chosen</text></svg>",
        TOP + 7.0,
        floor + 12.0,
        WIDTH - RIGHT,
        floor + 12.0,
        floor + 26.0
    );
    svg
}

fn said(p: &AtBuffer) -> String {
    let rate =
        crate::shared::words::figures::rate(p.dropouts_per_hour).replace(crate::shared::page::TIED, " ");
    format!("buffer {}: {:.1} ms, dropouts {rate}", p.frames, p.late_ms.raw())
}

/// At most so many points: the chosen one, and the others at even distances; by delay.
fn thinned(d: &Demand) -> Vec<AtBuffer> {
    let mut all = d.stakes.buffer.clone();
    all.sort_by(|a, b| a.late_ms.raw().total_cmp(&b.late_ms.raw()));
    all.dedup_by_key(|p| p.frames);
    let stride = all.len().div_ceil(MOST).max(1);
    let keep = |(i, p): &(usize, AtBuffer)| i % stride == 0 || p.frames == d.buffer_frames;
    all.into_iter().enumerate().filter(keep).map(|(_, p)| p).collect()
}

/// Text between tags, or within quotes.
pub fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in clean(text).chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            crate::shared::page::TIED => out.push(' '),
            // No text in XML, and no sign that anybody could see.
            '\u{fffe}' | '\u{ffff}' => out.push('\u{fffd}'),
            c => out.push(c),
        }
    }
    out
}
