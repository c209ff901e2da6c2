//! Remedies and changes in words. What a kind of remedy does, costs and needs to be undone stands in the data.

use crate::shared::words::figures::{in_ms, of_hundred, rate};
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{Buys, PhaseChange, Remedy};
use swiftloop_core::rig::FarSetting;
use swiftloop_measure::link::packet::Spare;
use swiftloop_units::ids::InterfaceId;
use swiftloop_units::{Ms, PerHour, Share};

pub fn does(context: &Context<'_>, r: &Remedy) -> String {
    context.tables.remedy(r.kind).does.replace("{}", &r.target.title(context))
}

pub fn undo(context: &Context<'_>, r: &Remedy) -> String {
    context.tables.remedy(r.kind).undo.replace("{}", &r.target.title(context))
}

/// What it costs elsewhere.
pub fn elsewhere<'a>(context: &Context<'a>, r: &Remedy) -> &'a str {
    &context.tables.remedy(r.kind).elsewhere
}

/// Less delay than this is not told.
const TOLD: Ms = Ms::new(0.005);
/// Dropouts that grow by more than this say more than a share of rigs.
const FAR_MORE: f64 = 1000.0;
/// Dropouts that grow by less than this factor are not told.
const GROWS: f64 = 1.2;

/// What taking it away would do, of what is sound in this share of rigs.
pub fn buys(b: Buys, now: PerHour, sound: Share) -> String {
    let mut parts = Vec::new();
    if b.delay > TOLD {
        parts.push(format!("saves {}", in_ms(b.delay)));
    }
    if b.dropouts_without.raw() > now.raw() * GROWS && b.dropouts_without.raw() > 0.001 {
        parts.push(format!("without it {}", rate(b.dropouts_without)));
    }
    if let Some(without) =
        b.sound_without.filter(|w| sound.raw() - w.raw() >= 0.01 && b.dropouts_without < now * FAR_MORE)
    {
        parts = vec![format!("without it sound {}", of_hundred(without))];
    }
    if parts.is_empty() { "little by itself, with the others enough".into() } else { parts.join(", ") }
}

/// How the line to a far side is set.
pub fn line_to(context: &Context<'_>, line: &FarSetting) -> String {
    let far = context.rig.far(line.far).title();
    let spare = match line.spare {
        Spare::None => "",
        Spare::Twice => ", each one twice",
        Spare::Parity => ", with parity behind four",
    };
    let buffer = match line.buffers {
        Some((here, there)) if here == there => format!("fixed receive buffers of {}", in_ms(here)),
        Some((here, there)) => {
            format!("a fixed receive buffer of {} here and {} there", in_ms(here), in_ms(there))
        }
        None => "receive buffers as short as stays clean".into(),
    };
    format!("line to {far}: packets of {} frames{spare}, {buffer}", line.packet)
}

/// One thing to set or do.
pub fn change(context: &Context<'_>, interface: InterfaceId, change: &PhaseChange) -> String {
    match change {
        PhaseChange::Driver(driver) => format!("driver {}", context.rig.driver(interface, *driver).id()),
        PhaseChange::Buffer(buffer) => format!("buffer {}", buffer.label()),
        PhaseChange::RollAhead(block) => format!("render ahead in blocks of {block}"),
        PhaseChange::RollOff => "rendering ahead off".into(),
        PhaseChange::Workers(n) => format!("{n} workers for the session"),
        PhaseChange::Remedy(r) => does(context, r),
        PhaseChange::Line(line) => line_to(context, line),
    }
}
