//! The sheet of changes between phases, in order, for each interface.

use crate::shared::page::columns::legend;
use crate::shared::page::{Style, heading, styled, wrapped};
use crate::shared::words::remedies;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::Plan;

pub fn show(context: &Context<'_>, plan: &Plan) -> String {
    let mut text = heading("What to change from phase to phase");
    let mut on = None;
    for step in &plan.steps {
        if on != Some(step.interface) {
            on = Some(step.interface);
            let title = context.rig.interface(step.interface).title();
            text.push_str(&format!("{}\n", styled(Style::Strong, format!("On the {title}"))));
        }
        let phase = context.session.phase(step.phase).id();
        if step.is_empty() {
            text.push_str(&format!("  {phase}: nothing to change\n"));
            continue;
        }
        text.push_str(&format!("  {phase}\n"));
        for r in &step.restore {
            text.push_str(&wrapped("    ↩ ", &remedies::undo(context, r)));
        }
        for change in &step.set {
            text.push_str(&wrapped("    □ ", &remedies::change(context, step.interface, change)));
        }
    }
    text.push_str(&legend("↩ restore what a phase before changed    □ set or do"));
    text
}
