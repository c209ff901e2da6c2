//! Advice: what is wrong around a setting that no buffer cures. Rig, session, phase and setting come in;
//! warnings come out, each with a code, the need it answers, what is wrong in figures, and what to do.

mod live_path;

pub use live_path::{SlowProcessor, slow_on_live_path};

use crate::loops::{Bench, Setting, latencies};
use crate::rig::{Clock, Devices, PlaceKind, Power};
use crate::session::{Listens, Monitor, Phase, Source, State};
use serde::Serialize;

/// Something that is wrong.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Warning {
    /// A word for scripts.
    pub code: &'static str,
    /// The need it answers.
    pub need: &'static str,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub fix: String,
}

/// Share of memory beyond which it is tight.
const TIGHT_MEMORY: f64 = 0.85;

/// Everything wrong around `setting` in `phase`, gravest first.
#[must_use]
pub fn warnings(bench: &Bench<'_>, setting: &Setting, phase: &Phase) -> Vec<Warning> {
    let mut all = Vec::new();
    let mut warn = |code, need, message, fix: String| all.push(Warning { code, need, message, fix });
    let interface = bench.interface(setting);
    let (model, title) = (bench.model(setting), interface.title());
    let performs = !phase.performers.is_empty();

    for place in bench.rig.places.iter().filter(|p| p.interface == interface.id && p.rate_hz != setting.rate)
    {
        let effect = match place.kind {
            _ if model.resamples => "the system converts the rate, which adds delay and load",
            PlaceKind::Program => "one of the two will get no sound, or at the wrong pitch",
            _ => "there will be silence, the wrong pitch, or crackles",
        };
        warn(
            "rate-disagrees",
            "N6",
            format!(
                "{} is at {} Hz, the session at {} Hz: {effect}",
                place.name, place.rate_hz, setting.rate
            ),
            format!("set {} to {} Hz", place.name, setting.rate),
        );
    }
    let (depth, offers) = (bench.session.deliver.depth, &bench.driver(setting).depths);
    if !offers.contains(&depth) && performs {
        let known: Vec<String> = offers.iter().map(ToString::to_string).collect();
        warn(
            "depth-not-offered",
            "N5",
            format!("the session records at {depth} bits, the driver offers {}", known.join(", ")),
            "record at a depth that the converters deliver".into(),
        );
    }
    if interface.devices == Devices::Separate && interface.clock == Clock::Internal {
        let ppm = bench.tables.assume.crystal_ppm;
        let per_second = |x: f64| x * 1e-6 * f64::from(setting.rate.0);
        warn(
            "two-clocks",
            "N3",
            format!(
                "input and output of the {title} are two devices on two crystals: {:.0} ppm apart is usual (assumed), one slip every {:.1} s, and no buffer cures it",
                ppm.typical().0,
                1.0 / per_second(ppm.typical().0)
            ),
            "use one device for both ways, or feed both from one word clock".into(),
        );
    }
    if !bench.is_shared(setting) {
        for program in bench
            .rig
            .programs
            .iter()
            .filter(|p| p.sound.as_ref() == Some(&interface.id) && p.runs_in(phase.word()))
        {
            let name = program.name.as_deref().unwrap_or(&program.id);
            warn(
                "locked-out",
                "N2",
                format!("{} takes the {title} for itself: {name} gets no sound from it", model.name),
                format!("give {name} another device, or choose a shared driver for this phase"),
            );
        }
    }
    if !model.live && performs {
        warn(
            "not-for-playing",
            "N1",
            format!("{} is not for live playing", model.name),
            "use the maker's own driver, or another interface for this phase".into(),
        );
    }
    if bench.rig.machine.power != Power::Performance {
        warn(
            "power-plan",
            "N29",
            format!(
                "the machine runs its {} power plan: slower cores, later wake-ups",
                bench.rig.machine.power.word()
            ),
            "switch to the performance plan before the session".into(),
        );
    }
    if interface.hub {
        warn(
            "hub",
            "N32",
            format!("the {title} shares a hub with other devices"),
            "plug it into a port of the computer".into(),
        );
    }
    on_monitoring(bench, phase, &mut warn);
    on_session(bench, setting, phase, &mut warn);
    if setting.buffer.speed.is_some() && !is_measured(bench, setting) {
        warn(
            "unlabelled-speed",
            "N7",
            format!(
                "{} of the {title} has no figures: {} frames is a guess",
                setting.buffer.label(),
                setting.buffer.block
            ),
            "measure one round trip at this speed and write it into rig.toml (measured, speed)".into(),
        );
    }
    on_resources(bench, setting, phase, &mut warn);
    if phase.kind == "remote" {
        warn(
            "network-not-counted",
            "N37",
            "the way through the network and the far side's interface are not in these loops".into(),
            "take them off the limit by hand: limits_ms in this phase".into(),
        );
    }
    all
}

fn is_measured(bench: &Bench<'_>, setting: &Setting) -> bool {
    bench
        .driver(setting)
        .measured
        .iter()
        .any(|m| m.rate_hz == setting.rate && m.speed == setting.buffer.speed)
}

