//! Warnings in words: what is wrong, and what to do.

use super::figures::{decimals, in_ms, plain};
use crate::shared::page::{TIED, and_list};
use swiftloop_core::advice::{RateMismatch, Warning};
use swiftloop_core::loops::Context;
use swiftloop_core::rig::PowerPlan;
use swiftloop_units::ids::{InterfaceId, PerformerId, ProcessorId, ProgramId, TrackId};
use swiftloop_units::{Block, Frames, Gigabytes, Hz, Ms, Ppm, Range, Seconds};

/// A warning in words.
pub struct WarningWords {
    /// What is wrong, without its full stop.
    pub wrong: String,
    /// What to do, as an order, without its full stop.
    pub todo: String,
}

/// A warning in words.
pub fn tell(context: &Context<'_>, warning: &Warning) -> WarningWords {
    match warning {
        Warning::RateDisagrees { place, place_rate, session_rate, effect } => {
            rate_disagrees(place, *place_rate, *session_rate, *effect)
        }
        Warning::DepthNotOffered { wanted, offered } => depth_not_offered(*wanted, offered),
        Warning::TwoClocks { interface: id, apart, every } => two_clocks(context, *id, *apart, *every),
        Warning::LockedOut { program, interface: id, model } => locked_out(context, *program, *id, model),
        Warning::NotForPlaying { model } => not_for_playing(model),
        Warning::PowerPlan(plan) => power_plan(*plan),
        Warning::Hub(id) => hub(context, *id),
        Warning::HeardTwice { performer, track } => heard_twice(context, *performer, *track),
        Warning::MainDelays { delay, time } => main_delays(*delay, *time),
        Warning::MutedComputes(tracks) => muted_computes(context, tracks),
        Warning::OffButLoaded(processors) => off_but_loaded(context, processors),
        Warning::OpenChannels { interface: id, open, used } => open_channels(context, *id, *open, *used),
        Warning::BelowKnown { block, least, model } => below_known(*block, *least, model),
        Warning::UnlabelledSpeed { interface: id, speed, guess } => {
            unlabelled_speed(context, *id, speed, *guess)
        }
        Warning::DiskSpace { minutes, needed, free } => disk_space(*minutes, *needed, *free),
        Warning::Memory { needed, there } => memory(*needed, *there),
        Warning::NetworkNotCounted => network_not_counted(),
    }
}

fn words(wrong: impl Into<String>, todo: impl Into<String>) -> WarningWords {
    WarningWords { wrong: wrong.into(), todo: todo.into() }
}

fn rate_disagrees(place: &str, place_rate: Hz, session_rate: Hz, effect: RateMismatch) -> WarningWords {
    let effect = match effect {
        RateMismatch::Converts => "the system converts, which adds delay and load",
        RateMismatch::OneIsSilent => "one of the two gets no sound, or the wrong pitch",
        RateMismatch::Breaks => "expect silence, the wrong pitch, or crackles",
    };
    words(
        format!("{place} is at {place_rate}{TIED}Hz, the session at {session_rate}: {effect}"),
        format!("set {place} to {session_rate}{TIED}Hz"),
    )
}

fn depth_not_offered(wanted: u32, offered: &[u32]) -> WarningWords {
    let known: Vec<String> = offered.iter().map(ToString::to_string).collect();
    words(
        format!("the session records at {wanted} bits, the driver offers {}", and_list(&known)),
        "record at a depth that the driver offers",
    )
}

fn two_clocks(context: &Context<'_>, id: InterfaceId, apart: Range<Ppm>, every: Seconds) -> WarningWords {
    words(
        format!(
            "input and output of the {} are two devices with a clock each: usually {:.0}{TIED}ppm apart (assumed), one lost \
                 or doubled frame every {:.1}{TIED}s, and no buffer cures it",
            context.rig.interface(id).title(),
            apart.typical().raw(),
            every.raw()
        ),
        "use one device for both ways, or feed both from one word clock",
    )
}

