//! The trade around a trial as a plot.

use crate::shared::chart::{Panel, draw, only_limit};
use crate::shared::words::settings::place;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::Trial;

pub fn svg(context: &Context<'_>, t: &Trial<'_>) -> String {
    draw(&[Panel {
        title: place(context, t.interface, t.phase),
        points: &t.trade,
        chosen: &t.arrangement,
        target: t.report.target,
        limit: only_limit(&t.report),
    }])
}
