//! A soak for programs.

use super::Soaked;
use serde_json::{Value, json};
use swiftloop_core::risk::Dropouts;
use swiftloop_core::soak::{ComparedFigure, ValueCounts, none_in};

#[cfg(target_os = "linux")]
fn traced(s: &Soaked<'_>) -> Value {
    s.traced.map_or(Value::Null, super::traced::json)
}

#[cfg(not(target_os = "linux"))]
fn traced(_: &Soaked<'_>) -> Value {
    Value::Null
}

/// `soak --json`
pub fn json(s: &Soaked<'_>) -> Value {
    let dropouts = |d: Dropouts| json!({ "low": d.low, "typical": d.typical, "high": d.high });
    let times = |c: &ValueCounts| json!({ "p50": c.quantile(0.5), "p99": c.quantile(0.99), "p999": c.quantile(0.999), "max": c.max() });
    json!({
        "format": "swiftloop.soak/3",
        "permission": {
            "realtime": s.permission.realtime,
            "locked": s.permission.locked,
            "refused": s.permission.refused,
        },
        "work": s.title,
        "workers": s.workers,
        "hardware_threads": s.hardware_threads,
        "core_speed": s.speed,
        "core_speed_by_latency": s.speed_of_halves[0],
        "core_speed_by_throughput": s.speed_of_halves[1],
        "deadline_periods": s.reserve,
        "allowed_per_hour": s.question.allowed,
        "error": s.question.error,
        "stopped": s.stopped,
        "server": s.server.map(|a| json!({
            "kind": a.kind, "sample_rate_hz": a.rate_hz, "buffer_frames": a.buffer_frames, "load_percent": a.load_percent,
        })),
        "server_gone": s.gone,
        "own_processors": s.chain.map(|c| super::chain::json(c, s)),
        "clock_step_s": s.clock_step_s,
        "rungs": s.rungs.iter().map(|r| json!({
            "buffer_frames": r.block.get(),
            "sample_rate_hz": r.rate,
            "blocks": r.observed.blocks,
            "late_blocks": r.observed.late,
            "misses": r.observed.misses(),
            "seconds": r.observed.lasted,
            "wake_us": times(&r.wake_us),
            "exec_us": times(&r.exec_us),
            "misses_per_hour": dropouts(r.observed.per_hour()),
            "predicted_per_hour": dropouts(r.predicted),
            "seen_over_predicted": r.off_by(),
            "decision": r.decision.as_str(),
            "fewer_than_per_hour": s.question.fewer_than(r.observed.misses(), r.observed.lasted),
            "settled_after_s": s.question.settled_after(r.observed.misses()),
            "show": s.show.map(|show| {
                let none = |rate| none_in(show, rate);
                json!({
                    "seconds": show,
                    "no_dropout_counted_at_least": none(s.question.fewer_than(r.observed.misses(), r.observed.lasted)),
                    "no_dropout_predicted": { "low": none(r.predicted.high), "typical": none(r.predicted.typical), "high": none(r.predicted.low) },
                })
            }),
        })).collect::<Vec<_>>(),
        "trace": traced(s),
        "smallest_frames": s.smallest.map(|b| b.get()),
        "tail": s.profile.map(|p| json!({
            "threshold_us": p.threshold_us,
            "share": p.tail_share.typical(),
            "shape": p.shape.typical(),
            "scale_us": p.scale_us.typical(),
        })),
        "changes": s.since.map(|since| json!({
            "since": since.date,
            "figures": since.changes.iter().map(|c| json!({
                "what": match c.figure { ComparedFigure::LaterThan(_) => "share-of-wakes-later", ComparedFigure::Speed => "core-speed" },
                "later_than_us": match c.figure { ComparedFigure::LaterThan(us) => Some(us), ComparedFigure::Speed => None },
                "before": c.before, "now": c.now, "by_chance": c.by_chance, "real": c.real, "worse": c.worse,
            })).collect::<Vec<_>>(),
        })),
        "saved": s.saved.map(|p| p.display().to_string()),
    })
}
