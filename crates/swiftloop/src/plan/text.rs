//! The plan as text: the answer, the table, three things to do first, the next measurement.

use super::{choice, sheet};
use crate::shared::answer::notes::ChangedByNotes;
use crate::shared::answer::{Detail, Files, doubt, plan_command, warning};
use crate::shared::page::columns::legend;
use crate::shared::page::{
    Columns, Head, Style, TIED, and_list, answer, command, counted, heading, styled, title, wrapped,
};
use crate::shared::words::figures::{delay_verdict, dropout_verdict, in_ms, ms, per_hour, rigs_of};
use crate::shared::words::reasons::{other_rate, would_take};
use crate::shared::words::settings::{first_name, short, short_place};
use crate::shared::words::{remedies, warnings};
use std::collections::BTreeSet;
use swiftloop_core::advice::{FirstThing, PlanWarning, first_things, plan_warnings};
use swiftloop_core::loops::far::Forbidden;
use swiftloop_core::loops::{Context, Loop, LoopKind, ranked_drivers};
use swiftloop_core::plan::{Choice, HeldBackBy, Plan};
use swiftloop_units::Block;

/// Things to do first that are shown.
const FIRST: usize = 3;

/// The plan, whole or what is left of it.
pub fn show(
    context: &Context<'_>,
    plan: &Plan,
    noted: Option<&ChangedByNotes<'_>>,
    detail: Detail,
    files: &Files,
) -> String {
    if let [one] = plan.choices.as_slice() {
        let told = noted.map_or(String::new(), |n| n.show(context, plan));
        return choice::alone(context, one, &told, files, detail);
    }
    let mut text = heading(&format!("{}, {}{TIED}Hz", name(context), plan.rate));
    for line in lead(context, plan) {
        text.push_str(&answer(&line));
    }
    text.push_str(&missed(context, plan));
    text.push('\n');
    text.push_str(&overview(context, plan));
    text.push_str(&first(context, plan));
    text.push_str(&noted.map_or(String::new(), |n| n.show(context, plan)));
    text.push_str(&next(context, plan, files));
    match detail {
        Detail::Screen => {
            text.push_str(&title("More"));
            text.push_str(&command(&format!("swiftloop plan {} --full", files.both())));
            if let Some(c) = plan.choices.first() {
                text.push_str(&command(&plan_command(context, files, c.interface, c.phase)));
            }
        }
        Detail::Full => {
            text.push('\n');
            text.push_str(&drivers(context, plan));
            for c in &plan.choices {
                text.push('\n');
                text.push_str(&choice::show(context, c, detail));
            }
            text.push('\n');
            text.push_str(&sheet::show(context, plan));
            text.push_str(&all_warnings(context, &plan_warnings(context, plan)));
        }
    }
    text
}

fn name<'a>(context: &Context<'a>) -> &'a str {
    if context.session.name.is_empty() { "The session" } else { &context.session.name }
}

/// The answer in a sentence or two.
pub fn lead(context: &Context<'_>, plan: &Plan) -> Vec<String> {
    let tally = plan.tally();
    let of = match (tally.sure, tally.all) {
        (2, 2) => "Both settings".to_string(),
        (met, all) if met == all => format!("All {all} settings"),
        (0, all) => format!("None of {all} settings"),
        (met, all) => format!("{met} of {all} settings"),
    };
    let unchanged = match tally.unchanged {
        0 => String::new(),
        n if n == tally.sure => " without any change".into(),
        n => format!(", {n} of them without any change"),
    };
    let mut line = format!("{of} work{unchanged}.");
    if tally.all == 1 {
        line = if tally.sure == 1 { "It works.".into() } else { String::new() };
    }
    let places = |wanted: &dyn Fn(&Choice) -> bool| -> Vec<String> {
        let all = plan.choices.iter().filter(|c| wanted(c));
        all.map(|c| short_place(context, c.interface, c.phase)).collect()
    };
    let mut say = |what: &str, places: Vec<String>| {
        if !places.is_empty() {
            line.push_str(&format!(" {what}: {}.", and_list(&places)));
        }
    };
    say("Open, it cannot be told yet", places(&|c| c.missed.is_none() && !c.is_sure()));
    say("It does not work, as far as can be told", places(&|c| c.missed.is_some() && !c.is_impossible()));
    let mut never = places(&|c| c.missed.is_some() && c.is_impossible());
    never.extend(plan.silent.iter().map(|s| short_place(context, s.interface, s.phase)));
    say("Impossible, whatever is done", never);
    let out = |c: &Choice| {
        let place = short_place(context, c.interface, c.phase);
        let far = |f: &Forbidden| format!("{place} with {}", context.rig.far(f.far).title());
        c.report.forbidden.iter().map(far).collect::<Vec<_>>()
    };
    say("Out of reach, whatever is set", plan.choices.iter().flat_map(out).collect());
    let line = line.trim_start().to_string();
    let others = plan.other_rates.iter().map(|r| format!("Not {}{TIED}Hz: {}.", r.rate, other_rate(r)));
    std::iter::once(line).chain(others).collect()
}

