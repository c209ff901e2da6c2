//! What else is on the machine: memory that is gone, programs that work.

use super::super::{Finding, Grade, Inventory};

/// Share of a core from which another program is worth a look.
const BUSY: f64 = 0.15;

pub fn memory(i: &Inventory) -> Vec<Finding> {
    let m = &i.memory;
    let (Some(total), Some(available)) = (m.total_gb, m.available_gb) else { return Vec::new() };
    let short = available < total * 0.1;
    let waits = m.waits_percent.is_some_and(|w| w[1] > 1.0);
    if !short && !waits {
        return Vec::new();
    }
    vec![Finding {
        id: "memory",
        grade: if waits { Grade::Severe } else { Grade::Costly },
        what: format!("Only {available:.1} of {total:.1} GB of memory are free."),
        costs: "Samples are read from disk again and again, and what is swapped out comes back too late.".into(),
        evidence: match m.waits_percent {
            Some(w) => format!("{:.1} GB swapped; waiting for memory {:.1} % of the last ten seconds", m.swap_used_gb.unwrap_or(0.0), w[1]),
            None => format!("{:.1} GB swapped", m.swap_used_gb.unwrap_or(0.0)),
        },
        cure: "Quit what the session does not need; print or unload sampled instruments (swiftloop plan says which).".into(),
        risk: "unsaved work in what is quit".into(),
        undo: "start it again afterwards".into(),
    }]
}

pub fn busy(i: &Inventory) -> Vec<Finding> {
    let busy: Vec<_> = i.busy.iter().filter(|b| b.core_share >= BUSY).collect();
    if busy.is_empty() {
        return Vec::new();
    }
    let list: Vec<String> =
        busy.iter().map(|b| format!("{} {:.0} %", b.name, b.core_share * 100.0)).collect();
    vec![Finding {
        id: "busy",
        grade: if busy.iter().map(|b| b.core_share).sum::<f64>() > 0.5 { Grade::Costly } else { Grade::Mild },
        what: format!("Other programs work: {}.", list.join(", ")),
        costs:
            "Their share of a core is not there for the session, and caches are theirs when a block begins."
                .into(),
        evidence: "share of one core during the look".into(),
        cure: "Quit them or wait until they are done; list what must stay as [[program]] in rig.toml.".into(),
        risk: "unsaved work in what is quit".into(),
        undo: "start them again afterwards".into(),
    }]
}
