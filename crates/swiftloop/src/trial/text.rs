//! A trial as text.

use crate::shared::answer::report::{effort, lead as lead_of, sentences};
use crate::shared::answer::{Detail, Files, doubt, legs, plan_command, trade, try_command, warning};
use crate::shared::page::{Columns, Head, Style, command, heading, para, styled, title, wrapped};
use crate::shared::words::figures::{decimals, dropouts, ms, ms_range, percent};
use crate::shared::words::legs::limit_reason;
use crate::shared::words::settings::{place, setting, whose};
use crate::shared::words::warnings::capital;
use crate::shared::words::{reasons, remedies};
use swiftloop_core::advice;
use swiftloop_core::load::{BlockLoad, BoundBy};
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{Choice, Report, Trial};

/// Remedies that are named when a trial fails.
const NAMED: usize = 3;

/// The answer in three sentences.
pub fn lead(context: &Context<'_>, t: &Trial<'_>) -> Vec<String> {
    let mut lines = sentences(context, &t.report);
    if let Some(c) = t.planned.filter(|_| !t.is_planned()) {
        lines.push(format!(
            "{}, and then {}",
            instead(context, t, c),
            sentences(context, &c.report).remove(0)
        ));
    }
    lines
}

pub fn show(context: &Context<'_>, t: &Trial<'_>, detail: Detail, files: &Files) -> String {
    let report = &t.report;
    let mut text =
        heading(&format!("{}: {}", place(context, t.interface, t.phase), setting(context, &t.arrangement)));
    text.push_str(&lead_of(context, report));
    text.push_str(&planned(context, t, files));
    text.push_str(&title("Why"));
    text.push_str(&wrapped("  ", &reasons::limits(context, report.busiest())));
    text.push_str(&wrapped(
        "  ",
        &format!("The sound is {} behind the cursor on the screen.", ms_range(report.cursor.total)),
    ));
    text.push_str(&wrapped("  ", doubt::wake_ups(report.profile)));
    text.push_str(&legs::everybody(context, &report.loops, detail));
    if let Some(l) = report.loops.get(t.shown) {
        let (limit, reason) = l.limit.as_ref().map_or(("no limit".into(), None), |limit| {
            (format!("{} ms", crate::shared::words::figures::limit_in_words(l)), Some(limit_reason(limit)))
        });
        text.push_str(&title(&format!("{}, {} loop, {limit}", whose(context, l), l.kind.as_str())));
        if let Some(reason) = reason {
            text.push_str(&wrapped("  ", &format!("{}.", capital(reason.trim_end_matches('.')))));
        }
        if report.loops.len() > 1 {
            text.push_str(&wrapped("  ", "The others leg by leg: --performer with one of their ids."));
        }
        text.push_str(&legs::show(context, l, detail.is_full()));
    }
    text.push_str(&next(context, t, files));
    if detail.is_full() {
        text.push_str(&full(context, t));
    } else {
        text.push_str(&title("More"));
        let again = try_command(context, files, t.phase, &t.arrangement, &t.report.remedies);
        text.push_str(&command(&format!("{again} --full")));
    }
    text
}

/// What the plan takes: another setting, or this one with changes.
fn instead(context: &Context<'_>, t: &Trial<'_>, c: &Choice) -> String {
    let with = effort(c);
    if c.arrangement == t.arrangement {
        format!("The plan takes the same setting with changes ({with})")
    } else {
        format!("The plan takes {} instead ({with})", setting(context, &c.arrangement))
    }
}

/// What the plan chose, and what to do now.
fn planned(context: &Context<'_>, t: &Trial<'_>, files: &Files) -> String {
    let (Some(c), Some(why)) = (t.planned, &t.why_not) else {
        return match t.planned {
            Some(_) => para("This is what the plan chose."),
            None if !t.compared => format!(
                "{}{}",
                para("Everything was given, so nothing was searched. What the plan would choose here:"),
                command(&plan_command(context, files, t.interface, t.phase))
            ),
            None => {
                para("The session does not use this interface in this phase, so the plan has no choice here.")
            }
        };
    };
    let mut text =
        para(&format!("{}. This one lost: {}.", instead(context, t, c), reasons::why_not(context, why)));
    if !t.is_yes() {
        let mut cheap: Vec<_> = t.available.iter().collect();
        cheap.sort_by_key(|r| r.effort);
        let ids: Vec<&str> = cheap.iter().take(NAMED).map(|r| r.id.as_str()).collect();
        if !ids.is_empty() {
            text.push_str(&para(&format!("Changes to try here, least effort first: {}.", ids.join(", "))));
        }
    }
    text.push_str(&command(&plan_command(context, files, t.interface, t.phase)));
    text
}

/// The measurements that are likeliest to change the answer.
fn next(context: &Context<'_>, t: &Trial<'_>, files: &Files) -> String {
    /// Told at the most.
    const MOST: usize = 2;
    format!("{}{}", title("Measure next"), doubt::next(context, &t.measure, files, MOST))
}

