//! The measurement drawn: delay over time above, late packets against the receive buffer below.

use crate::shared::chart::{GRID, INK, LINE, MARK, QUIET};
use plotters::prelude::*;
use swiftloop_measure::link::measured::{BufferRow, Measured};

type LineArea<'a> = DrawingArea<SVGBackend<'a>, plotters::coord::Shift>;
type LineDrawing = Result<(), Box<dyn std::error::Error>>;

/// Fewer late packets than this an hour are drawn at the foot.
const FLOOR: f64 = 0.1;

pub fn svg(m: &Measured) -> String {
    let mut text = String::new();
    {
        let root = SVGBackend::with_string(&mut text, (1280, 800)).into_drawing_area();
        let _ = root.fill(&WHITE);
        let (top, bottom) = root.split_vertically(380);
        // Drawing into a string cannot fail; a panel that plotters refuses stays empty.
        let _ = over_time(&top, m);
        let _ = against_buffer(&bottom, m);
        let _ = root.present();
    }
    text
}

fn over_time(area: &LineArea<'_>, m: &Measured) -> LineDrawing {
    let latest = m.course.iter().map(|p| p.forth_ms.max(p.back_ms)).fold(0.5, f64::max);
    // The buffer is shown where that does not make everything else flat.
    let most = m.recommended_ms.filter(|b| *b < 3.0 * latest).map_or(latest, |b| b.max(latest)) * 1.1;
    let mut chart = ChartBuilder::on(area)
        .caption(
            "How much later than the quickest: the latest packet of each moment",
            ("sans-serif", 20, &INK),
        )
        .margin(14)
        .margin_right(30)
        .x_label_area_size(42)
        .y_label_area_size(70)
        .build_cartesian_2d(0.0..m.seconds.max(1e-3), 0.0..most)?;
    chart
        .configure_mesh()
        .x_desc("seconds")
        .x_label_formatter(&|x| format!("{x:.0}"))
        .y_desc("ms late")
        .label_style(("sans-serif", 14, &INK))
        .axis_desc_style(("sans-serif", 15, &INK))
        .light_line_style(WHITE)
        .bold_line_style(GRID)
        .axis_style(QUIET)
        .draw()?;
    let line = |of: fn(&swiftloop_measure::link::measured::CoursePoint) -> f64| {
        m.course.iter().map(move |p| (p.at_s, of(p)))
    };
    chart
        .draw_series(LineSeries::new(line(|p| p.forth_ms), LINE.stroke_width(2)))?
        .label("there")
        .legend(|(x, y)| PathElement::new([(x, y), (x + 24, y)], LINE.stroke_width(2)));
    chart
        .draw_series(LineSeries::new(line(|p| p.back_ms), QUIET.stroke_width(2)))?
        .label("back")
        .legend(|(x, y)| PathElement::new([(x, y), (x + 24, y)], QUIET.stroke_width(2)));
    if let Some(buffer) = m.recommended_ms.filter(|b| *b < most) {
        let ends = [(0.0, buffer), (m.seconds, buffer)];
        chart
            .draw_series(DashedLineSeries::new(ends, 6, 5, MARK.stroke_width(2)))?
            .label("receive buffer")
            .legend(|(x, y)| PathElement::new([(x, y), (x + 24, y)], MARK.stroke_width(2)));
    }
    let lost = m
        .course
        .iter()
        .filter(|p| p.lost > 0)
        .map(|p| Cross::new((p.at_s, most * 0.97), 4, MARK.stroke_width(2)));
    if m.course.iter().any(|p| p.lost > 0) {
        chart
            .draw_series(lost)?
            .label("lost")
            .legend(|(x, y)| Cross::new((x + 12, y), 4, MARK.stroke_width(2)));
    }
    chart
        .configure_series_labels()
        .position(SeriesLabelPosition::UpperRight)
        .background_style(WHITE)
        .border_style(GRID)
        .label_font(("sans-serif", 14, &INK))
        .draw()?;
    Ok(())
}