fn locked_out(context: &Context<'_>, program: ProgramId, id: InterfaceId, model: &str) -> WarningWords {
    let name = context.rig.program(program).title();
    words(
        format!(
            "{model} takes the {} for itself: {name} gets no sound from it",
            context.rig.interface(id).title()
        ),
        format!("give {name} another device, or choose a shared driver for this phase"),
    )
}

fn not_for_playing(model: &str) -> WarningWords {
    words(
        format!("{model} is not for live playing"),
        "use the maker's own driver, or another interface for this phase",
    )
}

fn power_plan(plan: PowerPlan) -> WarningWords {
    words(
        format!("the power plan is \"{}\": slower cores, later wake-ups", plan.as_str()),
        "switch to the performance plan before the session",
    )
}

fn hub(context: &Context<'_>, id: InterfaceId) -> WarningWords {
    words(
        format!("the {} shares a hub with other devices", context.rig.interface(id).title()),
        format!("plug the {} into a port of the computer", context.rig.interface(id).title()),
    )
}

fn heard_twice(context: &Context<'_>, performer: PerformerId, track: TrackId) -> WarningWords {
    let (who, name) = (context.session.performer(performer).title(), context.session.track(track).title());
    words(
        format!(
            "{who} listens through the interface while the software plays {name} as well: doubled, hollow"
        ),
        format!("set monitor = \"never\" on {name}"),
    )
}

fn main_delays(delay: Frames, time: Ms) -> WarningWords {
    words(
        format!(
            "plug-ins on the main output hold everybody back by {} ({:.0} frames)",
            in_ms(time),
            delay.raw()
        ),
        "bypass them until mixing",
    )
}

fn muted_computes(context: &Context<'_>, tracks: &[TrackId]) -> WarningWords {
    let names: Vec<String> = tracks.iter().map(|&t| context.session.track(t).title().to_string()).collect();
    words(format!("muted is not off, these still compute: {}", and_list(&names)), "disable them")
}

fn off_but_loaded(context: &Context<'_>, processors: &[ProcessorId]) -> WarningWords {
    let names: Vec<String> =
        processors.iter().map(|&p| context.session.processor(p).title().to_string()).collect();
    words(
        format!("switched off but still loaded, may hold delay and load: {}", and_list(&names)),
        "unload them",
    )
}

fn open_channels(context: &Context<'_>, id: InterfaceId, open: u32, used: u32) -> WarningWords {
    words(
        format!(
            "{open} inputs of the {} are open, this phase uses {used}",
            context.rig.interface(id).title()
        ),
        "close the others",
    )
}

fn below_known(block: Block, least: Block, model: &str) -> WarningWords {
    words(
        format!(
            "{block} frames are fewer than {model} is known to run ({least}); they were measured here, so they are taken"
        ),
        "soak this buffer before a take",
    )
}

fn unlabelled_speed(context: &Context<'_>, id: InterfaceId, speed: &str, guess: Block) -> WarningWords {
    words(
        format!(
            "\"{speed}\" of the {} has no figures: {guess} frames is a guess",
            context.rig.interface(id).title()
        ),
        format!("measure it once: swiftloop probe fit {speed}=RECORDING.wav"),
    )
}

fn disk_space(minutes: f64, needed: Gigabytes, free: Gigabytes) -> WarningWords {
    words(
        format!(
            "{} minutes need {}{TIED}GB, {}{TIED}GB are free",
            plain(minutes),
            decimals(needed.raw(), 1),
            decimals(free.raw(), 1)
        ),
        "free the disk, or record at a lower rate or depth",
    )
}

fn memory(needed: Gigabytes, there: Gigabytes) -> WarningWords {
    words(
        format!(
            "session and programs need {}{TIED}GB of {}{TIED}GB",
            decimals(needed.raw(), 1),
            decimals(there.raw(), 1)
        ),
        "quit programs or print large instruments before the system swaps",
    )
}

fn network_not_counted() -> WarningWords {
    words(
        "the way through the network and the far side's interface are not in these loops",
        "describe the far side in the rig: [[far]] with id = \"loft\" and distance_km = 410, or link = with what swiftloop link \
             measure kept",
    )
}

/// With a capital at the beginning.
pub fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or(String::new(), |first| first.to_uppercase().chain(chars).collect())
}
