//! `--ranking`: for each holder a bar of how many late blocks would have been in time without it, with its doubt.

use crate::shared::chart::{GRID, INK, LINE, MARK, QUIET};
use crate::shared::page::clean;
use crate::shared::words::thieves::kind;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};
use swiftloop_measure::trace::TraceSummary;

const WIDTH: u32 = 1280;
const LEFT: i32 = 420;
const RIGHT: i32 = 60;
const ROW: i32 = 46;
const TOP: i32 = 110;
const ROWS: usize = 14;

pub fn svg(told: &TraceSummary) -> String {
    let rows = told.ranking.all.len().clamp(1, ROWS) as i32;
    let height = TOP + rows * ROW + 92;
    let mut text = String::new();
    {
        let root = SVGBackend::with_string(&mut text, (WIDTH, height as u32)).into_drawing_area();
        // Drawing into a string cannot fail.
        let _ = draw(&root, told, TOP + rows * ROW);
        let _ = root.present();
    }
    text
}

type RankingArea<'a> = DrawingArea<SVGBackend<'a>, plotters::coord::Shift>;

fn draw(area: &RankingArea<'_>, told: &TraceSummary, bottom: i32) -> Result<(), Box<dyn std::error::Error>> {
    area.fill(&WHITE)?;
    let write = |text: &str, at: (i32, i32), size: i32, color: RGBColor, side: HPos| {
        let style = ("sans-serif", size).into_font().color(&color).pos(Pos::new(side, VPos::Center));
        area.draw_text(clean(text).as_ref(), &style, at)
    };
    let count = told.late.len().max(1);
    let blocks = if count == 1 { "One late block".to_string() } else { format!("{count} late blocks") };
    write(&format!("{blocks}: how many would have been in time without"), (40, 34), 24, INK, HPos::Left)?;
    write(
        "the whisker: where 9 of 10 such recordings lie · the small mark: only together with others",
        (40, 66),
        16,
        QUIET,
        HPos::Left,
    )?;
    let x = |blocks: f64| LEFT + (blocks / count as f64 * f64::from(WIDTH as i32 - LEFT - RIGHT)) as i32;
    let step = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000]
        .into_iter()
        .find(|s| count / s <= 10)
        .unwrap_or(count);
    for tick in (0..=count).step_by(step) {
        let at = x(tick as f64);
        area.draw(&PathElement::new([(at, TOP - 10), (at, bottom)], GRID.stroke_width(1)))?;
        write(&tick.to_string(), (at, bottom + 16), 14, QUIET, HPos::Center)?;
    }
    write("late blocks", (LEFT + (WIDTH as i32 - LEFT - RIGHT) / 2, bottom + 44), 15, INK, HPos::Center)?;
    for (row, r) in told.ranking.all.iter().take(ROWS).enumerate() {
        let y = TOP + row as i32 * ROW;
        let middle = y + ROW / 2 - 4;
        let mut name = clean(&r.who.name).into_owned();
        if name.chars().count() > 46 {
            name = format!("{}…", name.chars().take(45).collect::<String>());
        }
        write(&name, (LEFT - 16, middle - 8), 16, INK, HPos::Right)?;
        write(kind(r.who.kind), (LEFT - 16, middle + 10), 13, QUIET, HPos::Right)?;
        let color = if row == 0 { MARK } else { LINE };
        if r.cured > 0 {
            area.draw(&Rectangle::new([(x(0.0), y + 6), (x(r.cured as f64), y + ROW - 14)], color.filled()))?;
        }
        let (low, high) = (x(r.interval.0), x(r.interval.1));
        area.draw(&PathElement::new([(low, middle), (high, middle)], INK.stroke_width(2)))?;
        for end in [low, high] {
            area.draw(&PathElement::new([(end, middle - 6), (end, middle + 6)], INK.stroke_width(2)))?;
        }
        if r.together > 0 {
            area.draw(&Circle::new((x(r.together as f64), middle), 5, QUIET.filled()))?;
        }
    }
    Ok(())
}
