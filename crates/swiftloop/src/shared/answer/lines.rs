//! Playing together over a network, in a phase: what is set on each line, the whole way to the far side, and what distance forbids.

use super::{Detail, legs};
use crate::shared::page::{Columns, Head, tied, title, wrapped};
use crate::shared::words::figures::{duration, in_ms, ms, of_hundred, plain};
use crate::shared::words::legs::{late_an_hour, leg as leg_name};
use crate::shared::words::remedies::line_to;
use crate::shared::words::settings::{far_of, first_name};
use serde_json::{Value, json};
use swiftloop_core::doubt::DelayVerdict;
use swiftloop_core::loops::far::{Forbidden, LateOnLine, distance_floor};
use swiftloop_core::loops::{Context, LegKind, LoopKind};
use swiftloop_core::plan::line::meeting_choices;
use swiftloop_core::plan::{Arrangement, Choice, Report};
use swiftloop_measure::link::packet::Spare;
use swiftloop_units::ids::FarId;
use swiftloop_units::{Seconds, Share};

/// What is said of the lines of a phase, a sentence each.
pub fn sentences(context: &Context<'_>, r: &Report) -> Vec<String> {
    let forbidden = r.forbidden.iter().map(|f| forbids(context, f));
    let lines = r.lines.iter().map(|line| late(context, line));
    forbidden.chain(lines).chain(floors(context, r)).collect()
}

/// What distance alone takes, where somebody is late or it cannot be told.
fn floors(context: &Context<'_>, r: &Report) -> Vec<String> {
    let mut told: Vec<FarId> = Vec::new();
    let mut all = Vec::new();
    for l in r.loops.iter().filter(|l| l.kind == LoopKind::Together && l.verdict() >= DelayVerdict::Open) {
        let (Some(far), Some(limit)) = (l.far, &l.limit) else { continue };
        let Some(floor) = distance_floor(context, far).filter(|_| !told.contains(&far)) else { continue };
        told.push(far);
        let about = context.rig.far(far);
        all.push(format!(
            "{:.0} km of glass to {} cannot be under {}; playing in time ends at about {} ms.",
            about.distance_km.map_or(0.0, |km| km.low().raw()),
            about.title(),
            in_ms(floor),
            plain(limit.fails.raw())
        ));
    }
    all
}

/// `The harbour: never. 5,200 km of glass …`
pub fn forbids(context: &Context<'_>, f: &Forbidden) -> String {
    format!(
        "Never in time with {}: {:.0} km of glass cannot be under {}, and playing in time ends at about {} ms, whatever is set.",
        context.rig.far(f.far).title(),
        f.km.raw(),
        in_ms(f.floor),
        plain(f.fails.raw())
    )
}

/// The same in short.
pub fn out_of_reach(context: &Context<'_>, f: &Forbidden) -> String {
    let far = context.rig.far(f.far).title();
    format!("{:.0} km of glass to {far} cannot be under {}.", f.km.raw(), in_ms(f.floor))
}

fn late(context: &Context<'_>, line: &LateOnLine) -> String {
    let verdict = if line.breaks() {
        "too many"
    } else if line.holds() {
        "holds"
    } else {
        "open, measure for longer"
    };
    let far = context.rig.far(line.far).title();
    let said = late_an_hour(line.per_hour.typical, line.per_hour.at_most);
    let show = line.minutes.zip(line.clean()).map_or(String::new(), |(minutes, share)| {
        let lasts = duration(Seconds::new(minutes * 60.0));
        let own = of_hundred(Share::new(share.clamp(0.0, 1.0)));
        let longer = match line.clean_at {
            Some(ms) if share < 0.9 => format!("; held for {} in 9 of 10", in_ms(ms)),
            Some(_) | None => String::new(),
        };
        format!(" So fixed, no packet is missing from beginning to end of {lasts} {own}{longer}.")
    });
    format!("Line to {far}: {said}; you allow {} an hour: {verdict}.{show}", plain(line.allowed))
}

