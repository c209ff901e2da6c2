//! Parts of the answers for programs that several commands share: settings, loops, reports, remedies. Units in the keys,
//! nothing rounded.

use crate::shared::words::legs::{leg as leg_name, limit_reason, note, surer_in_short};
use crate::shared::words::{remedies as remedy_words, warnings as warning_words};
use serde_json::{Value, json};
use swiftloop_core::advice::Warning;
use swiftloop_core::load::BlockLoad;
use swiftloop_core::loops::{Context, Leg, Loop};
use swiftloop_core::plan::{Arrangement, Buys, Remedy, Report, TradePoint};
use swiftloop_units::{Ms, Range};

/// With one more key.
pub fn with(mut object: Value, key: &str, value: Value) -> Value {
    merge(&mut object, json!({ key: value }));
    object
}

/// Puts the keys of `more` behind those of `value`.
pub fn merge(value: &mut Value, more: Value) {
    if let (Value::Object(into), Value::Object(from)) = (value, more) {
        into.extend(from);
    }
}

/// A report under the keys of every answer.
pub fn report(context: &Context<'_>, r: &Report, buys: &[Buys]) -> Value {
    let roll = r.roll.as_ref().map(|roll| {
        let mut value = block(context, &roll.load);
        merge(&mut value, json!({ "response_us": roll.response }));
        value
    });
    let arranged = r.arranged.iter().map(|m| remedy(context, m));
    let chosen = r.remedies.iter().zip(buys).map(|(m, b)| {
        let mut value = remedy(context, m);
        merge(&mut value, json!({ "buys_ms": b.delay, "dropouts_per_hour_without": b.dropouts_without, "sound_in_share_without": b.sound_without }));
        value
    });
    let mut value = json!({
        "loops": r.loops.iter().map(|l| one_loop(context, l)).collect::<Vec<_>>(),
        "cursor_offset_ms": range(r.cursor.total),
        "load": block(context, &r.cue),
        "roll": roll,
        "risk": {
            "dropouts_per_hour": r.dropouts,
            "from_disk_per_hour": r.from_disk,
            "from_memory_per_hour": r.from_memory,
            "target_per_hour": r.target,
            "holds_in_share": r.holds,
            "verdict": r.verdict(),
            "profile_origin": r.profile,
        },
        "sound_in_share": r.sound,
        "whole_show": r.clean.map(|c| json!({ "lasts_s": c.lasts, "no_dropout_in_share": c.clean })),
        "disk": { "streams_mb_per_s": r.streams, "throughput_mb_per_s": context.rig.machine.disk_mb_per_s },
        "remedies": arranged.chain(chosen).collect::<Vec<_>>(),
    });
    // Only where one plays over a network is there more to say.
    let lines = super::lines::json(context, r);
    if !(r.lines.is_empty() && r.forbidden.is_empty()) {
        merge(&mut value, lines);
    }
    value
}

pub fn remedy(context: &Context<'_>, m: &Remedy) -> Value {
    json!({
        "id": m.id,
        "kind": m.kind.as_str(),
        "target": m.target.id(context).unwrap_or_default(),
        "effort": m.effort,
        "does": remedy_words::does(context, m),
        "undo": remedy_words::undo(context, m),
        "costs_elsewhere": remedy_words::elsewhere(context, m),
    })
}

/// A setting under the keys of every answer.
pub fn setting(context: &Context<'_>, a: &Arrangement, phase: &str) -> Value {
    let mut value = json!({
        "interface": context.interface(&a.setting).id,
        "phase": phase,
        "driver": context.driver(&a.setting).id(),
        "sample_rate_hz": a.setting.rate,
        "buffer_frames": a.setting.buffer.block,
        "buffer_label": a.setting.buffer.label(),
        "roll_frames": a.roll,
        "workers": a.workers,
    });
    if !a.link.fars.is_empty() {
        merge(&mut value, json!({ "lines": super::lines::setting(context, a) }));
    }
    value
}

fn one_loop(context: &Context<'_>, l: &Loop) -> Value {
    let mut value = json!({
        "performer": l.performer.map(|p| &context.session.performer(p).id),
        "kind": l.kind,
        "legs": l.legs.iter().map(|part| leg(context, part)).collect::<Vec<_>>(),
        "total": range(l.total),
        "noticed_from_ms": l.limit.as_ref().map(|x| x.noticed),
        "fails_from_ms": l.limit.as_ref().map(|x| x.fails),
        "limit_reason": l.limit.as_ref().map(limit_reason),
        "immediate_in_share": l.shares.immediate,
        "playable_in_share": l.shares.playable,
        "verdict": l.verdict(),
        "widest_doubt": l.widest_doubt().map(|d| json!({
            "leg": leg_name(d.leg), "spread_ms": d.spread, "measure_with": surer_in_short(d.remeasure),
        })),
    });
    if let Some(far) = l.far {
        merge(&mut value, json!({ "far": context.rig.far(far).id }));
    }
    value
}

fn leg(context: &Context<'_>, l: &Leg) -> Value {
    let mut value = json!({ "name": leg_name(l.kind) });
    merge(&mut value, range(l.span));
    merge(&mut value, json!({ "origin": l.origin, "note": note(context, &l.note) }));
    value
}

/// A range of milliseconds.
pub fn range(r: Range<Ms>) -> Value {
    json!({ "low_ms": r.low(), "typical_ms": r.typical(), "high_ms": r.high() })
}

fn block(context: &Context<'_>, b: &BlockLoad) -> Value {
    let chain = b.critical_chain.iter().map(|&n| context.session.node_title(n).unwrap_or("main output"));
    json!({
        "block_frames": b.block,
        "workers": b.workers,
        "deadline_us": b.deadline,
        "total_us": b.total,
        "critical_path_us": b.critical_path,
        "makespan_us": b.makespan,
        "guaranteed_us": b.guaranteed,
        "work_may_be_times": { "low": b.doubt.low, "high": b.doubt.high },
        "mean_us": b.mean,
        "worst_ratio": b.worst_ratio(),
        "mean_ratio": b.mean_ratio(),
        "bound_by": b.bound_by,
        "critical_chain": chain.collect::<Vec<_>>(),
        "cycle_capped": b.capped,
        "distribution": b.distribution.iter().map(|d| json!({ "share": d.share, "takes_us": d.work })).collect::<Vec<_>>(),
    })
}

/// The points of a trade; of the frontier only, if that is wanted.
pub fn trade(context: &Context<'_>, phase: &str, points: &[TradePoint], only_frontier: bool) -> Vec<Value> {
    let shown = points.iter().filter(|p| p.on_frontier || !only_frontier);
    shown
        .map(|p| {
            json!({
                "setting": setting(context, &p.arrangement, phase),
                "round_trip_ms": p.round_trip,
                "dropouts_per_hour": p.dropouts,
                "within_limits": p.within,
            })
        })
        .collect()
}

pub fn warning(context: &Context<'_>, w: &Warning) -> Value {
    let told = warning_words::tell(context, w);
    json!({ "code": w.code(), "message": told.wrong, "fix": told.todo })
}
