//! `try` without files: the answer, the legs, the same with other drivers, and the next step.

use crate::shared::answer::{Detail, doubt, json as parts, legs};
use crate::shared::page::{Columns, Head, Style, TIED, answer, command, heading, styled, title, wrapped};
use crate::shared::words::figures::{delay_verdict, how_late, in_ms, ms, ms_range};
use crate::shared::words::legs::{leg, limit_reason};
use serde_json::{Value, json as object};
use swiftloop_core::loops::{Context, DelayVerdict, Loop};
use swiftloop_core::plan::{Arrangement, Report};
use swiftloop_core::tables::DriverModel;
use swiftloop_units::{Block, Hz};

/// One driver model with the loop that it gives.
pub struct WithDriver<'a> {
    pub model: &'a DriverModel,
    pub block: Block,
    pub whole: Loop,
}

pub fn show(
    context: &Context<'_>,
    rate: Hz,
    mine: &WithDriver<'_>,
    fits: Option<&WithDriver<'_>>,
    others: &[WithDriver<'_>],
    detail: Detail,
) -> String {
    let l = &mine.whole;
    let mut text = heading(&format!(
        "{}, {rate}{TIED}Hz, {}{TIED}frames: a first answer without files",
        mine.model.name, mine.block
    ));
    text.push_str(&answer(&format!("You hear yourself {}", how_late(l))));
    if l.verdict() == DelayVerdict::Late {
        let line = match fits {
            Some(f) => format!("Set the buffer to {}: {} late.", f.block, ms_range(f.whole.total)),
            None => "No buffer of this driver is in time: listen through the interface itself (direct monitoring), or use \
                     another driver."
                .into(),
        };
        text.push_str(&wrapped("", &line));
    }
    if let Some(limit) = &l.limit {
        text.push_str(&wrapped("", limit_reason(limit)));
    }
    text.push('\n');
    text.push_str(&legs::show(context, l, detail.is_full()));
    text.push_str(&title("The other drivers of this system"));
    text.push_str(&table(mine, others));
    text.push_str(&title("How sure"));
    if let Some(d) = l.doubt_worth_a_measurement() {
        let what = format!("Least sure is {}, {} wide.", leg(d.leg), in_ms(d.spread));
        text.push_str(&doubt::least_sure(&what, d.remeasure));
    }
    if detail.is_full() {
        text.push_str(&wrapped("  ", &format!("About this driver: {}", mine.model.source)));
    }
    text.push_str(&title("Next: describe rig and session, and learn about dropouts too"));
    text.push_str(&command("swiftloop new"));
    text
}

fn table(mine: &WithDriver<'_>, others: &[WithDriver<'_>]) -> String {
    let mut heads = vec![
        Head::words("driver"),
        Head::figures("buffer"),
        Head::figures("ms late"),
        Head::words("low to high"),
        Head::words("verdict"),
    ];
    // A column only where there is something to say in it.
    let noted = others.iter().any(|o| !o.model.live);
    heads.extend(noted.then(|| Head::words("note")));
    let mut t = Columns::new(&heads);
    for other in others {
        let own = other.model.id == mine.model.id;
        let total = other.whole.total;
        let mut row = vec![
            other.model.id.clone(),
            other.block.to_string(),
            ms(total.typical()),
            format!("{} to {}", ms(total.low()), ms(total.high())),
            delay_verdict(other.whole.verdict()),
        ];
        row.extend(noted.then(|| if other.model.live { "" } else { "not for live playing" }.into()));
        let row = row.into_iter().map(|c| if own && !c.is_empty() { styled(Style::Strong, c) } else { c });
        t.push(row.collect());
    }
    t.show()
}

/// The loop from the driver table for programs; load and risk of a single plain track, all assumed.
pub fn json(context: &Context<'_>, a: &Arrangement, r: &Report) -> Value {
    let mut value = object!({
        "format": "swiftloop.try/4",
        "setting": parts::setting(context, a, "tracking"),
        "assumed": ["rig", "session"],
    });
    parts::merge(&mut value, parts::report(context, r, &[]));
    parts::merge(&mut value, object!({ "warnings": [] }));
    value
}
