//! `--lanes`: one late block as a lane for each core: who had it from a little before the block was due until it ran, with the
//! instants of its way across all lanes.

use crate::shared::chart::{GRID, INK, LINE, MARK, QUIET};
use crate::shared::page::clean;
use crate::shared::words::figures::us;
use crate::shared::words::thieves::who;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};
use swiftloop_measure::trace::{BlockStage, CoreStretch, LaneHas, LateBlock, Names};

const WIDTH: u32 = 1280;
/// Left of the lanes: the cores' names.
const LEFT: i32 = 90;
const RIGHT: i32 = 30;
const LANE: i32 = 64;
const TOP: i32 = 188;

/// What fills a stretch.
struct Fill {
    color: RGBColor,
    legend: &'static str,
}

const OURS: Fill = Fill { color: LINE, legend: "the thread that plays" };
const OTHER: Fill = Fill { color: RGBColor(0xb9, 0xc2, 0xcb), legend: "another thread" };
const INTERRUPT: Fill = Fill { color: MARK, legend: "an interrupt" };
const SOFT: Fill = Fill { color: RGBColor(0xd9, 0x9a, 0x3c), legend: "deferred work" };
const OUTSIDE: Fill = Fill { color: RGBColor(0x6b, 0x4f, 0x8a), legend: "a host or the firmware" };

fn fill(stretch: &CoreStretch, block: &LateBlock) -> Option<&'static Fill> {
    match stretch.has {
        LaneHas::Nobody => None,
        LaneHas::Thread(t) if t.pid == block.thread.pid => Some(&OURS),
        LaneHas::Thread(_) => Some(&OTHER),
        LaneHas::Interrupt(_) => Some(&INTERRUPT),
        LaneHas::Soft(_) => Some(&SOFT),
        LaneHas::Outside => Some(&OUTSIDE),
    }
}

fn label(stretch: &CoreStretch, names: &Names) -> String {
    match stretch.has {
        LaneHas::Nobody => String::new(),
        LaneHas::Thread(t) => names.get(t.name).to_string(),
        LaneHas::Interrupt(name) | LaneHas::Soft(name) => names.get(name).to_string(),
        LaneHas::Outside => "outside".into(),
    }
}

pub fn svg(block: &LateBlock, names: &Names) -> String {
    let lanes = block.lanes.len().max(1) as i32;
    let bottom = TOP + lanes * LANE;
    let height = bottom + 96;
    let mut text = String::new();
    {
        let root = SVGBackend::with_string(&mut text, (WIDTH, height as u32)).into_drawing_area();
        // Drawing into a string cannot fail.
        let _ = draw(&root, block, names, bottom);
        let _ = root.present();
    }
    text
}

type LanesArea<'a> = DrawingArea<SVGBackend<'a>, plotters::coord::Shift>;

fn draw(
    area: &LanesArea<'_>,
    block: &LateBlock,
    names: &Names,
    bottom: i32,
) -> Result<(), Box<dyn std::error::Error>> {
    area.fill(&WHITE)?;
    let write = |text: &str, at: (i32, i32), size: i32, color: RGBColor, side: HPos| {
        let style = ("sans-serif", size).into_font().color(&color).pos(Pos::new(side, VPos::Center));
        area.draw_text(clean(text).as_ref(), &style, at)
    };
    let name = names.get(block.thread.name);
    let heading = format!("{name}: {} late", us(block.late().us())).replace(crate::shared::page::TIED, " ");
    write(&heading, (LEFT, 30), 24, INK, HPos::Left)?;
    write(
        &format!("held up by {}", who(&block.thief)).replace(crate::shared::page::TIED, " "),
        (LEFT, 60),
        17,
        MARK,
        HPos::Left,
    )?;
    write("framed: the step that grew", (WIDTH as i32 - RIGHT, 30), 15, QUIET, HPos::Right)?;
    // Time along the lanes.
    let ends = block.lanes.iter().flat_map(|l| &l.stretches);
    let from = ends.clone().map(|s| s.from).min().unwrap_or(block.way.due);
    let to = ends.map(|s| s.to).max().unwrap_or(block.way.running).max(block.way.running);
    let wide = f64::from(WIDTH as i32 - LEFT - RIGHT);
    let all = (to.since(from).0 as f64).max(1.0);
    let x = |at: swiftloop_measure::trace::Instant| LEFT + (at.since(from).0 as f64 / all * wide) as i32;
    for (row, lane) in block.lanes.iter().enumerate() {
        let top = TOP + row as i32 * LANE;
        write(&format!("core {}", lane.core.0), (LEFT - 12, top + LANE / 2 - 4), 16, INK, HPos::Right)?;
        area.draw(&Rectangle::new([(LEFT, top), (WIDTH as i32 - RIGHT, top + LANE - 14)], GRID.filled()))?;
        for stretch in &lane.stretches {
            let Some(fill) = fill(stretch, block) else { continue };
            let (a, b) = (x(stretch.from), x(stretch.to).max(x(stretch.from) + 1));
            area.draw(&Rectangle::new([(a, top), (b, top + LANE - 14)], fill.color.filled()))?;
            let label = label(stretch, names);
            if b - a > 8 * label.chars().count() as i32 + 10 {
                let ink = if std::ptr::eq(fill, &OTHER) { INK } else { WHITE };
                write(&label, ((a + b) / 2, top + (LANE - 14) / 2), 14, ink, HPos::Center)?;
            }
        }
    }
    grown(area, block, &x)?;
    way(area, block, &x, bottom)?;
    axis(area, block, (from, to), &x, bottom)?;
    legend(area, bottom + 70)
}