/// What holds back the impossible ones, a line each.
fn missed(context: &Context<'_>, plan: &Plan) -> String {
    let mut text = String::new();
    for c in &plan.choices {
        for f in &c.report.forbidden {
            text.push_str(&wrapped("  ", &crate::shared::answer::lines::out_of_reach(context, f)));
        }
        let Some(by) = &c.missed else { continue };
        let place = short_place(context, c.interface, c.phase);
        let short = match by {
            HeldBackBy::Limit { performer, delay, limit, .. } => format!(
                "{} hears it {} late (limit {})",
                first_name(context, *performer),
                in_ms(*delay),
                crate::shared::words::figures::plain(limit.raw())
            ),
            HeldBackBy::Memory(_)
            | HeldBackBy::Disk(_)
            | HeldBackBy::WakeUps(_)
            | HeldBackBy::Work { .. } => crate::shared::words::reasons::held_back(context, by),
        };
        let could = if c.is_impossible() {
            String::new()
        } else {
            format!(" With every change it works {}.", rigs_of(c.could))
        };
        text.push_str(&wrapped("  ", &format!("{place}: {short}.{could} It would take {}.", would_take(by))));
    }
    for s in &plan.silent {
        let interface = context.rig.interface(s.interface).title();
        let place = short_place(context, s.interface, s.phase);
        text.push_str(&wrapped(
            "  ",
            &format!("{place}: the {interface} offers no driver at {}{TIED}Hz.", plan.rate),
        ));
    }
    text
}

fn overview(context: &Context<'_>, plan: &Plan) -> String {
    let mut t = Columns::new(&[
        Head::words("phase"),
        Head::words("on"),
        Head::words("setting"),
        Head::words("ms late"),
        Head::words("dropouts/h"),
        Head::figures("effort"),
    ]);
    for c in &plan.choices {
        let r = &c.report;
        t.row([
            context.session.phase(c.phase).id().to_string(),
            context.rig.interface(c.interface).id.clone(),
            short(context, &c.arrangement),
            r.tightest().map_or(String::new(), |l| tight(context, l)),
            format!("{} {}", per_hour(r.dropouts.typical), dropout_verdict(r.verdict())),
            if c.missed.is_some() { styled(Style::Bad, "fails") } else { c.effort.to_string() },
        ]);
    }
    let mut text = String::from(
        "immediate: not noticed; playable: in time; holds: no more dropouts than you allow; each in 9 of 10 rigs like this. \
         open: cannot be told yet. effort: 0 nobody notices, 1 hardly, 6 a track cannot be edited.",
    );
    let rolls: BTreeSet<Block> = plan.choices.iter().filter_map(|c| c.arrangement.roll).collect();
    for b in rolls {
        text.push_str(&format!(" +{b}: what nobody plays live is rendered ahead in blocks of {b}."));
    }
    let fewer = |c: &Choice| Some(c.arrangement.workers).filter(|w| *w < context.rig.machine.cores);
    let workers: BTreeSet<u32> = plan.choices.iter().filter_map(fewer).collect();
    for n in workers {
        text.push_str(&format!(
            " {n}c: {} for the session.",
            counted(n as usize, "core works", "cores work")
        ));
    }
    format!("{}{}", t.show(), legend(&text))
}

/// `Ada 5.6 immediate`; `loft 21 playable`, from ear to ear with a far side.
fn tight(context: &Context<'_>, l: &Loop) -> String {
    match l.limit {
        Some(_) => {
            let with =
                l.far.filter(|_| l.kind == LoopKind::Together).map(|far| context.rig.far(far).id.as_str());
            let who = with.unwrap_or_else(|| first_name(context, l.performer));
            format!("{who} {} {}", ms(l.total.typical()), delay_verdict(l.verdict()))
        }
        None => format!("cursor {}", ms(l.total.typical())),
    }
}

/// Three things to do first.
fn first(context: &Context<'_>, plan: &Plan) -> String {
    let things = first_things(context, plan, FIRST);
    if things.is_empty() {
        return String::new();
    }
    let mut text = title("Do first");
    for (i, thing) in things.iter().enumerate() {
        let line = match thing {
            FirstThing::Mend(w) => {
                let told = warnings::tell(context, &w.warning);
                format!("{}: {}.", warnings::capital(&told.todo), told.wrong)
            }
            FirstThing::Set { interface, phase, change } => format!(
                "For {}: {}.",
                short_place(context, *interface, *phase),
                remedies::change(context, *interface, change)
            ),
        };
        text.push_str(&wrapped(&format!("  {}. ", i + 1), &line));
    }
    text
}

/// The measurements that are likeliest to change it.
fn next(context: &Context<'_>, plan: &Plan, files: &Files) -> String {
    /// Told at the most.
    const MOST: usize = 2;
    format!("{}{}", title("Measure next"), doubt::next(context, &plan.measure, files, MOST))
}

/// The drivers of every interface shown, best first.
fn drivers(context: &Context<'_>, plan: &Plan) -> String {
    let mut t = Columns::new(&[
        Head::words("interface"),
        Head::words("driver, best first"),
        Head::figures("smallest buffer"),
        Head::figures("round trip, ms"),
        Head::words("low to high"),
        Head::prose("note"),
    ]);
    for (i, interface) in context.rig.interface_ids() {
        if !plan.choices.iter().any(|c| c.interface == i) {
            continue;
        }
        for d in ranked_drivers(context, i, plan.rate) {
            let mut remarks = Vec::new();
            if !d.live {
                remarks.push("not for live playing");
            }
            if !d.shared {
                remarks.push("takes the device for itself");
            }
            t.row([
                interface.id.clone(),
                context.driver(&d.setting).id().into(),
                d.setting.buffer.label(),
                ms(d.round_trip.typical()),
                format!("{} to {}", ms(d.round_trip.low()), ms(d.round_trip.high())),
                remarks.join(", "),
            ]);
        }
    }
    t.show()
}

/// Warnings of all choices, each once, with the phases it touches.
fn all_warnings(context: &Context<'_>, all: &[PlanWarning]) -> String {
    if all.is_empty() {
        return String::new();
    }
    let mut text = title("Not the buffer's fault");
    for w in all {
        let phases: Vec<&str> = w.phases.iter().map(|&p| context.session.phase(p).id()).collect();
        let at = if w.everywhere { String::new() } else { format!(" ({})", phases.join(", ")) };
        text.push_str(&warning(context, &w.warning, &at));
    }
    text
}