/// The blocks, the trade, the remedies, what delays the live path, warnings.
fn full(context: &Context<'_>, t: &Trial<'_>) -> String {
    let mut text = title("The work of a block");
    text.push_str(&load(context, &t.report));
    text.push('\n');
    text.push_str(&trade::show(&t.trade, &t.arrangement, t.report.target, "this one"));
    text.push_str(&applied(context, t));
    text.push_str(&slow(context, t));
    let found = advice::warnings(context, &t.arrangement.setting, t.phase);
    if !found.is_empty() {
        text.push_str(&title("Not the buffer's fault"));
    }
    found.iter().for_each(|w| text.push_str(&warning(context, w, "")));
    text
}

fn load(context: &Context<'_>, report: &Report) -> String {
    let mut t = Columns::new(&[
        Head::words("block"),
        Head::figures("frames"),
        Head::figures("time for it"),
        Head::figures("worst"),
        Head::figures("mean"),
        Head::figures("longest chain"),
        Head::figures("all work"),
        Head::words("limited by"),
    ]);
    let mut row = |name: &str, b: &BlockLoad| {
        let by = match b.bound_by {
            BoundBy::Cores => "the sum",
            BoundBy::Chain => "one chain",
            BoundBy::Burst => "bursts",
        };
        t.row([
            name.to_string(),
            b.block.to_string(),
            format!("{:.0} µs", b.deadline.raw()),
            percent(b.worst_ratio()),
            percent(b.mean_ratio()),
            percent(b.critical_path / b.deadline),
            percent(b.total / b.deadline),
            by.into(),
        ]);
    };
    row(if report.roll.is_some() { "live" } else { "device" }, &report.cue);
    if let Some(roll) = &report.roll {
        row("rendered ahead", &roll.load);
    }
    let mut text = t.show();
    if let Some(roll) = &report.roll {
        let (done, time) = (roll.response.raw() / 1000.0, roll.load.deadline.raw() / 1000.0);
        text.push_str(&wrapped(
            "  ",
            &format!("What is rendered ahead is ready after {done:.1} ms of {time:.1} ms, live blocks served first."),
        ));
    }
    if report.busiest().capped {
        text.push_str(&wrapped(
            "  ",
            "The plug-ins' own blocks do not line up within any useful time: how often they meet is that of the first thousands of blocks.",
        ));
    }
    if report.streams.raw() > 0.0 {
        let disk = context.rig.machine.disk_mb_per_s.raw();
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Disk streams: {} MB/s of {} MB/s.",
                decimals(report.streams.raw(), 1),
                decimals(disk, 0)
            ),
        ));
    }
    let (disk, memory) = (report.from_disk, report.from_memory);
    if disk.high.raw() > 0.001 || memory.high.raw() > 0.0 {
        text.push_str(&wrapped(
            "  ",
            &format!("Of the dropouts, from the disk {}, from memory {}.", dropouts(disk), dropouts(memory)),
        ));
    }
    text.push_str(&wrapped("  ", "Costs of plug-ins are classes unless the session gives figures."));
    text
}

fn applied(context: &Context<'_>, t: &Trial<'_>) -> String {
    let r = &t.report;
    if r.remedies.is_empty() && r.arranged.is_empty() {
        return String::new();
    }
    let mut rows = Columns::new(&[
        Head::prose("applied"),
        Head::figures("effort"),
        Head::prose("what it buys"),
        Head::prose("costs elsewhere"),
    ]);
    for m in &r.arranged {
        rows.row([
            remedies::does(context, m),
            m.effort.to_string(),
            "part of the setting".into(),
            remedies::elsewhere(context, m).into(),
        ]);
    }
    for (m, b) in r.remedies.iter().zip(&t.buys) {
        rows.row([
            remedies::does(context, m),
            m.effort.to_string(),
            remedies::buys(*b, r.dropouts.typical, r.sound),
            remedies::elsewhere(context, m).into(),
        ]);
    }
    format!("\n{}{}", rows.show(), wrapped("  ", &format!("Effort together: {}.", t.effort)))
}

fn slow(context: &Context<'_>, t: &Trial<'_>) -> String {
    let all = advice::slow_on_live_path(context, t.phase, t.arrangement.setting.rate);
    if all.is_empty() {
        return String::new();
    }
    let mut rows = Columns::new(&[
        Head::words("delays the live path"),
        Head::figures("frames"),
        Head::figures("ms"),
        Head::words("low-delay mode"),
        Head::words("over the threshold"),
    ]);
    for p in &all {
        rows.row([
            context.session.processor(p.processor).title().to_string(),
            decimals(p.latency.raw(), 0),
            ms(p.time),
            p.low_delay.map_or("none".into(), |l| format!("{} frames", decimals(l.raw(), 0))),
            if p.over_threshold { styled(Style::Unsure, "yes") } else { "no".into() },
        ]);
    }
    format!("\n{}", rows.show())
}
