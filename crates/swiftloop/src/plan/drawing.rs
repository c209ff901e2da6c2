//! The trades of all choices as plots.

use crate::shared::chart::{Panel, draw, only_limit};
use crate::shared::words::settings::buffer;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{Choice, Plan};

pub fn svg(context: &Context<'_>, plan: &Plan) -> String {
    let panel = |c| -> Panel<'_> { of(context, c) };
    let panels: Vec<Panel<'_>> = plan.choices.iter().filter(|c| c.trade.len() > 1).map(panel).collect();
    draw(&panels)
}

fn of<'a>(context: &Context<'_>, c: &'a Choice) -> Panel<'a> {
    let (phase, interface) = (context.session.phase(c.phase).id(), &context.rig.interface(c.interface).id);
    Panel {
        title: format!("{phase} · {interface} · {}", buffer(&c.arrangement.setting)),
        points: &c.trade,
        chosen: &c.arrangement,
        target: c.report.target,
        limit: only_limit(&c.report),
    }
}
