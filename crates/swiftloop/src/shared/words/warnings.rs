//! Warnings in words: what is wrong, and what to do.

use super::figures::{decimals, in_ms, plain};
use crate::shared::page::{TIED, and_list};
use swiftloop_core::advice::{RateMismatch, Warning};
use swiftloop_core::loops::Context;

/// A warning in words.
pub struct WarningWords {
    /// What is wrong, without its full stop.
    pub wrong: String,
    /// What to do, as an order, without its full stop.
    pub todo: String,
}

/// A warning in words.
pub fn tell(context: &Context<'_>, warning: &Warning) -> WarningWords {
    let interface = |id| context.rig.interface(id).title();
    let session = context.session;
    let (wrong, todo) = match warning {
        Warning::RateDisagrees { place, place_rate, session_rate, effect } => {
            let effect = match effect {
                RateMismatch::Converts => "the system converts, which adds delay and load",
                RateMismatch::OneIsSilent => "one of the two gets no sound, or the wrong pitch",
                RateMismatch::Breaks => "expect silence, the wrong pitch, or crackles",
            };
            (
                format!("{place} is at {place_rate}{TIED}Hz, the session at {session_rate}: {effect}"),
                format!("set {place} to {session_rate}{TIED}Hz"),
            )
        }
        Warning::DepthNotOffered { wanted, offered } => {
            let known: Vec<String> = offered.iter().map(ToString::to_string).collect();
            (
                format!("the session records at {wanted} bits, the driver offers {}", and_list(&known)),
                "record at a depth that the driver offers".into(),
            )
        }
        Warning::TwoClocks { interface: id, apart, every } => (
            format!(
                "input and output of the {} are two devices with a clock each: usually {:.0}{TIED}ppm apart (assumed), one lost \
                 or doubled frame every {:.1}{TIED}s, and no buffer cures it",
                interface(*id),
                apart.typical().raw(),
                every.raw()
            ),
            "use one device for both ways, or feed both from one word clock".into(),
        ),
        Warning::LockedOut { program, interface: id, model } => {
            let name = context.rig.program(*program).title();
            (
                format!("{model} takes the {} for itself: {name} gets no sound from it", interface(*id)),
                format!("give {name} another device, or choose a shared driver for this phase"),
            )
        }
        Warning::NotForPlaying { model } => (
            format!("{model} is not for live playing"),
            "use the maker's own driver, or another interface for this phase".into(),
        ),
        Warning::PowerPlan(plan) => (
            format!("the power plan is \"{}\": slower cores, later wake-ups", plan.as_str()),
            "switch to the performance plan before the session".into(),
        ),
        Warning::Hub(id) => (
            format!("the {} shares a hub with other devices", interface(*id)),
            format!("plug the {} into a port of the computer", interface(*id)),
        ),
        Warning::HeardTwice { performer, track } => {
            let (who, name) = (session.performer(*performer).title(), session.track(*track).title());
            (
                format!(
                    "{who} listens through the interface while the software plays {name} as well: doubled, hollow"
                ),
                format!("set monitor = \"never\" on {name}"),
            )
        }
        Warning::MainDelays { delay, time } => (
            format!(
                "plug-ins on the main output hold everybody back by {} ({:.0} frames)",
                in_ms(*time),
                delay.raw()
            ),
            "bypass them until mixing".into(),
        ),
        Warning::MutedComputes(tracks) => {
            let names: Vec<String> = tracks.iter().map(|&t| session.track(t).title().to_string()).collect();
            (format!("muted is not off, these still compute: {}", and_list(&names)), "disable them".into())
        }
        Warning::OffButLoaded(processors) => {
            let names: Vec<String> =
                processors.iter().map(|&p| session.processor(p).title().to_string()).collect();
            (
                format!("switched off but still loaded, may hold delay and load: {}", and_list(&names)),
                "unload them".into(),
            )
        }
        Warning::OpenChannels { interface: id, open, used } => (
            format!("{open} inputs of the {} are open, this phase uses {used}", interface(*id)),
            "close the others".into(),
        ),
        Warning::BelowKnown { block, least, model } => (
            format!(
                "{block} frames are fewer than {model} is known to run ({least}); they were measured here, so they are taken"
            ),
            "soak this buffer before a take".into(),
        ),
        Warning::UnlabelledSpeed { interface: id, speed, guess } => (
            format!("\"{speed}\" of the {} has no figures: {guess} frames is a guess", interface(*id)),
            format!("measure it once: swiftloop probe fit {speed}=RECORDING.wav"),
        ),
        Warning::DiskSpace { minutes, needed, free } => (
            format!(
                "{} minutes need {}{TIED}GB, {}{TIED}GB are free",
                plain(*minutes),
                decimals(needed.raw(), 1),
                decimals(free.raw(), 1)
            ),
            "free the disk, or record at a lower rate or depth".into(),
        ),
        Warning::Memory { needed, there } => (
            format!(
                "session and programs need {}{TIED}GB of {}{TIED}GB",
                decimals(needed.raw(), 1),
                decimals(there.raw(), 1)
            ),
            "quit programs or print large instruments before the system swaps".into(),
        ),
        Warning::NetworkNotCounted => (
            "the way through the network and the far side's interface are not in these loops".into(),
            "describe the far side in the rig: [[far]] with id = \"loft\" and distance_km = 410, or link = with what swiftloop link \
             measure kept"
                .into(),
        ),
    };
    WarningWords { wrong, todo }
}

/// With a capital at the beginning.
pub fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or(String::new(), |first| first.to_uppercase().chain(chars).collect())
}
