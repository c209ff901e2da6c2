//! Settings, performers, chains and phases by name.

use crate::shared::page::TIED;
use swiftloop_core::loops::{Context, Loop, LoopKind};
use swiftloop_core::plan::Arrangement;
use swiftloop_core::rig::Setting;
use swiftloop_units::ids::{InterfaceId, NodeId, PerformerId, PhaseId};

/// The first name of a performer: what stands before a comma.
pub fn first_name<'a>(context: &Context<'a>, performer: Option<PerformerId>) -> &'a str {
    performer.map_or("the performer", |p| {
        let title = context.session.performer(p).title();
        title.split(',').next().unwrap_or(title).trim()
    })
}

/// Whose loop it is, in full.
pub fn whose(context: &Context<'_>, l: &Loop) -> String {
    let title = l.performer.map_or("cursor to ear", |p| context.session.performer(p).title());
    match far_of(context, l) {
        Some(far) => format!("{title} with {far}"),
        None => title.into(),
    }
}

/// The far side with whom one plays in this loop.
pub fn far_of<'a>(context: &Context<'a>, l: &Loop) -> Option<&'a str> {
    l.far.filter(|_| l.kind == LoopKind::Together).map(|far| context.rig.far(far).title())
}

/// `tracking on the rack`
pub fn place(context: &Context<'_>, interface: InterfaceId, phase: PhaseId) -> String {
    format!("{} on the {}", context.session.phase(phase).id(), context.rig.interface(interface).title())
}

/// `tracking on rack`, by ids.
pub fn short_place(context: &Context<'_>, interface: InterfaceId, phase: PhaseId) -> String {
    format!("{} on {}", context.session.phase(phase).id(), context.rig.interface(interface).id)
}

/// Driver, rate, buffer and what is arranged around it, in full.
pub fn setting(context: &Context<'_>, a: &Arrangement) -> String {
    let mut text =
        format!("{}, {}{TIED}Hz, {}", context.driver(&a.setting).id(), a.setting.rate, buffer(&a.setting));
    if let Some(roll) = a.roll {
        text.push_str(&format!(", the rest rendered ahead in {roll}"));
    }
    if a.workers < context.rig.machine.cores {
        text.push_str(&format!(", {} of {} cores", a.workers, context.rig.machine.cores));
    }
    text
}

/// Driver and buffer in a table: `asio 64+1024`.
pub fn short(context: &Context<'_>, a: &Arrangement) -> String {
    let roll = a.roll.map_or(String::new(), |r| format!("+{r}"));
    let cores =
        if a.workers < context.rig.machine.cores { format!(" {}c", a.workers) } else { String::new() };
    let buffer = a.setting.buffer.speed.clone().unwrap_or_else(|| a.setting.buffer.label());
    format!("{} {buffer}{roll}{cores}", context.driver(&a.setting).id())
}

/// The buffer with its unit.
pub fn buffer(s: &Setting) -> String {
    let label = s.buffer.label();
    if s.buffer.speed.is_some() { label } else { format!("{label}{TIED}frames") }
}

/// The longest chain by name, its ends only when it is long.
pub fn chain(context: &Context<'_>, nodes: &[NodeId]) -> String {
    let names: Vec<&str> =
        nodes.iter().map(|&n| context.session.node_title(n).unwrap_or("main output")).collect();
    if names.len() > 5 {
        format!("{} → {} → … → {}", names[0], names[1], names[names.len() - 1])
    } else {
        names.join(" → ")
    }
}
