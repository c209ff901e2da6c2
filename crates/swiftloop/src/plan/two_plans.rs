//! Two plans of one session beside each other: by the class of machine, and by measured wake-up delays.

use crate::shared::page::{Columns, Head, para};
use crate::shared::words::figures::{dropout_verdict, dropouts};
use crate::shared::words::settings::{short, short_place};
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{Choice, Plan};
use swiftloop_core::risk::DropoutVerdict;
use swiftloop_units::{Origin, PerHour};

pub fn holding(plan: &Plan) -> usize {
    plan.choices.iter().filter(|c| c.report.verdict() == DropoutVerdict::Holds).count()
}

/// How many rest on measured wake-ups and how many hold then, in sentences.
pub fn lead(context: &Context<'_>, by_class: &Plan, soaked: &Plan) -> Vec<String> {
    let measured = soaked.choices.iter().filter(|c| c.report.profile == Origin::Measured).count();
    let mut lines = vec![
        format!("{measured} of {} settings rest on measured wake-ups now.", soaked.choices.len()),
        format!(
            "{} of all hold in 9 of 10 rigs like this; by the class of machine it was {}.",
            holding(soaked),
            holding(by_class)
        ),
    ];
    let pairs =
        soaked.choices.iter().filter_map(|new| Some((by_class.choice(new.interface, new.phase)?, new)));
    let fall = |&(old, new): &(&Choice, &Choice)| {
        old.report.dropouts.high / new.report.dropouts.high.max(PerHour::new(1e-9))
    };
    if let Some((old, new)) = pairs.max_by(|a, b| fall(a).total_cmp(&fall(b))) {
        lines.push(format!(
            "The doubt is smaller: {} was {}, and is {}.",
            short_place(context, new.interface, new.phase),
            dropouts(old.report.dropouts),
            dropouts(new.report.dropouts)
        ));
    }
    lines
}

/// Dropouts by the class of machine beside dropouts by measured wake-up delays, choice by choice.
pub fn beside_class(context: &Context<'_>, by_class: &Plan, soaked: &Plan) -> String {
    let mut t = Columns::new(&[
        Head::words("phase"),
        Head::words("on"),
        Head::words("by class of machine"),
        Head::words("as measured"),
        Head::words("setting then"),
    ]);
    for new in &soaked.choices {
        let Some(old) = by_class.choice(new.interface, new.phase) else { continue };
        let of =
            |c: &Choice| format!("{} {}", dropouts(c.report.dropouts), dropout_verdict(c.report.verdict()));
        t.row([
            context.session.phase(new.phase).id().to_string(),
            context.rig.interface(new.interface).id.clone(),
            of(old),
            of(new),
            short(context, &new.arrangement),
        ]);
    }
    let mut text = String::new();
    for line in lead(context, by_class, soaked) {
        text.push_str(&para(&line));
    }
    format!("{text}\n{}", t.show())
}
