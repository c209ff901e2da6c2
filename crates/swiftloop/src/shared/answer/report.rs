//! What a setting gives, in sentences: delay, dropouts, effort.

use crate::shared::answer::lines;
use crate::shared::page::{answer, counted, para};
use crate::shared::words::figures::{
    dropout_verdict, dropouts, duration, how_late, in_ms, ms_range, of_hundred, plain, rigs_of,
};
use crate::shared::words::settings::{far_of, first_name};
use swiftloop_core::doubt::DropoutVerdict;
use swiftloop_core::loops::LoopKind;
use swiftloop_core::loops::{Context, Loop};
use swiftloop_core::plan::{Choice, Report};
use swiftloop_units::Share;

/// The answer in two sentences: delay, then dropouts.
pub fn sentences(context: &Context<'_>, r: &Report) -> Vec<String> {
    let late = r.tightest().map(|l| delay(context, l));
    let broken = format!(
        "Dropouts: {}; you allow {} an hour: {} {}.",
        dropouts(r.dropouts),
        plain(r.target.raw()),
        dropout_verdict(r.verdict()),
        in_how_many(r)
    );
    let lines = lines::sentences(context, r);
    let clean = r
        .clean
        .map(|c| format!("No dropout in the whole show of {}: {}.", duration(c.lasts), of_hundred(c.clean)));
    late.into_iter().chain([broken]).chain(lines).chain(clean).collect()
}

/// In how many rigs it holds, or breaks.
fn in_how_many(r: &Report) -> String {
    match r.verdict() {
        DropoutVerdict::Holds => rigs_of(r.holds),
        DropoutVerdict::Open => format!("(no more {})", rigs_of(r.holds)),
        DropoutVerdict::Breaks => rigs_of(Share::new(1.0 - r.holds.raw())),
    }
}

/// The same as the head of a page.
pub fn lead(context: &Context<'_>, r: &Report) -> String {
    let all = sentences(context, r);
    let (first, rest) = all.split_first().map_or((None, &[][..]), |(f, r)| (Some(f), r));
    let rest = rest.iter().map(|line| para(line));
    first.map(|line| answer(line)).into_iter().chain(rest).collect()
}

/// `Ada hears it 5.6 ms late (limit 6): immediate.`
pub fn delay(context: &Context<'_>, l: &Loop) -> String {
    match &l.limit {
        None => format!("Nobody performs. The sound comes {} after the cursor.", ms_range(l.total)),
        Some(_) => match far_of(context, l) {
            Some(far) => {
                format!("{} and {far} hear each other {}", first_name(context, l.performer), how_late(l))
            }
            None => format!("{} hears it {}", first_name(context, l.performer), how_late(l)),
        },
    }
}

/// `Ada 86 ms late`.
pub fn short_delay(context: &Context<'_>, l: &Loop) -> String {
    match l.limit {
        Some(_) => match far_of(context, l) {
            Some(far) => format!(
                "{} and {far} hear each other {} late",
                first_name(context, l.performer),
                in_ms(l.total.typical())
            ),
            None => {
                format!("{} hears it {} late", first_name(context, l.performer), in_ms(l.total.typical()))
            }
        },
        None => format!("the cursor is {} ahead", in_ms(l.total.typical())),
    }
}

/// How the effort of a choice is said.
pub fn effort(c: &Choice) -> String {
    let changes = c.report.remedies.len() + c.report.arranged.len();
    let gap = if c.gap > 0 {
        format!(" (the search was cut short: {} may be enough)", c.effort - c.gap)
    } else {
        String::new()
    };
    format!("{}, effort {}{gap}", counted(changes, "change", "changes"), c.effort)
}

/// The answer to whether one can play together: who is tightest, what is late on the lines, what distance forbids.
pub fn together(context: &Context<'_>, r: &Report) -> Vec<String> {
    let mut all = r.loops.iter().filter(|l| l.kind == LoopKind::Together);
    // The report has the tightest first.
    let tightest = all.next();
    tightest.map(|l| delay(context, l)).into_iter().chain(lines::sentences(context, r)).collect()
}
