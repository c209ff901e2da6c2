//! A trial for programs.

use crate::shared::answer::doubt;
use crate::shared::answer::json::{merge, report, setting, trade, warning};
use crate::shared::words::reasons::why_not;
use crate::shared::words::remedies;
use serde_json::{Value, json};
use swiftloop_core::advice;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::Trial;

pub fn json(context: &Context<'_>, t: &Trial<'_>) -> Value {
    let phase = context.session.phase(t.phase).id();
    let slow = advice::slow_on_live_path(context, t.phase, t.arrangement.setting.rate);
    let warnings = advice::warnings(context, &t.arrangement.setting, t.phase);
    let mut value = json!({
        "format": "swiftloop.try/4",
        "setting": setting(context, &t.arrangement, phase),
    });
    merge(&mut value, report(context, &t.report, &t.buys));
    merge(
        &mut value,
        json!({
            "total_effort": t.effort,
            "compared_with_plan": t.compared,
            "trade": trade(context, phase, &t.trade, false),
            "frontier": trade(context, phase, &t.trade, true),
            "available_remedies": t.available.iter().map(|r| json!({
                "id": r.id, "effort": r.effort, "does": remedies::does(context, r),
            })).collect::<Vec<_>>(),
            "planned": t.planned.map(|c| setting(context, &c.arrangement, phase)),
            "is_planned": t.is_planned(),
            "measure_next": doubt::json(context, &t.measure),
            "why_not": t.why_not.as_ref().map(|w| why_not(context, w)),
            "slow_on_live_path": slow.iter().map(|p| json!({
                "id": context.session.processor(p.processor).id,
                "latency_frames": p.latency,
                "low_delay_frames": p.low_delay,
                "over_threshold": p.over_threshold,
            })).collect::<Vec<_>>(),
            "warnings": warnings.iter().map(|w| warning(context, w)).collect::<Vec<_>>(),
        }),
    );
    value
}
