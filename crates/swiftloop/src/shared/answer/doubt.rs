//! How sure an answer is, and what to measure next: each with what it would change, its minutes and its commands.

use super::{Files, quoted};
use crate::shared::page::{TIED, command, wrapped};
use crate::shared::words::figures::chance;
use crate::shared::words::legs::surer;
use crate::shared::words::settings::{first_name, short_place};
use serde_json::{Value, json};
use swiftloop_core::loops::{Context, Remeasure};
use swiftloop_core::plan::{Measurement, Proposed};
use swiftloop_units::Origin;

/// What is least sure, and how to measure it.
pub fn least_sure(what: &str, remeasure: Remeasure) -> String {
    let surer = surer(remeasure);
    let mut text = wrapped("  ", &format!("{what} {}", surer.sentence));
    surer.commands.iter().for_each(|line| text.push_str(&command(line)));
    text
}

/// What the dropouts rest on.
pub fn wake_ups(profile: Origin) -> &'static str {
    match profile {
        Origin::Measured => "Late wake-ups are as measured on this machine.",
        Origin::Declared | Origin::Reported | Origin::Assumed => {
            "Late wake-ups are assumed for this class of computer."
        }
    }
}

/// What to measure next, the best for its time first, at most so many.
pub fn next(context: &Context<'_>, all: &[Proposed], files: &Files, most: usize) -> String {
    if all.is_empty() {
        return wrapped("  ", "No measurement is likely to change any of this.");
    }
    all.iter().take(most).map(|p| one(context, p, files)).collect()
}

/// The same for programs.
pub fn json(context: &Context<'_>, all: &[Proposed]) -> Value {
    let one = |p: &Proposed| {
        json!({
            "interface": context.rig.interface(p.at.0).id,
            "phase": context.session.phase(p.at.1).id(),
            "what": what(context, &p.measurement),
            "minutes": p.minutes,
            "changes_setting_in_share": p.setting,
            "changes_anything_in_share": p.any,
        })
    };
    all.iter().map(one).collect()
}

/// The best of them in a sentence.
pub fn in_short(context: &Context<'_>, all: &[Proposed]) -> Option<String> {
    all.first().map(|p| sentence(context, p))
}

fn one(context: &Context<'_>, p: &Proposed, files: &Files) -> String {
    let mut text = wrapped("  ", &sentence(context, p));
    commands(context, p, files).iter().for_each(|line| text.push_str(&command(line)));
    text
}

fn sentence(context: &Context<'_>, p: &Proposed) -> String {
    let (interface, phase) = p.at;
    let place = short_place(context, interface, phase);
    let minutes = format!("{}{TIED}minute{}", p.minutes, if p.minutes == 1 { "" } else { "s" });
    let what = what(context, &p.measurement);
    let changes = if p.setting >= p.any / 2.0 {
        format!("{} that {place} gets another setting", chance(p.setting))
    } else {
        format!("{} that it decides {place}", chance(p.any))
    };
    format!("{what} ({minutes}): {changes}.")
}

pub fn what(context: &Context<'_>, m: &Measurement) -> String {
    match m {
        Measurement::RoundTrip(i, d, buffer) => {
            let (interface, driver) = (context.rig.interface(*i), context.rig.driver(*i, *d));
            format!(
                "Measure the round trip of the {} through a cable, {} at {}",
                interface.title(),
                driver.id(),
                buffer.label()
            )
        }
        Measurement::Split(i) => format!(
            "Look up the converters' delays of the {} in its data sheet and write them into the rig",
            context.rig.interface(*i).title()
        ),
        Measurement::KeyToSound(p) => {
            format!("Measure key to sound of {}", context.session.performer(*p).title())
        }
        Measurement::Distance(p) => format!(
            "Measure how far {} is from the microphone or the speakers, and write it into the session",
            first_name(context, Some(*p))
        ),
        Measurement::WakeUps(_) => "Measure how late this machine wakes".into(),
        Measurement::Meter => {
            "Read the meter of the session's software once while it plays, and note it".into()
        }
        Measurement::Link(far) => {
            format!("Measure the way over the network to {}", context.rig.far(*far).title())
        }
        Measurement::FarSide(far) => format!(
            "Ask {} for their rig, or for driver, connection and buffer, and write them into the far side",
            context.rig.far(*far).title()
        ),
        Measurement::Felt(p) => {
            format!("Let {} play, ask, and note the answer", first_name(context, Some(*p)))
        }
    }
}

pub fn commands(context: &Context<'_>, p: &Proposed, files: &Files) -> Vec<String> {
    let (interface, phase) = p.at;
    let note = |seen: &str| {
        format!(
            "swiftloop note {} --phase {} --interface {} {seen}",
            files.both(),
            quoted(context.session.phase(phase).id()),
            quoted(&context.rig.interface(interface).id)
        )
    };
    match &p.measurement {
        Measurement::RoundTrip(i, d, buffer) => {
            let label = buffer.speed.clone().unwrap_or_else(|| buffer.label().replace(" × ", "x"));
            let driver = context.rig.driver(*i, *d);
            let target = format!(
                "--save {} --interface {} --driver {}",
                quoted(&files.rig),
                quoted(&context.rig.interface(*i).id),
                quoted(driver.id())
            );
            // Through a server nobody records by hand.
            if context.rig.model(*i, *d).server.is_some() && buffer.speed.is_none() {
                return vec![format!("swiftloop probe run --buffers {} {target}", buffer.block)];
            }
            vec![
                "swiftloop probe make --out probe.wav".into(),
                format!("swiftloop probe fit {} {target}", quoted(&format!("{label}=RECORDING.wav"))),
            ]
        }
        Measurement::KeyToSound(_) => vec!["swiftloop probe read RECORDING.wav --onset".into()],
        Measurement::WakeUps(block) => {
            vec![format!("swiftloop soak --buffer {block} --save {}", quoted(&files.rig))]
        }
        Measurement::Meter => vec![note("--meter 55")],
        Measurement::Felt(p) => vec![note(&format!("--felt {}=fine", context.session.performer(*p).id))],
        Measurement::Link(far) => {
            let id = &context.rig.far(*far).id;
            vec![format!("swiftloop link measure HOST:8620 --save {}", quoted(&format!("{id}-link.json")))]
        }
        Measurement::Split(_) | Measurement::Distance(_) | Measurement::FarSide(_) => Vec::new(),
    }
}
