//! The same answers for programs: one object, units in the keys, nothing rounded.

use super::trial::Trial;
use serde_json::{Value, json};
use swiftloop_core::advice;
use swiftloop_core::choice::{Arrangement, Buys, Choice, Plan, Remedy, Report, TradePoint, node_title};
use swiftloop_core::load::BlockLoad;
use swiftloop_core::loops::{Bench, Leg, Loop, ranked_drivers};
use swiftloop_core::units::{Ms, Range};

pub fn plan(bench: &Bench<'_>, plan: &Plan) -> Value {
    let (possible, missed): (Vec<&Choice>, Vec<&Choice>) =
        plan.choices.iter().partition(|c| c.missed.is_none());
    let mut infeasible: Vec<Value> = missed
        .iter()
        .map(|c| {
            json!({
                "interface": bench.rig.interfaces[c.interface].id,
                "phase": bench.session.phases[c.phase].word(),
                "nearest": choice(bench, plan, c),
                "binding": c.missed.as_ref().map(|m| &m.binding),
                "would_take": c.missed.as_ref().map(|m| &m.change),
            })
        })
        .collect();
    infeasible.extend(plan.silent.iter().map(|&(i, p)| {
        json!({
            "interface": bench.rig.interfaces[i].id,
            "phase": bench.session.phases[p].word(),
            "nearest": null,
            "binding": format!("no driver of this interface offers {} Hz", plan.rate),
        })
    }));
    let mut warnings: Vec<advice::Warning> = Vec::new();
    for c in &plan.choices {
        let new = advice::warnings(bench, &c.arrangement.setting, &bench.session.phases[c.phase]);
        warnings.extend(new.into_iter().filter(|w| !warnings.contains(w)).collect::<Vec<_>>());
    }
    json!({
        "format": "swiftloop.plan/1",
        "sample_rate_hz": plan.rate,
        "choices": possible.iter().map(|c| choice(bench, plan, c)).collect::<Vec<_>>(),
        "infeasible": infeasible,
        "drivers": bench.rig.interfaces.iter().enumerate().flat_map(|(i, interface)| {
            ranked_drivers(bench, i, plan.rate).into_iter().map(|d| json!({
                "interface": interface.id,
                "driver": bench.driver(&d.setting).word(),
                "buffer_label": d.setting.buffer.label(),
                "buffer_frames": d.setting.buffer.block,
                "round_trip": range(d.round_trip),
                "live": d.live,
                "shared": d.shared,
            })).collect::<Vec<_>>()
        }).collect::<Vec<_>>(),
        "other_rates": plan.other_rates.iter().map(|(r, why)| json!({"sample_rate_hz": r, "why_not": why})).collect::<Vec<_>>(),
        "changes": plan.steps.iter().map(|s| json!({
            "interface": bench.rig.interfaces[s.interface].id,
            "phase": bench.session.phases[s.phase].word(),
            "restore": s.restore,
            "set": s.set,
        })).collect::<Vec<_>>(),
        "warnings": warnings,
    })
}

fn choice(bench: &Bench<'_>, plan: &Plan, c: &Choice) -> Value {
    let step = plan.steps.iter().find(|s| s.interface == c.interface && s.phase == c.phase);
    let off = c
        .report
        .remedies
        .iter()
        .filter(|r| ["leave-off", "main-off", "hide-view", "unload"].contains(&r.kind.as_str()));
    let mut value = report(bench, &c.report, &c.buys);
    merge(
        &mut value,
        json!({
            "setting": setting(bench, &c.arrangement, bench.session.phases[c.phase].word()),
            "leave_off": off.map(|r| &r.target).collect::<Vec<_>>(),
            "restore": step.map(|s| &s.restore),
            "total_price": c.price,
            "price_gap": c.gap,
        "without_roll": c.without_roll,
            "trade": trade(bench, c.phase, &c.trade, false),
            "frontier": trade(bench, c.phase, &c.trade, true),
            "alternatives": c.alternatives.iter().map(|a| json!({
                "setting": setting(bench, &a.arrangement, bench.session.phases[c.phase].word()),
                "why_not": a.why,
            })).collect::<Vec<_>>(),
        }),
    );
    value
}

pub fn trial(t: &Trial<'_>) -> Value {
    let phase = &t.bench.session.phases[t.phase];
    let mut value = json!({ "format": "swiftloop.try/1" });
    merge(&mut value, json!({ "setting": setting(t.bench, t.arrangement, phase.word()) }));
    merge(&mut value, report(t.bench, t.report, &t.buys));
    merge(
        &mut value,
        json!({
            "total_price": t.arrangement.price,
            "trade": trade(t.bench, t.phase, &t.trade, false),
            "frontier": trade(t.bench, t.phase, &t.trade, true),
            "available_remedies": t.available.iter().map(|r| json!({"id": r.id, "price": r.price, "does": r.does})).collect::<Vec<_>>(),
            "planned": t.planned.map(|c| setting(t.bench, &c.arrangement, phase.word())),
            "is_planned": t.is_planned(),
            "why_not": t.why_not(),
            "slow_on_live_path": advice::slow_on_live_path(t.bench, phase, t.arrangement.setting.rate).iter().map(|p| json!({
                "id": p.id, "latency_frames": p.latency, "low_delay_frames": p.low_delay, "over_threshold": p.over_threshold,
            })).collect::<Vec<_>>(),
            "warnings": advice::warnings(t.bench, &t.arrangement.setting, phase),
        }),
    );
    value
}

