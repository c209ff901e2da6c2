//! Two plans of one session beside each other: with costs by class, and with costs as they were weighed.

use super::two_plans::holding;
use crate::shared::page::{Columns, Head, counted, para};
use crate::shared::words::figures::{dropout_verdict, percent};
use crate::shared::words::settings::short_place;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{Choice, Plan};

/// What became of the doubt, in sentences.
pub fn lead(context: &Context<'_>, by_class: &Plan, weighed: &Plan, kinds: usize) -> Vec<String> {
    let mut lines = vec![format!(
        "{} weighed on this very computer; {} of {} settings hold in 9 of 10 rigs like this, by \
         classes of cost it was {}.",
        counted(kinds, "kind of processor", "kinds of processors"),
        holding(weighed),
        weighed.choices.len(),
        holding(by_class)
    )];
    let width = |c: &Choice| {
        let doubt = c.report.busiest().doubt;
        doubt.high / doubt.low.max(f64::MIN_POSITIVE)
    };
    let pairs =
        weighed.choices.iter().filter_map(|new| Some((by_class.choice(new.interface, new.phase)?, new)));
    if let Some((old, new)) =
        pairs.max_by(|a, b| (width(a.0) / width(a.1)).total_cmp(&(width(b.0) / width(b.1))))
    {
        lines.push(format!(
            "The doubt about the work is smaller: {} was {} of what is expected, and is {}.",
            short_place(context, new.interface, new.phase),
            may_be(old),
            may_be(new)
        ));
    }
    lines
}

/// How far the work of the busiest block may be off.
fn may_be(c: &Choice) -> String {
    let doubt = c.report.busiest().doubt;
    format!("{} to {}", percent(doubt.low), percent(doubt.high))
}

/// Both, choice by choice.
pub fn show(context: &Context<'_>, by_class: &Plan, weighed: &Plan, kinds: usize) -> String {
    let mut t = Columns::new(&[
        Head::words("phase"),
        Head::words("on"),
        Head::words("work by class"),
        Head::words("as weighed"),
        Head::words("dropouts by class"),
        Head::words("as weighed"),
    ]);
    for new in &weighed.choices {
        let Some(old) = by_class.choice(new.interface, new.phase) else { continue };
        t.row([
            context.session.phase(new.phase).id().to_string(),
            context.rig.interface(new.interface).id.clone(),
            may_be(old),
            may_be(new),
            dropout_verdict(old.report.verdict()).to_string(),
            dropout_verdict(new.report.verdict()).to_string(),
        ]);
    }
    let text: String = lead(context, by_class, weighed, kinds).iter().map(|line| para(line)).collect();
    format!(
        "{text}\n{}{}",
        t.show(),
        para(
            "work: what nine of ten rigs like this do not take less than, and nine of ten not more, beside what is expected."
        )
    )
}
