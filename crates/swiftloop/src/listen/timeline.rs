//! `listen --svg`: the whole recording with its crackles on a line, and the worst of them from close by.

use super::Listened;
use crate::shared::chart::{GRID, INK, LINE, MARK, QUIET};
use plotters::prelude::*;
use swiftloop_files::FileError;
use swiftloop_measure::listen::{AudioSource, Column, Crackle, CrackleKind, envelope, worst};

/// Columns of the timeline.
const COLUMNS: u64 = 1100;
const CLOSE_UPS: usize = 4;

type TimelineMarks<'a> = DrawingArea<SVGBackend<'a>, plotters::coord::Shift>;
type TimelineDrawing = Result<(), Box<dyn std::error::Error>>;

pub fn svg(heard: &Listened<'_>) -> Result<String, FileError> {
    let envelope = envelope(heard.recording, COLUMNS)?;
    let close: Vec<(&Crackle, u64, Vec<f32>)> = worst(heard.events(), CLOSE_UPS)
        .into_iter()
        .map(|e| {
            let margin = (e.length).clamp(80, 800);
            let from = e.start.saturating_sub(margin);
            let to = (e.start + e.length + margin).min(heard.recording.frames());
            let channel = e.channels.first().copied().unwrap_or(0);
            Ok((e, from, heard.recording.fetch_of(from, to, channel..channel + 1)?.swap_remove(0)))
        })
        .collect::<Result<_, FileError>>()?;
    let height = if close.is_empty() { 360 } else { 800 };
    let mut text = String::new();
    {
        let root = SVGBackend::with_string(&mut text, (1280, height)).into_drawing_area();
        let _ = root.fill(&WHITE);
        let (top, bottom) = root.split_vertically(if close.is_empty() { height } else { 340 });
        // Drawing into a string cannot fail; a panel that plotters refuses stays empty.
        let _ = timeline(&top, heard, &envelope);
        let areas = bottom.split_evenly((close.len().div_ceil(2).max(1), 2));
        for (area, (event, from, samples)) in areas.iter().zip(&close) {
            let _ = close_up(area, heard, event, *from, samples);
        }
        let _ = root.present();
    }
    Ok(text)
}

fn timeline(area: &TimelineMarks<'_>, heard: &Listened<'_>, envelope: &[Column]) -> TimelineDrawing {
    let seconds = heard.recording.seconds();
    let events = heard.events();
    let rate = f64::from(heard.recording.rate().get());
    let used: Vec<CrackleKind> =
        CrackleKind::ALL.into_iter().filter(|k| events.iter().any(|e| e.kind == *k)).collect();
    let peak = envelope.iter().fold(0.05f32, |m, c| m.max(c.high).max(-c.low)) * 1.05;
    let title = match events.len() {
        0 => "no crackles".to_string(),
        n => format!("{n} crackle{}, {:.1} a minute", if n == 1 { "" } else { "s" }, heard.per_minute()),
    };
    // A lane under the sound for each kind that occurs.
    let lanes = used.len() as f32;
    let lane = peak * 0.24;
    let bottom = -peak - lane * lanes;
    let mut chart = ChartBuilder::on(area)
        .caption(title, ("sans-serif", 20, &INK))
        .margin(14)
        .x_label_area_size(40)
        .y_label_area_size(70)
        .build_cartesian_2d(0.0..seconds, bottom..peak)?;
    chart
        .configure_mesh()
        .disable_y_mesh()
        .x_desc("seconds")
        .y_labels(0)
        .label_style(("sans-serif", 14, &INK))
        .axis_desc_style(("sans-serif", 15, &INK))
        .light_line_style(WHITE)
        .bold_line_style(GRID)
        .axis_style(QUIET)
        .draw()?;
    let width = seconds / envelope.len().max(1) as f64;
    chart.draw_series(envelope.iter().map(|c| {
        Rectangle::new([(c.at.raw(), c.low), (c.at.raw() + width, c.high)], LINE.mix(0.55).filled())
    }))?;
    for (i, kind) in used.iter().enumerate() {
        let (high, low) =
            (-peak - lane * i as f32 - lane * 0.15, -peak - lane * (i as f32 + 1.0) + lane * 0.15);
        chart.draw_series(events.iter().filter(|e| e.kind == *kind).map(|e| {
            let t = e.start as f64 / rate;
            let to = t + (e.length as f64 / rate).max(seconds / 700.0);
            Rectangle::new([(t, low), (to, high)], MARK.filled())
        }))?;
        let (x, y) = chart.backend_coord(&(0.0, (high + low) / 2.0));
        let style = ("sans-serif", 14).into_font().color(&INK);
        let place = plotters::style::text_anchor::Pos::new(
            plotters::style::text_anchor::HPos::Right,
            plotters::style::text_anchor::VPos::Center,
        );
        let base = area.get_base_pixel();
        area.draw_text(kind.as_str(), &style.pos(place), (x - base.0 - 8, y - base.1))?;
    }
    Ok(())
}

fn close_up(
    area: &TimelineMarks<'_>,
    heard: &Listened<'_>,
    event: &Crackle,
    from: u64,
    samples: &[f32],
) -> TimelineDrawing {
    let peak = samples.iter().fold(1e-4f32, |m, x| m.max(x.abs())) * 1.15;
    let to = from + samples.len() as u64;
    let length = match (event.length, event.shift) {
        (0, Some(s)) => format!("{} frames", s.unsigned_abs()),
        (0, None) => "length unknown".into(),
        (n, _) => format!("{n} frames"),
    };
    let channel = event.channels.first().map_or(1, |c| c + 1);
    let at = event.start as f64 / f64::from(heard.recording.rate().get());
    let title = format!("{} of {length} at {at:.3} s, channel {channel}", event.kind.as_str());
    let mut chart = ChartBuilder::on(area)
        .caption(title.replace("of length unknown", "of unknown length"), ("sans-serif", 16, &INK))
        .margin(10)
        .x_label_area_size(34)
        .y_label_area_size(14)
        .build_cartesian_2d(from as f64..to as f64, -peak..peak)?;
    chart
        .configure_mesh()
        .disable_y_mesh()
        .x_desc("frame")
        .x_labels(6)
        .y_labels(0)
        .x_label_formatter(&|x| format!("{x:.0}"))
        .label_style(("sans-serif", 13, &INK))
        .axis_desc_style(("sans-serif", 13, &INK))
        .light_line_style(WHITE)
        .bold_line_style(GRID)
        .axis_style(QUIET)
        .draw()?;
    let (first, last) = (event.start as f64, (event.start + event.length.max(1)) as f64);
    chart.draw_series([Rectangle::new([(first, -peak), (last, peak)], MARK.mix(0.14).filled())])?;
    chart.draw_series(LineSeries::new(
        samples.iter().enumerate().map(|(i, x)| ((from + i as u64) as f64, *x)),
        LINE.stroke_width(2),
    ))?;
    chart.draw_series([PathElement::new(vec![(first, -peak), (first, peak)], MARK.stroke_width(1))])?;
    Ok(())
}
