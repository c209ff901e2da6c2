//! What is set, in words.

use crate::shared::page::clean;
use swiftloop_core::in_effect::{Lever, LeverKind};

/// What a lever is.
pub fn name(lever: &Lever) -> String {
    match lever {
        Lever::ForcedRate => "rate that PipeWire is held at".into(),
        Lever::ForcedBuffer => "buffer that PipeWire is held at".into(),
        Lever::JackBuffer => "buffer of JACK".into(),
        Lever::Governor { cpu } => format!("governor of processor {cpu}"),
        Lever::MostClock { cpu } => format!("highest clock of processor {cpu}"),
        Lever::WakeLimit => "longest time that waking may take".into(),
        Lever::IdleOff { cpu, state } => format!("idle state {state} of processor {cpu}"),
        Lever::UsbPower { place } => format!("sleep of the USB device at {}", clean(place)),
        Lever::InterruptCores { line } => format!("processors for interrupt {line}"),
        Lever::RealtimeShare => "share of real-time threads".into(),
        Lever::Priority { name, .. } => format!("priority of the thread {}", clean(name)),
    }
}

/// A value of it, with its unit.
pub fn value(lever: &Lever, text: &str) -> String {
    let text = clean(text.trim()).into_owned();
    match lever {
        Lever::ForcedRate | Lever::ForcedBuffer => match (text.split('@').next().unwrap_or(""), lever) {
            ("0", _) => "not held".into(),
            (rate, Lever::ForcedRate) => format!("{rate} Hz"),
            (frames, _) => format!("{frames} frames"),
        },
        Lever::JackBuffer => format!("{text} frames"),
        Lever::MostClock { .. } => text.parse::<f64>().map_or(text, |khz| format!("{:.0} MHz", khz / 1000.0)),
        Lever::WakeLimit => match text.parse::<u64>() {
            Ok(us) if us < 1_000_000 => format!("{us} µs"),
            _ => "no limit".into(),
        },
        Lever::IdleOff { .. } if text == "1" => "off".into(),
        Lever::IdleOff { .. } => "allowed".into(),
        Lever::UsbPower { .. } if text == "on" => "always awake".into(),
        Lever::UsbPower { .. } => "may sleep".into(),
        Lever::RealtimeShare => format!("{text} µs of each period"),
        Lever::Governor { .. } | Lever::InterruptCores { .. } | Lever::Priority { .. } => text,
    }
}

/// What is asked about together.
pub fn kind(kind: LeverKind) -> &'static str {
    match kind {
        LeverKind::Server => "the audio server's buffer and rate",
        LeverKind::Clocks => "the processor's clocks (more heat and fan noise, less battery)",
        LeverKind::Idle => "idle states (more heat, less battery)",
        LeverKind::Usb => "sleep of the interface (a little battery)",
        LeverKind::Interrupts => "cores that serve the interface's interrupt",
        LeverKind::Priorities => "priorities of threads that move sound",
    }
}
