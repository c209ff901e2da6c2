//! What several readings say together: the line first, what it means, the round trips, the next step.

use super::probe::figure;
use super::{STRONG, heading, lines, right, styled, table, wrapped};
use serde_json::{Value, json};
use std::path::Path;
use swiftloop_core::loops::Fit;
use swiftloop_core::probe::{Collected, Label};
use swiftloop_core::units::Hz;

fn label(l: &Label) -> String {
    match l {
        Label::Block(b) => b.to_string(),
        Label::Speed(s) => format!("\"{s}\""),
    }
}

/// After `probe fit`; `saved` is rig, interface and driver.
pub fn show(found: &Collected, rate: Hz, saved: Option<(&Path, &str, &str)>) -> String {
    let mut text = heading(&format!("Round trips at {rate} Hz"));
    match &found.line {
        Some(line) => text.push_str(&meaning(line, rate)),
        None if found.trips.iter().any(|t| matches!(t.label, Label::Speed(_))) => {
            text.push_str("Speeds without figures have theirs now:\n");
        }
        None => text.push_str("One buffer gives no line: record the probe at another one as well.\n"),
    }
    let mut t = table(&[" buffer", "round trip", "low – high", "in ms", "takes", "from start to start"]);
    for trip in &found.trips {
        t.add_row(vec![
            format!(" {}", label(&trip.label)),
            figure(trip.range.typical().0, 3),
            format!("{} – {}", figure(trip.range.low().0, 3), figure(trip.range.high().0, 3)),
            figure(trip.range.typical().at(rate).0, 3),
            trip.takes.to_string(),
            match trip.takes {
                1 => "one start only".into(),
                _ => format!("{:.3} frames", trip.start_to_start.0),
            },
        ]);
    }
    right(&mut t, &[0, 1, 3, 4]);
    text.push('\n');
    text.push_str(&lines(&t));
    if found.trips.iter().any(|t| t.takes > 1 && t.start_to_start.0 > 1.0) {
        text.push_str(&wrapped("  ! ", "The loop changes when the driver is started again: overdubs move by as much. Start it once and leave it."));
    }
    match saved {
        Some((path, interface, driver)) => text.push_str(&format!(
            "\nWritten into {0}: {1} round trip{2} of {interface} by {driver}.\nNext:  swiftloop plan {0} SESSION.toml\n",
            path.display(), found.trips.len(), if found.trips.len() == 1 { "" } else { "s" }
        )),
        None => text.push_str("\nNext: add --save rig.toml --interface … --driver …, and plan works with these figures.\n"),
    }
    text
}

/// `probe fit --json`
pub fn json(found: &Collected, rate: Hz) -> Value {
    json!({
        "format": "swiftloop.probe-fit/1",
        "sample_rate_hz": rate,
        "blocks": found.line.map(|l| l.blocks),
        "fixed_frames": found.line.map(|l| l.fixed.0),
        "unexplained_frames": found.line.map(|l| l.unexplained.0),
        "trips": found.trips.iter().map(|t| json!({
            "buffer": match &t.label { Label::Block(b) => json!(b), Label::Speed(s) => json!(s) },
            "low_frames": t.range.low().0,
            "round_trip_frames": t.range.typical().0,
            "high_frames": t.range.high().0,
            "takes": t.takes,
            "start_to_start_frames": t.start_to_start.0,
        })).collect::<Vec<_>>(),
    })
}

/// The line and what it says of the driver.
fn meaning(line: &Fit, rate: Hz) -> String {
    let answer = format!("R(N) = {} · N + {} frames", figure(line.blocks, 3), figure(line.fixed.0, 2));
    let mut text = format!("{}\n", styled(STRONG, answer));
    let held = match line.whole_blocks() {
        // One block in and one out are the least that a driver can hold.
        Some(n) if n < 2 => format!(
            "{n} blocks, fewer than one in, one out: the recorder compensates, or the takes are not of the buffers named"
        ),
        Some(2) => "2 blocks, the least there can be: one in, one out".into(),
        Some(3) => "3 blocks, one more than the least: often a second one out, against dropouts".into(),
        Some(n) => format!("{n} blocks, {} more than the least of one in, one out", n - 2),
        None => format!(
            "{:.3} blocks, not a whole number: something in the way works in blocks of its own, or the takes are not of \
             the buffers named",
            line.blocks
        ),
    };
    let lead = if line.whole_blocks().is_some_and(|n| n >= 2) { "  " } else { "  ! " };
    text.push_str(&wrapped(lead, &format!("The driver really holds {held}.")));
    text.push_str(&wrapped(
        "  ",
        &format!(
            "It adds {} frames ({} ms) whatever the buffer: converters, safety, transport.",
            figure(line.fixed.0, 2),
            figure(line.fixed.at(rate).0, 3)
        ),
    ));
    let clean = line.unexplained.0 < 1.0;
    let (lead, holds) = match (line.buffers, clean) {
        (2, _) => {
            ("  ", "Two buffers always lie on a line: a third would show whether the line holds.".to_string())
        }
        (_, true) => {
            ("  ", format!("Farthest from the line: {:.3} frames; the line holds.", line.unexplained.0))
        }
        (_, false) => (
            "  ! ",
            format!(
                "Farthest from the line: {:.3} frames; the driver does not grow evenly with its buffer: trust the measured \
             buffers, not what lies between.",
                line.unexplained.0
            ),
        ),
    };
    text.push_str(&wrapped(lead, &holds));
    text
}
