//! What is not as planned on a computer: what it is, what it costs, what to do.

use crate::shared::in_effect::Checked;
use crate::shared::page::{Style, command, styled, title, wrapped};
use crate::shared::words::differences::say;
use swiftloop_core::in_effect::Demand;

/// Commands of one difference that are shown.
const COMMANDS: usize = 2;

/// What differs, each with its cost and cure; no more than so many.
pub fn differences(demand: &Demand, one: &Checked, most: usize) -> String {
    let mut text = String::new();
    let all = &one.comparison.differences;
    for d in all.iter().take(most) {
        let said = say(demand, one.inventory.system, d);
        text.push('\n');
        text.push_str(&wrapped(&format!("{} ", styled(Style::Bad, "✗")), &said.what));
        if !said.costs.is_empty() {
            text.push_str(&wrapped("  ", &said.costs));
        }
        if one.is_put(d) {
            text.push_str(&wrapped("  → ", "apply sets it."));
            continue;
        }
        if !said.todo.is_empty() {
            text.push_str(&wrapped("  → ", &said.todo));
        }
        said.commands.iter().take(COMMANDS).for_each(|c| text.push_str(&command(&format!("  {c}"))));
    }
    if all.len() > most {
        text.push_str(&title("Also"));
        for d in &all[most..] {
            let by = if one.is_put(d) { " (apply sets it)" } else { "" };
            let said = say(demand, one.inventory.system, d);
            text.push_str(&wrapped("✗ ", &format!("{}{by}", said.what)));
        }
    }
    text
}