fn against_buffer(area: &LineArea<'_>, m: &Measured) -> LineDrawing {
    let allowed = m.allowed_per_hour.max(FLOOR);
    // As far as anybody would go: twice what is recommended, or where nothing more is gained.
    let last = m.receive_buffer.last().map_or(1.0, |r| r.ms).max(1.0);
    let longest = m.recommended_ms.map_or(last, |b| (b * 2.0).clamp(2.0, last.max(2.0)));
    let most = m.receive_buffer.first().map_or(10.0, |r| r.late_per_hour.high).max(allowed * 10.0) * 2.0;
    let mut chart = ChartBuilder::on(area)
        .caption(
            "Packets late or lost an hour, for each length of the receive buffer",
            ("sans-serif", 20, &INK),
        )
        .margin(14)
        .x_label_area_size(42)
        .y_label_area_size(90)
        .build_cartesian_2d(0.0..longest, (FLOOR..most).log_scale())?;
    chart
        .configure_mesh()
        .x_desc("receive buffer, ms")
        .y_desc("late or lost an hour")
        .y_label_formatter(&|y| if *y < 1.0 { format!("{y:.1}") } else { format!("{y:.0}") })
        .label_style(("sans-serif", 14, &INK))
        .axis_desc_style(("sans-serif", 15, &INK))
        .light_line_style(WHITE)
        .bold_line_style(GRID)
        .axis_style(QUIET)
        .draw()?;
    let rows: Vec<&BufferRow> = m.receive_buffer.iter().filter(|r| r.ms <= longest).collect();
    let at = |y: f64| y.clamp(FLOOR, most);
    let line = |of: &dyn Fn(&BufferRow) -> f64| rows.iter().map(|r| (r.ms, at(of(r)))).collect::<Vec<_>>();
    let band: Vec<(f64, f64)> = {
        let upper = line(&|r| r.late_per_hour.at_most.max(r.late_per_hour.typical));
        let lower = line(&|r| r.late_per_hour.low.min(r.late_per_hour.typical));
        upper.into_iter().chain(lower.into_iter().rev()).collect()
    };
    chart.draw_series([Polygon::new(band, LINE.mix(0.15))])?;
    let worse = |of: fn(&swiftloop_measure::link::measured::BySpare) -> f64| {
        line(&move |r| of(&r.forth).max(of(&r.back)))
    };
    chart
        .draw_series(LineSeries::new(line(&|r| r.late_per_hour.typical), LINE.stroke_width(2)))?
        .label("each packet once, with its doubt")
        .legend(|(x, y)| PathElement::new([(x, y), (x + 24, y)], LINE.stroke_width(2)));
    chart
        .draw_series(DashedLineSeries::new(worse(|s| s.twice.typical), 4, 4, QUIET.stroke_width(2)))?
        .label("each packet twice")
        .legend(|(x, y)| PathElement::new([(x, y), (x + 24, y)], QUIET.stroke_width(2)));
    chart
        .draw_series(DashedLineSeries::new([(0.0, allowed), (longest, allowed)], 6, 5, MARK.stroke_width(1)))?
        .label("you allow")
        .legend(|(x, y)| PathElement::new([(x, y), (x + 24, y)], MARK.stroke_width(1)));
    if let Some(buffer) = m.recommended_ms {
        chart.draw_series(LineSeries::new([(buffer, FLOOR), (buffer, most)], MARK.stroke_width(2)))?;
        let label = format!("{buffer} ms");
        let style = ("sans-serif", 16).into_font().color(&MARK);
        chart.draw_series([EmptyElement::at((buffer, most * 0.5)) + Text::new(label, (6, 0), style)])?;
    }
    chart
        .configure_series_labels()
        .position(SeriesLabelPosition::UpperRight)
        .background_style(WHITE)
        .border_style(GRID)
        .label_font(("sans-serif", 14, &INK))
        .draw()?;
    Ok(())
}
