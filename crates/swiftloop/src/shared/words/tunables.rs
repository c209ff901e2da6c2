//! What is set, in words.

use crate::shared::page::clean;
use swiftloop_core::in_effect::{Tunable, TunableKind};

/// What a lever is.
pub fn name(lever: &Tunable) -> String {
    match lever {
        Tunable::ForcedRate => "rate that PipeWire is held at".into(),
        Tunable::ForcedBuffer => "buffer that PipeWire is held at".into(),
        Tunable::JackBuffer => "buffer of JACK".into(),
        Tunable::Governor { cpu } => format!("governor of processor {cpu}"),
        Tunable::MostClock { cpu } => format!("highest clock of processor {cpu}"),
        Tunable::WakeLimit => "longest time that waking may take".into(),
        Tunable::IdleOff { cpu, state } => format!("idle state {state} of processor {cpu}"),
        Tunable::UsbPower { place } => format!("sleep of the USB device at {}", clean(place)),
        Tunable::InterruptCores { line } => format!("processors for interrupt {line}"),
        Tunable::RealtimeShare => "share of real-time threads".into(),
        Tunable::Priority { name, .. } => format!("priority of the thread {}", clean(name)),
    }
}

/// A value of it, with its unit.
pub fn value(lever: &Tunable, text: &str) -> String {
    let text = clean(text.trim()).into_owned();
    match lever {
        Tunable::ForcedRate | Tunable::ForcedBuffer => match (text.split('@').next().unwrap_or(""), lever) {
            ("0", _) => "not held".into(),
            (rate, Tunable::ForcedRate) => format!("{rate} Hz"),
            (frames, _) => format!("{frames} frames"),
        },
        Tunable::JackBuffer => format!("{text} frames"),
        Tunable::MostClock { .. } => {
            text.parse::<f64>().map_or(text, |khz| format!("{:.0} MHz", khz / 1000.0))
        }
        Tunable::WakeLimit => match text.parse::<u64>() {
            Ok(us) if us < 1_000_000 => format!("{us} µs"),
            _ => "no limit".into(),
        },
        Tunable::IdleOff { .. } if text == "1" => "off".into(),
        Tunable::IdleOff { .. } => "allowed".into(),
        Tunable::UsbPower { .. } if text == "on" => "always awake".into(),
        Tunable::UsbPower { .. } => "may sleep".into(),
        Tunable::RealtimeShare => format!("{text} µs of each period"),
        Tunable::Governor { .. } | Tunable::InterruptCores { .. } | Tunable::Priority { .. } => text,
    }
}

/// What is asked about together.
pub fn kind(kind: TunableKind) -> &'static str {
    match kind {
        TunableKind::Server => "the audio server's buffer and rate",
        TunableKind::Clocks => "the processor's clocks (more heat and fan noise, less battery)",
        TunableKind::Idle => "idle states (more heat, less battery)",
        TunableKind::Usb => "sleep of the interface (a little battery)",
        TunableKind::Interrupts => "cores that serve the interface's interrupt",
        TunableKind::Priorities => "priorities of threads that move sound",
    }
}
