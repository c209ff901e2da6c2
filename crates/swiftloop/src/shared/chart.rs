//! The trade as a plot: delay across, dropouts per hour up (logarithmic), every buffer a point, the frontier
//! joined, the chosen one ringed and named, the target a dashed line.

use crate::shared::page::clean;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};
use swiftloop_core::loops::Limit;
use swiftloop_core::plan::{Arrangement, TradePoint};
use swiftloop_units::{Ms, PerHour};

/// Fewer dropouts than one in so many hours are drawn at the foot.
const FLOOR: f64 = 1e-4;
const CEILING: f64 = 1e5;
pub const INK: RGBColor = RGBColor(0x2b, 0x33, 0x3f);
pub const QUIET: RGBColor = RGBColor(0x8a, 0x93, 0x9e);
pub const LINE: RGBColor = RGBColor(0x1f, 0x6f, 0x8b);
pub const MARK: RGBColor = RGBColor(0xc1, 0x4d, 0x1f);
pub const GRID: RGBColor = RGBColor(0xe8, 0xea, 0xed);

/// One trade to draw.
pub struct Panel<'a> {
    pub title: String,
    pub points: &'a [TradePoint],
    pub chosen: &'a Arrangement,
    pub target: PerHour,
    /// The limit to draw when only one loop counts; with several, delay is the slowest loop's and limits differ.
    pub limit: Option<Ms>,
}

/// The limit of a report with one loop.
pub fn only_limit(r: &swiftloop_core::plan::Report) -> Option<Ms> {
    let of = |limit: &Limit| limit.fails;
    match r.loops.as_slice() {
        [one] => one.limit.as_ref().map(of),
        _ => None,
    }
}

/// All of them on one page.
pub fn draw(panels: &[Panel<'_>]) -> String {
    let columns = panels.len().clamp(1, 2);
    let rows = panels.len().div_ceil(columns).max(1);
    let size = if panels.len() > 1 { (1280, 400 * rows as u32) } else { (1000, 640) };
    let mut text = String::new();
    {
        let root = SVGBackend::with_string(&mut text, size).into_drawing_area();
        // Drawing into a string cannot fail; a panel that plotters refuses stays empty.
        let _ = root.fill(&WHITE);
        for (area, panel) in root.split_evenly((rows, columns)).iter().zip(panels) {
            let _ = draw_panel(area, panel);
        }
        let _ = root.present();
    }
    text
}

type Area<'a> = DrawingArea<SVGBackend<'a>, plotters::coord::Shift>;

fn draw_panel(area: &Area<'_>, panel: &Panel<'_>) -> Result<(), Box<dyn std::error::Error>> {
    let longest = panel.points.iter().map(|p| p.round_trip.raw()).fold(1.0, f64::max) * 1.12;
    let height = |rate: f64| rate.clamp(FLOOR, CEILING);
    let mut chart = ChartBuilder::on(area)
        .caption(clean(&panel.title).as_ref(), ("sans-serif", 20, &INK))
        .margin(14)
        .x_label_area_size(42)
        .y_label_area_size(84)
        .build_cartesian_2d(0.0..longest, (FLOOR..CEILING).log_scale())?;
    chart
        .configure_mesh()
        .x_desc("slowest performer, ms late")
        .y_desc("dropouts an hour")
        .y_labels(10)
        .y_label_formatter(&|y| match *y {
            y if y <= FLOOR * 1.01 => "fewer".into(),
            y if y < 1.0 => format!("{y}"),
            y => format!("{y:.0}"),
        })
        .label_style(("sans-serif", 14, &INK))
        .axis_desc_style(("sans-serif", 15, &INK))
        .light_line_style(WHITE)
        .bold_line_style(GRID)
        .axis_style(QUIET)
        .draw()?;
    chart.draw_series(DashedLineSeries::new(
        [(0.0, panel.target.raw()), (longest, panel.target.raw())],
        6,
        5,
        MARK.stroke_width(1),
    ))?;
    let label = |text: String, at: (f64, f64), color: RGBColor| {
        // Towards the right edge labels stand left of their point; at the ceiling below it.
        let leftwards = at.0 > longest * 0.75;
        let low = at.1 >= CEILING * 0.2;
        let anchor = Pos::new(
            if leftwards { HPos::Right } else { HPos::Left },
            if low { VPos::Top } else { VPos::Bottom },
        );
        let style = ("sans-serif", 14).into_font().color(&color).pos(anchor);
        EmptyElement::at(at)
            + Text::new(text, (if leftwards { -8 } else { 8 }, if low { 8 } else { -7 }), style)
    };
    chart.draw_series([label(
        format!("you allow {}", panel.target.raw()),
        // At the right, where large buffers seldom break: no point is near.
        (longest, panel.target.raw()),
        MARK,
    )])?;
    if let Some(limit) = panel.limit.map(Ms::raw).filter(|l| *l < longest) {
        chart.draw_series(DashedLineSeries::new(
            [(limit, FLOOR), (limit, CEILING)],
            6,
            5,
            QUIET.stroke_width(1),
        ))?;
        chart.draw_series([label(format!("limit {limit} ms"), (limit, CEILING), QUIET)])?;
    }
    let frontier =
        panel.points.iter().filter(|p| p.on_frontier).map(|p| (p.round_trip.raw(), height(p.dropouts.raw())));
    chart.draw_series(LineSeries::new(frontier, LINE.stroke_width(2)))?;
    let mut last_label = f64::NEG_INFINITY;
    for p in panel.points {
        let at = (p.round_trip.raw(), height(p.dropouts.raw()));
        let mine = p.arrangement.setting == panel.chosen.setting;
        let dot = if p.on_frontier { LINE.filled() } else { QUIET.stroke_width(1) };
        chart.draw_series([Circle::new(at, 4, dot)])?;
        if mine {
            chart.draw_series([Circle::new(at, 9, MARK.stroke_width(2))])?;
        }
        // Labels that would run into each other are left out, the chosen one never.
        if mine || at.0 - last_label > longest / 14.0 {
            let name = clean(&p.arrangement.setting.buffer.label()).into_owned();
            let (text, color) = if mine { (format!("{name}, chosen"), MARK) } else { (name, INK) };
            chart.draw_series([label(text, at, color)])?;
            last_label = at.0;
        }
    }
    Ok(())
}