/// A frame around the step that grew, on the core of the block.
fn grown(
    area: &LanesArea<'_>,
    block: &LateBlock,
    x: &impl Fn(swiftloop_measure::trace::Instant) -> i32,
) -> Result<(), Box<dyn std::error::Error>> {
    let row = block.lanes.iter().position(|l| l.core == block.core).unwrap_or_default() as i32;
    let mut from = block.way.due;
    for (step, end) in BlockStage::ALL.into_iter().zip(block.way.ends()) {
        let Some(end) = end else { continue };
        if step == block.grew {
            let top = TOP + row * LANE;
            let (a, b) = (x(from), x(end).max(x(from) + 2));
            area.draw(&Rectangle::new([(a, top - 3), (b, top + LANE - 11)], MARK.stroke_width(3)))?;
        }
        from = end;
    }
    Ok(())
}

/// The instants of the block's way, with their names above.
fn way(
    area: &LanesArea<'_>,
    block: &LateBlock,
    x: &impl Fn(swiftloop_measure::trace::Instant) -> i32,
    bottom: i32,
) -> Result<(), Box<dyn std::error::Error>> {
    let names = ["interrupt", "timer", "woken", "has the core", "runs", "done"];
    let ends = names.into_iter().zip(block.way.ends()).filter(|e| e.0 != "done" || block.by_deadline);
    let instants = std::iter::once(("due", Some(block.way.due))).chain(ends);
    // Names that would run into each other go up a row.
    let mut taken = [i32::MIN; 6];
    let grown = BlockStage::ALL.iter().position(|s| *s == block.grew).unwrap_or_default();
    for (index, (name, at)) in instants.enumerate() {
        let Some(at) = at else { continue };
        let at = x(at);
        let row = (0..taken.len()).find(|r| taken[*r] < at).unwrap_or(0);
        taken[row] = at + 8 * name.len() as i32 + 12;
        let y = TOP - 16 - 18 * row as i32;
        let color = if index == grown + 1 { MARK } else { INK };
        area.draw(&PathElement::new([(at, y + 8), (at, bottom - 10)], color.stroke_width(1)))?;
        let style = ("sans-serif", 15).into_font().color(&color).pos(Pos::new(HPos::Left, VPos::Center));
        area.draw_text(name, &style, (at + 3, y))?;
    }
    Ok(())
}

/// Microseconds from the instant the block was due.
fn axis(
    area: &LanesArea<'_>,
    block: &LateBlock,
    (from, to): (swiftloop_measure::trace::Instant, swiftloop_measure::trace::Instant),
    x: &impl Fn(swiftloop_measure::trace::Instant) -> i32,
    bottom: i32,
) -> Result<(), Box<dyn std::error::Error>> {
    let all = to.since(from).us();
    let rough = all / 8.0;
    let power = 10f64.powf(rough.log10().floor());
    let step = [1.0, 2.0, 5.0, 10.0].into_iter().map(|m| m * power).find(|s| *s >= rough).unwrap_or(rough);
    let first = (from.since(block.way.due).us() / step).ceil() as i64;
    let last = (to.since(block.way.due).us() / step).floor() as i64;
    let style = ("sans-serif", 14).into_font().color(&QUIET).pos(Pos::new(HPos::Center, VPos::Center));
    for tick in first..=last {
        let us = tick as f64 * step;
        let at = x(block.way.due.after(swiftloop_measure::trace::TraceSpan::from_us(us)));
        area.draw(&PathElement::new([(at, bottom - 8), (at, bottom - 2)], QUIET.stroke_width(1)))?;
        area.draw_text(&format!("{us:.0}"), &style, (at, bottom + 10))?;
    }
    let style = ("sans-serif", 15).into_font().color(&INK).pos(Pos::new(HPos::Center, VPos::Center));
    area.draw_text("µs since it was due", &style, (LEFT + (WIDTH as i32 - LEFT - RIGHT) / 2, bottom + 34))?;
    Ok(())
}

fn legend(area: &LanesArea<'_>, y: i32) -> Result<(), Box<dyn std::error::Error>> {
    let style = ("sans-serif", 15).into_font().color(&INK).pos(Pos::new(HPos::Left, VPos::Center));
    let mut at = LEFT;
    for fill in [&OURS, &OTHER, &INTERRUPT, &SOFT, &OUTSIDE] {
        area.draw(&Rectangle::new([(at, y - 7), (at + 18, y + 7)], fill.color.filled()))?;
        area.draw_text(fill.legend, &style, (at + 26, y))?;
        at += 26 + 7 * fill.legend.len() as i32 + 36;
    }
    Ok(())
}