fn on_monitoring(
    bench: &Bench<'_>,
    phase: &Phase,
    warn: &mut impl FnMut(&'static str, &'static str, String, String),
) {
    for person in bench.session.performers_in(phase).filter(|p| p.listens == Listens::Direct) {
        for track in bench
            .session
            .tracks
            .iter()
            .filter(|t| person.hears.contains(&t.id) && t.monitor != Monitor::Never)
        {
            let name = track.name.as_deref().unwrap_or(&track.id);
            warn(
                "heard-twice",
                "N12",
                format!(
                    "{} listens through the interface while the software plays {name} as well: doubled, hollow",
                    person.title()
                ),
                format!("set monitor = \"never\" on {name}"),
            );
        }
    }
}

fn on_session(
    bench: &Bench<'_>,
    setting: &Setting,
    phase: &Phase,
    warn: &mut impl FnMut(&'static str, &'static str, String, String),
) {
    let session = bench.session;
    let live = session.live_nodes(phase);
    let finishing = bench.tables.phase_kind(&phase.kind).is_some_and(|k| k.finishing);
    let main = session.routes().main();
    let latency = latencies(session);
    let on_main: f64 = session.routes().nodes[main].processors.clone().map(|p| latency[p].typical().0).sum();
    let heard_on_main = session.performers_in(phase).any(|p| p.cue == "main" && p.listens != Listens::Direct);
    if !finishing && heard_on_main && on_main > 0.0 {
        let ms = crate::units::Frames(on_main).at(setting.rate).0;
        warn(
            "main-delays",
            "N24",
            format!("processors on the main output hold everybody back by {on_main:.0} frames, {ms:.1} ms"),
            "leave them off until mixing".into(),
        );
    }
    let list = |names: Vec<&str>| names.join(", ");
    let title = |name: &'_ Option<String>, id: &'_ String| name.clone().unwrap_or_else(|| id.clone());
    let muted: Vec<String> =
        session.tracks.iter().filter(|t| t.muted && !t.disabled).map(|t| title(&t.name, &t.id)).collect();
    if !muted.is_empty() {
        warn(
            "muted-computes",
            "N23",
            format!("muted is not off, these still compute: {}", muted.join(", ")),
            "disable them".into(),
        );
    }
    let off: Vec<&str> = (0..session.routes().processors.len())
        .map(|p| session.processor(p))
        .filter(|p| p.state == State::Off)
        .map(|p| p.title())
        .collect();
    if !off.is_empty() {
        warn(
            "off-but-loaded",
            "N16",
            format!("switched off but still loaded, may hold delay and load: {}", list(off)),
            "unload them".into(),
        );
    }
    let channels = bench.interface(setting).channels;
    let open = channels.open_inputs.unwrap_or(channels.inputs);
    let used: u32 = live
        .iter()
        .filter_map(|&n| session.tracks.get(n))
        .filter(|t| t.source == Source::Live)
        .map(|t| t.channels)
        .sum();
    if used > 0 && open > used + 2 {
        warn(
            "open-channels",
            "N4",
            format!(
                "{open} inputs of the {} are open, this phase uses {used}",
                bench.interface(setting).title()
            ),
            "close the others".into(),
        );
    }
}

fn on_resources(
    bench: &Bench<'_>,
    setting: &Setting,
    phase: &Phase,
    warn: &mut impl FnMut(&'static str, &'static str, String, String),
) {
    let machine = &bench.rig.machine;
    if let Some(minutes) = phase.minutes {
        let needed = recording_mb_per_minute(bench, setting, phase) * minutes / 1000.0;
        if needed > machine.disk_free_gb.0 {
            warn(
                "disk-space",
                "N5",
                format!("{minutes} minutes need {needed:.1} GB, {:.1} GB are free", machine.disk_free_gb.0),
                "free the disk, or record at a lower rate or depth".into(),
            );
        }
    }
    let (_, memory_gb) = crate::choice::resources(bench, phase, setting.rate);
    if memory_gb > machine.memory_gb.0 * TIGHT_MEMORY {
        warn(
            "memory",
            "N33",
            format!("session and programs need {memory_gb:.1} GB of {:.1} GB", machine.memory_gb.0),
            "quit programs or print large instruments before the system swaps".into(),
        );
    }
}

/// Disk space that a minute of recording takes in `phase`: its live inputs at the session's depth.
#[must_use]
pub fn recording_mb_per_minute(bench: &Bench<'_>, setting: &Setting, phase: &Phase) -> f64 {
    let performing = |id: &String| bench.session.performers_in(phase).any(|p| p.hears.contains(id));
    let channels: u32 = bench
        .session
        .tracks
        .iter()
        .filter(|t| t.source == Source::Live && !t.disabled && performing(&t.id))
        .map(|t| t.channels)
        .sum();
    f64::from(channels) * f64::from(setting.rate.0) * f64::from(bench.session.deliver.depth) / 8.0 * 60.0
        / 1e6
}
