//! The check for programs.

use super::{Check, Checked};
use crate::shared::words::differences::{not_taken, say, unread};
use serde_json::{Value, json as object};
use swiftloop_core::in_effect::{Demand, Difference};

pub fn json(check: &Check<'_>) -> Value {
    let computers: Vec<Value> = check.computers.iter().map(|c| computer(check.demand, c)).collect();
    object!({
        "format": "swiftloop.check/1",
        "phase": check.demand.phase,
        "interface": check.demand.interface,
        "ready": check.computers.iter().all(|c| c.comparison.is_ready()),
        "planned": check.demand,
        "computers": computers,
    })
}

fn computer(demand: &Demand, c: &Checked) -> Value {
    object!({
        "name": c.name,
        "system": c.inventory.system,
        "ready": c.comparison.is_ready(),
        "looked_at": c.comparison.looked_at,
        "differences": c.comparison.differences.iter().map(|d| {
            let mut value = difference(demand, c, d);
            value["apply_sets_it"] = c.is_put(d).into();
            value
        }).collect::<Vec<_>>(),
        "not_looked_at": c.comparison.unread.iter().map(|u| unread(*u)).collect::<Vec<_>>(),
        "not_taken": c.not_taken.iter().map(not_taken).collect::<Vec<_>>(),
        "good_state_of": c.known,
        "versions": c.inventory.versions,
        "unseen": c.inventory.unseen,
    })
}

fn difference(demand: &Demand, c: &Checked, d: &Difference) -> Value {
    let said = say(demand, c.inventory.system, d);
    let pair = |pair: Option<(f64, f64)>| pair.map(|(planned, is)| object!({ "planned": planned, "is": is }));
    object!({
        "id": d.wrong.id(),
        "what": said.what.replace(crate::shared::page::TIED, " "),
        "costs": said.costs.replace(crate::shared::page::TIED, " "),
        "late_ms": pair(d.cost.late.map(|(a, b)| (a.raw(), b.raw()))),
        "dropouts_per_hour": pair(d.cost.dropouts.map(|(a, b)| (a.raw(), b.raw()))),
        "share_of_block": d.cost.of_block,
        "to_do": said.todo.replace(crate::shared::page::TIED, " "),
        "commands": said.commands,
    })
}
