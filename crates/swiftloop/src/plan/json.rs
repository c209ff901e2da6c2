//! The plan for programs.

use crate::shared::answer::doubt;
use crate::shared::answer::json::{merge, range, report, setting, trade, warning};
use crate::shared::answer::notes::ChangedByNotes;
use crate::shared::words::reasons::{held_back, other_rate, why_not, without_roll, would_take};
use crate::shared::words::remedies;
use serde_json::{Value, json};
use swiftloop_core::advice::plan_warnings;
use swiftloop_core::loops::{Context, ranked_drivers};
use swiftloop_core::plan::{Choice, Plan, Remedy};
use swiftloop_core::tables::RemedyAction;

pub fn json(context: &Context<'_>, plan: &Plan, noted: Option<&ChangedByNotes<'_>>) -> Value {
    let (possible, missed): (Vec<&Choice>, Vec<&Choice>) =
        plan.choices.iter().partition(|c| c.missed.is_none());
    let at = |interface, phase| json!({ "interface": context.rig.interface(interface).id, "phase": context.session.phase(phase).id() });
    let fails = missed.iter().filter_map(|c| Some((c, c.missed.as_ref()?)));
    let mut infeasible: Vec<Value> = fails
        .map(|(c, by)| {
            let mut value = at(c.interface, c.phase);
            merge(
                &mut value,
                json!({
                    "nearest": choice(context, plan, c),
                    "possible_in_share": c.could,
                    "held_back_by": held_back(context, by),
                    "would_take": would_take(by),
                }),
            );
            value
        })
        .collect();
    infeasible.extend(plan.silent.iter().map(|s| {
        let mut value = at(s.interface, s.phase);
        let by = format!("no driver of this interface offers {} Hz", plan.rate);
        merge(&mut value, json!({ "nearest": null, "held_back_by": by }));
        value
    }));
    let drivers = context.rig.interface_ids().flat_map(|(i, interface)| {
        let all = ranked_drivers(context, i, plan.rate).into_iter();
        all.map(|d| {
            json!({
                "interface": interface.id,
                "driver": context.driver(&d.setting).id(),
                "buffer_label": d.setting.buffer.label(),
                "buffer_frames": d.setting.buffer.block,
                "round_trip": range(d.round_trip),
                "live": d.live,
                "shared": d.shared,
            })
        })
        .collect::<Vec<_>>()
    });
    let steps = plan.steps.iter().map(|s| {
        let mut value = at(s.interface, s.phase);
        let set = s.set.iter().map(|c| remedies::change(context, s.interface, c));
        let restore = s.restore.iter().map(|r| remedies::undo(context, r));
        merge(&mut value, json!({ "restore": restore.collect::<Vec<_>>(), "set": set.collect::<Vec<_>>() }));
        value
    });
    json!({
        "format": "swiftloop.plan/4",
        "sample_rate_hz": plan.rate,
        "choices": possible.iter().map(|c| choice(context, plan, c)).collect::<Vec<_>>(),
        "infeasible": infeasible,
        "drivers": drivers.collect::<Vec<_>>(),
        "other_rates": plan.other_rates.iter().map(|r| json!({ "sample_rate_hz": r.rate, "why_not": other_rate(r) })).collect::<Vec<_>>(),
        "measure_next": doubt::json(context, &plan.measure),
        "notes": noted.map(|n| n.json(context, plan)),
        "changes": steps.collect::<Vec<_>>(),
        "warnings": plan_warnings(context, plan).iter().map(|w| warning(context, &w.warning)).collect::<Vec<_>>(),
    })
}

/// Remedies that leave a processor out while the phase lasts.
fn leaves_out(r: &Remedy) -> bool {
    r.kind.action() == RemedyAction::TakesOut
}

fn choice(context: &Context<'_>, plan: &Plan, c: &Choice) -> Value {
    let step = plan.steps.iter().find(|s| s.interface == c.interface && s.phase == c.phase);
    let restore = step.map(|s| s.restore.iter().map(|r| remedies::undo(context, r)).collect::<Vec<_>>());
    let phase = context.session.phase(c.phase).id();
    let out = c.report.remedies.iter().filter(|r| leaves_out(r)).filter_map(|r| r.target.id(context));
    let mut value = report(context, &c.report, &c.buys);
    merge(
        &mut value,
        json!({
            "setting": setting(context, &c.arrangement, phase),
            "bypass": out.collect::<Vec<_>>(),
            "restore": restore,
            "total_effort": c.effort,
            "effort_gap": c.gap,
            "without_roll": c.without_roll.as_ref().map(without_roll),
            "trade": trade(context, phase, &c.trade, false),
            "frontier": trade(context, phase, &c.trade, true),
            "alternatives": c.alternatives.iter().map(|a| json!({
                "setting": setting(context, &a.arrangement, phase),
                "why_not": why_not(context, &a.why),
            })).collect::<Vec<_>>(),
        }),
    );
    value
}