/// Puts the keys of `more` behind those of `value`.
pub fn merge(value: &mut Value, more: Value) {
    if let (Value::Object(into), Value::Object(from)) = (value, more) {
        into.extend(from);
    }
}

fn report(bench: &Bench<'_>, r: &Report, buys: &[Buys]) -> Value {
    let roll = r.roll.as_ref().map(|(b, response)| {
        let mut value = block(bench, b);
        merge(&mut value, json!({ "response_us": response }));
        value
    });
    let one = |m: &Remedy| {
        json!({
            "id": m.id, "kind": m.kind, "target": m.target, "price": m.price, "does": m.does, "undo": m.undo,
            "costs_elsewhere": m.elsewhere,
        })
    };
    let arranged = r.arranged.iter().map(one);
    let chosen = r.remedies.iter().zip(buys).map(|(m, b)| {
        let mut value = one(m);
        merge(&mut value, json!({ "buys_ms": b.delay_ms, "dropouts_per_hour_without": b.dropouts_without }));
        value
    });
    json!({
        "loops": r.loops.iter().map(|l| one_loop(bench, l)).collect::<Vec<_>>(),
        "cursor_offset_ms": range(r.cursor.total),
        "load": block(bench, &r.cue),
        "roll": roll,
        "risk": {
            "dropouts_per_hour": r.dropouts,
            "from_disk_per_hour": r.from_disk,
            "from_memory_per_hour": r.from_memory,
            "target_per_hour": r.target,
            "verdict": r.verdict(),
            "profile_origin": r.profile,
        },
        "disk": { "streams_mb_per_s": r.streams_mb_s, "throughput_mb_per_s": bench.rig.machine.disk_mb_per_s },
        "remedies": arranged.chain(chosen).collect::<Vec<_>>(),
    })
}

/// A setting under the keys of every answer.
pub fn setting(bench: &Bench<'_>, a: &Arrangement, phase: &str) -> Value {
    json!({
        "interface": bench.interface(&a.setting).id,
        "phase": phase,
        "driver": bench.driver(&a.setting).word(),
        "sample_rate_hz": a.setting.rate,
        "buffer_frames": a.setting.buffer.block,
        "buffer_label": a.setting.buffer.label(),
        "roll_frames": a.roll,
        "workers": a.workers,
    })
}

pub fn one_loop(bench: &Bench<'_>, l: &Loop) -> Value {
    json!({
        "performer": l.performer.map(|p| &bench.session.performers[p].id),
        "kind": l.kind,
        "legs": l.legs.iter().map(leg).collect::<Vec<_>>(),
        "total": range(l.total),
        "limit_ms": l.limit.as_ref().map(|x| x.0),
        "limit_reason": l.limit.as_ref().map(|x| &x.1),
        "verdict": l.verdict(),
        "widest_doubt": l.widest_doubt().map(|d| json!({
            "leg": d.leg, "spread_ms": d.spread, "measure_with": d.measure_with,
        })),
    })
}

fn leg(l: &Leg) -> Value {
    let mut value = json!({ "name": l.name });
    merge(&mut value, range(l.span));
    merge(&mut value, json!({ "origin": l.origin, "note": l.note }));
    value
}

fn range(r: Range<Ms>) -> Value {
    json!({ "low_ms": r.low(), "typical_ms": r.typical(), "high_ms": r.high() })
}

fn block(bench: &Bench<'_>, b: &BlockLoad) -> Value {
    json!({
        "block_frames": b.block_frames,
        "workers": b.workers,
        "deadline_us": b.deadline_us,
        "total_us": b.total_us,
        "critical_path_us": b.critical_path_us,
        "makespan_us": b.makespan_us,
        "guaranteed_us": b.guaranteed_us,
        "peak_ratio": b.worst_ratio(),
        "worst_ratio": b.worst_ratio(),
        "mean_ratio": b.mean_ratio(),
        "bound_by": b.bound_by,
        "critical_chain": b.critical_chain.iter().map(|&n| node_title(bench, n)).collect::<Vec<_>>(),
        "cycle_capped": b.capped,
        "distribution": b.patterns.iter().map(|(share, us)| json!({ "share": share, "guaranteed_us": us })).collect::<Vec<_>>(),
    })
}

fn trade(bench: &Bench<'_>, phase: usize, points: &[TradePoint], only_frontier: bool) -> Vec<Value> {
    let word = bench.session.phases[phase].word();
    points
        .iter()
        .filter(|p| p.on_frontier || !only_frontier)
        .map(|p| {
            json!({
                "setting": setting(bench, &p.arrangement, word),
                "round_trip_ms": p.round_trip_ms,
                "dropouts_per_hour": p.dropouts_per_hour,
                "within_limits": p.within,
            })
        })
        .collect()
}

/// `try` without files: the loop from the driver table; load and risk of a single plain track, all assumed.
pub fn fileless(bench: &Bench<'_>, a: &Arrangement, r: &Report) -> Value {
    let mut value = json!({ "format": "swiftloop.try/1" });
    merge(&mut value, json!({ "setting": setting(bench, a, "tracking"), "assumed": ["rig", "session"] }));
    merge(&mut value, report(bench, r, &[]));
    merge(&mut value, json!({ "warnings": [] }));
    value
}