/// What is set on each line, the whole way of whoever is tightest, and the ways to meet.
pub fn show(context: &Context<'_>, c: &Choice, detail: Detail) -> String {
    let link = &c.arrangement.link;
    if link.fars.is_empty() {
        return String::new();
    }
    let mut text = title("Lines to the far side");
    for far in &link.fars {
        text.push_str(&wrapped(
            "  ",
            &format!("{}.", crate::shared::words::warnings::capital(&line_to(context, far))),
        ));
    }
    let tightest = c.report.loops.iter().find(|l| l.kind == LoopKind::Together);
    if let (Some(l), Some(far)) = (tightest, tightest.and_then(|l| far_of(context, l))) {
        let who = first_name(context, l.performer);
        let comes = l.legs.iter().any(|leg| leg.kind == LegKind::FarIn);
        let (from, to) = if comes { (far, who) } else { (who, far) };
        if detail.is_full() {
            text.push_str(&title(&format!("The whole way from {from} to {to}")));
            text.push_str(&legs::show(context, l, true));
        } else {
            let each: Vec<String> = l
                .legs
                .iter()
                .map(|leg| tied(&format!("{} {}", leg_name(leg.kind), ms(leg.span.typical()))))
                .collect();
            text.push_str(&wrapped(
                "  ",
                &format!(
                    "The whole way from {from} to {to}, in ms: {}; together {}.",
                    each.join(", "),
                    ms(l.total.typical())
                ),
            ));
        }
    }
    text.push_str(&meeting(context, c));
    text
}

/// Every way to meet, where there are several.
fn meeting(context: &Context<'_>, c: &Choice) -> String {
    let phase = context.session.phase(c.phase);
    let all = meeting_choices(context, phase, c.arrangement.setting.rate);
    if all.is_empty() {
        return String::new();
    }
    let mut table = Columns::new(&[
        Head::words("where you meet"),
        Head::figures("worst way, ms"),
        Head::words("between"),
    ]);
    let far = |id| context.rig.far(id).title();
    for choice in &all {
        let own = choice.at == c.arrangement.link.route;
        let name = choice.at.map_or("straight to each other", |m| context.rig.meeting(m).title());
        let unknown = match choice.unknown {
            0 => String::new(),
            1 => " (1 pair not known)".into(),
            n => format!(" ({n} pairs not known)"),
        };
        table.row([
            format!("{name}{}", if own { " (planned)" } else { "" }),
            ms(choice.worst),
            match choice.pair {
                (a, Some(b)) => format!("{} and {}{unknown}", far(a), far(b)),
                (a, None) => format!("us and {}{unknown}", far(a)),
            },
        ]);
    }
    format!("{}{}", title("Where to meet"), table.show())
}

/// The lines of a report for programs.
pub fn json(context: &Context<'_>, r: &Report) -> Value {
    let lines = r.lines.iter().map(|line| {
        json!({
            "far": context.rig.far(line.far).id,
            "late_per_hour": line.per_hour,
            "allowed_per_hour": line.allowed,
            "holds": line.holds(),
            "no_packet_missing_in_share": line.clean(),
            "clean_in_nine_of_ten_at_ms": line.clean_at,
        })
    });
    let forbidden = r.forbidden.iter().map(|f| {
        json!({
            "far": context.rig.far(f.far).id,
            "distance_km": f.km,
            "floor_ms": f.floor,
            "fails_from_ms": f.fails,
        })
    });
    json!({ "lines": lines.collect::<Vec<_>>(), "out_of_reach": forbidden.collect::<Vec<_>>() })
}

/// How the lines are set, for programs.
pub fn setting(context: &Context<'_>, a: &Arrangement) -> Value {
    let each = a.link.fars.iter().map(|f| {
        json!({
            "far": context.rig.far(f.far).id,
            "packet_frames": f.packet,
            "receive_buffer_ms": f.buffers.map(|(here, there)| json!({ "here": here, "there": there })),
            "spare": f.spare.as_str(),
            "spare_packets": f.spare != Spare::None,
            "channels": f.channels,
            "through": a.link.route.map(|m| &context.rig.meeting(m).id),
        })
    });
    Value::from(each.collect::<Vec<_>>())
}
