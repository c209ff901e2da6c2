//! One phase on one interface: the answer, what to do, why not simpler, the trade, why not another, how sure.

use crate::shared::answer::report::effort;
use crate::shared::answer::report::lead;
use crate::shared::answer::report::short_delay;
use crate::shared::answer::{Detail, Files, doubt, legs, lines, plan_command, trade, try_command};
use crate::shared::page::{Columns, Head, answer, command, heading, title, wrapped};
use crate::shared::words::figures::{decimals, dropouts, rigs_of};
use crate::shared::words::settings::{place, setting};
use crate::shared::words::warnings::capital;
use crate::shared::words::{reasons, remedies};
use swiftloop_core::advice::recording_mb_per_minute;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::Choice;

/// Other settings whose loss is explained on one screen.
const OTHERS: usize = 1;

/// Alone on a page, with the next step.
pub fn alone(context: &Context<'_>, c: &Choice, noted: &str, files: &Files, detail: Detail) -> String {
    let mut text = show(context, c, detail);
    text.push_str(noted);
    text.push_str(&next(context, c, files));
    text.push_str(&title("Every leg of it; the trade of delay against dropouts"));
    text.push_str(&command(&try_command(context, files, c.phase, &c.arrangement, &c.report.remedies)));
    if !detail.is_full() {
        let plan = plan_command(context, files, c.interface, c.phase);
        text.push_str(&command(&format!("{plan} --full")));
    }
    text
}

pub fn show(context: &Context<'_>, c: &Choice, detail: Detail) -> String {
    let r = &c.report;
    let mut text =
        heading(&format!("{}: {}", place(context, c.interface, c.phase), setting(context, &c.arrangement)));
    if let Some(by) = &c.missed {
        let said = if c.is_impossible() {
            "Impossible, whatever is done. This comes nearest.".into()
        } else {
            let could = rigs_of(c.could);
            format!("It does not work, as far as can be told; with every change {could}. This comes nearest.")
        };
        text.push_str(&answer(&said));
        text.push_str(&wrapped("  ", &format!("{}.", capital(&reasons::held_back(context, by)))));
        text.push_str(&wrapped("  ", &format!("It would take {}.", reasons::would_take(by))));
    }
    text.push_str(&lead(context, r));
    // Who plays over a network is told with the lines, and everybody with --full.
    if detail.is_full() || c.arrangement.link.fars.is_empty() {
        text.push_str(&legs::everybody(context, &r.loops, detail));
    }
    text.push_str(&lines::show(context, c, detail));
    text.push_str(&todo(context, c));
    text.push_str(&title("Why"));
    if let Some(unchanged) = &c.unchanged {
        let late = unchanged.tightest().map_or(String::new(), |l| format!("{}, ", short_delay(context, l)));
        let line = format!("Without any change: {late}dropouts {}.", dropouts(unchanged.dropouts));
        text.push_str(&wrapped("  ", &line));
    }
    text.push_str(&wrapped("  ", &reasons::limits(context, r.busiest())));
    if let Some(without) = &c.without_roll {
        text.push_str(&wrapped("  ", &format!("{}.", reasons::without_roll(without))));
    }
    // Where nothing works, why the others do not either is no answer.
    let others = match (detail, &c.missed) {
        (Detail::Full, _) => c.alternatives.len(),
        (Detail::Screen, Some(_)) => 0,
        (Detail::Screen, None) => OTHERS,
    };
    for other in c.alternatives.iter().take(others) {
        let with = setting(context, &other.arrangement);
        text.push_str(&wrapped("  ", &format!("Not {with}: {}.", reasons::why_not(context, &other.why))));
    }
    if detail.is_full() {
        let phase = context.session.phase(c.phase);
        let recorded = recording_mb_per_minute(context, &c.arrangement.setting, phase);
        if recorded > 0.0 {
            let line = format!("Recording takes {} MB a minute.", decimals(recorded, 0));
            text.push_str(&wrapped("  ", &line));
        }
        text.push('\n');
        text.push_str(&trade::show(&c.trade, &c.arrangement, r.target, "chosen"));
    }
    text
}

/// What to do, with what each thing buys.
fn todo(context: &Context<'_>, c: &Choice) -> String {
    let r = &c.report;
    if r.remedies.is_empty() && r.arranged.is_empty() {
        return String::new();
    }
    let mut text = title(&format!("Do ({})", effort(c)));
    let mut t = Columns::new(&[Head::figures("effort"), Head::prose("what"), Head::words("what it buys")]);
    for m in &r.arranged {
        t.row([m.effort.to_string(), remedies::does(context, m), "part of the setting".into()]);
    }
    for (m, b) in r.remedies.iter().zip(&c.buys) {
        t.row([
            m.effort.to_string(),
            remedies::does(context, m),
            remedies::buys(*b, r.dropouts.typical, r.sound),
        ]);
    }
    text.push_str(&t.show());
    text
}

fn next(context: &Context<'_>, c: &Choice, files: &Files) -> String {
    /// Told at the most.
    const MOST: usize = 3;
    format!("{}{}", title("Measure next"), doubt::next(context, &c.measure, files, MOST))
}
