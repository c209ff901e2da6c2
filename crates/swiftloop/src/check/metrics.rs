//! The check as OpenMetrics text, for the monitoring system that is there already: whether each computer is ready, each difference,
//! what it costs.

use super::Check;
use crate::shared::metrics::family;
use crate::shared::metrics::label;
use std::collections::BTreeMap;
use std::fmt::Write;

/// The text; `now_s` is the time in seconds since 1970.
pub fn metrics(check: &Check<'_>, now_s: f64) -> String {
    let mut text = String::new();
    let place =
        format!("phase=\"{}\",interface=\"{}\"", label(&check.demand.phase), label(&check.demand.interface));
    family(&mut text, "swiftloop_ready", "1 when the computer is set as planned for the phase");
    for c in check.computers {
        let ready = u8::from(c.comparison.is_ready());
        let _ = writeln!(text, "swiftloop_ready{{computer=\"{}\",{place}}} {ready}", label(&c.name));
    }
    family(&mut text, "swiftloop_difference", "how often this thing is not as planned");
    for c in check.computers {
        let mut counts: BTreeMap<&str, u32> = BTreeMap::new();
        c.comparison.differences.iter().for_each(|d| *counts.entry(d.wrong.id()).or_default() += 1);
        for (what, count) in counts {
            let who = label(&c.name);
            let _ =
                writeln!(text, "swiftloop_difference{{computer=\"{who}\",{place},what=\"{what}\"}} {count}");
        }
    }
    family(
        &mut text,
        "swiftloop_dropouts_per_hour",
        "dropouts an hour as the worst difference makes them, or as planned",
    );
    for c in check.computers {
        let planned = check.demand.dropouts_per_hour.typical().raw();
        let costs = c.comparison.differences.iter().filter_map(|d| d.cost.dropouts);
        let worst = costs.map(|(_, is)| is.raw()).fold(planned, f64::max);
        let _ =
            writeln!(text, "swiftloop_dropouts_per_hour{{computer=\"{}\",{place}}} {worst}", label(&c.name));
    }
    family(&mut text, "swiftloop_checked_timestamp_seconds", "when this was looked at");
    let _ = writeln!(text, "swiftloop_checked_timestamp_seconds {now_s:.3}\n# EOF");
    text
}
