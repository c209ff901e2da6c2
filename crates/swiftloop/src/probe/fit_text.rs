//! What several readings say together: the line first, what it means, the round trips, the next step.

use crate::shared::answer::quoted;
use crate::shared::page::{Columns, Head, TIED, answer, command, heading, para, title, wrapped};
use crate::shared::words::Explain;
use crate::shared::words::figures::decimals;
use serde_json::{Value, json as object};
use std::path::Path;
use swiftloop_measure::probe::{Collected, Label, RoundTripLine};
use swiftloop_units::Hz;

fn label(l: &Label) -> String {
    match l {
        Label::Block(b) => b.to_string(),
        Label::Panel(count, b) => format!("{count} × {b}"),
        Label::Speed(s) => format!("\"{s}\""),
    }
}

/// Where the round trips were written.
pub struct SavedTrips<'a> {
    pub rig: &'a Path,
    pub interface: &'a str,
    pub driver: &'a str,
}

pub fn lead(found: &Collected) -> Vec<String> {
    match (&found.line, &found.unusable) {
        (Some(line), None) => vec![
            format!(
                "The loop takes {} blocks and {} frames.",
                decimals(line.blocks, 3),
                decimals(line.fixed.raw(), 2)
            ),
            format!("The driver really holds {}.", held(line)),
        ],
        (_, Some(why)) => vec![format!("These recordings do not fit together: {}.", why.what())],
        (None, None) if found.trips.iter().any(|t| matches!(t.label, Label::Speed(_))) => {
            vec!["Speeds without figures have theirs now.".into()]
        }
        (None, None) => vec!["One buffer gives no line: record the probe at another one as well.".into()],
    }
}

/// After `probe fit` or `probe run`; `again` is the command, to be followed by where to save.
pub fn show(found: &Collected, rate: Hz, saved: Option<&SavedTrips<'_>>, again: &str) -> String {
    let mut text = heading(&format!("Round trips at {rate}{TIED}Hz"));
    let lines = lead(found);
    if let Some((first, rest)) = lines.split_first() {
        text.push_str(&answer(first));
        rest.iter().for_each(|line| text.push_str(&para(line)));
    }
    match (&found.line, &found.unusable) {
        (_, Some(why)) => text.push_str(&wrapped(
            "to do:  ",
            &format!("{}.", crate::shared::words::warnings::capital(&why.help())),
        )),
        (Some(line), None) => text.push_str(&meaning(line, rate)),
        (None, None) => {}
    }
    text.push('\n');
    text.push_str(&trips(found, rate));
    if found.trips.iter().any(|t| t.takes > 1 && t.start_to_start.raw() > 1.0) {
        text.push_str(&wrapped(
            "  ! ",
            "The loop changes when the driver is started again: overdubs move by as much. Start it once and leave it.",
        ));
    }
    match saved {
        Some(s) => {
            let n = crate::shared::page::counted(found.trips.len(), "round trip", "round trips");
            let rig = s.rig.display().to_string();
            text.push_str(&wrapped(
                "",
                &format!("Written into {rig}: {n} of {} by {}.", s.interface, s.driver),
            ));
            text.push_str(&title("Next"));
            text.push_str(&command(&format!("swiftloop plan {} SESSION.toml", quoted(&rig))));
        }
        None if found.unusable.is_none() => {
            text.push_str(&title("Next: into the rig (with its own ids), and plan works with these figures"));
            text.push_str(&command(&format!("{again} --save rig.toml --interface ID --driver ID")));
        }
        None => {}
    }
    text
}

/// After `probe run --inside`: a loop without any interface.
pub fn inside(found: &Collected, rate: Hz) -> String {
    let mut text = heading(&format!("What the server itself adds, at {rate}{TIED}Hz"));
    text.push_str(&match &found.line {
        Some(line) => answer(&format!(
            "From one program to another and back it adds {} blocks and {} frames.",
            decimals(line.blocks, 3),
            decimals(line.fixed.raw(), 2)
        )),
        None => answer("One buffer gives no line: take another one as well."),
    });
    text.push_str(&para("No interface is in this loop. What the whole way takes, through a cable from an output into an input:"));
    text.push_str(&command("swiftloop probe run --buffers 64,128,256"));
    text.push('\n');
    text.push_str(&trips(found, rate));
    text
}

fn trips(found: &Collected, rate: Hz) -> String {
    let mut t = Columns::new(&[
        Head::figures("buffer"),
        Head::figures("frames"),
        Head::words("low to high"),
        Head::figures("ms"),
        Head::figures("takes"),
        Head::words("from start to start"),
    ]);
    for trip in &found.trips {
        t.row([
            label(&trip.label),
            decimals(trip.range.typical().raw(), 3),
            format!("{} to {}", decimals(trip.range.low().raw(), 3), decimals(trip.range.high().raw(), 3)),
            decimals(trip.range.typical().at(rate).raw(), 3),
            trip.takes.to_string(),
            match trip.takes {
                1 => "one start only".into(),
                _ => format!("{:.3} frames", trip.start_to_start.raw()),
            },
        ]);
    }
    t.show()
}

/// `probe fit --json`
pub fn json(found: &Collected, rate: Hz) -> Value {
    object!({
        "format": "swiftloop.probe-fit/1",
        "sample_rate_hz": rate,
        "blocks": found.line.map(|l| l.blocks),
        "fixed_frames": found.line.map(|l| l.fixed),
        "unexplained_frames": found.line.map(|l| l.unexplained),
        "unusable": found.unusable.as_ref().map(Explain::what),
        "trips": found.trips.iter().map(|t| object!({
            "buffer": match &t.label {
                Label::Block(b) => object!(b),
                Label::Panel(..) => object!(label(&t.label)),
                Label::Speed(s) => object!(s),
            },
            "low_frames": t.range.low(),
            "round_trip_frames": t.range.typical(),
            "high_frames": t.range.high(),
            "takes": t.takes,
            "start_to_start_frames": t.start_to_start,
        })).collect::<Vec<_>>(),
    })
}

fn held(line: &RoundTripLine) -> String {
    match line.whole_blocks() {
        Some(2) => "2 blocks, the least there can be: one in, one out".into(),
        Some(3) => "3 blocks, one more than the least: often a second one out, against dropouts".into(),
        Some(n) => format!("{n} blocks, {} more than the least of one in, one out", n - 2),
        None => format!(
            "{:.3} blocks, not a whole number: something in the way works in blocks of its own, or the takes are not of the \
             buffers named",
            line.blocks
        ),
    }
}

/// What does not depend on the buffer, and whether the line holds.
fn meaning(line: &RoundTripLine, rate: Hz) -> String {
    let mut text = para(&format!(
        "It adds {} frames ({}{TIED}ms) whatever the buffer: converters, safety, transport.",
        decimals(line.fixed.raw(), 2),
        decimals(line.fixed.at(rate).raw(), 3)
    ));
    let off = line.unexplained.raw();
    text.push_str(&match (line.buffers, off < 1.0) {
        (2, _) => para("Two buffers always lie on a line: a third would show whether the line holds."),
        (_, true) => para(&format!("Farthest from the line: {off:.3} frames; the line holds.")),
        (_, false) => wrapped(
            "  ! ",
            &format!(
                "Farthest from the line: {off:.3} frames; the driver does not grow evenly with its buffer: trust the measured \
                 buffers, not what lies between."
            ),
        ),
    });
    text
}
