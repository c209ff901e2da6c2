//! Legs of a loop in words: what each is, what to know about it, what would make it surer.

use super::figures::{plain, share};
use swiftloop_core::loops::{Context, LegKind, LegNote, Limit, LimitReason, Remeasure};

/// What a leg is.
pub fn leg(kind: LegKind) -> &'static str {
    match kind {
        LegKind::AirIn => "air to the microphone",
        LegKind::ConverterIn => "converter in",
        LegKind::TransportIn => "transport in",
        LegKind::SafetyIn => "safety in",
        LegKind::CaptureBlocks => "capture blocks",
        LegKind::OverheadIn => "driver overhead in",
        LegKind::ReportedIn => "driver in, as it reports",
        LegKind::PlaybackBlocks => "playback blocks",
        LegKind::OverheadOut => "driver overhead out",
        LegKind::ReportedOut => "driver out, as it reports",
        LegKind::SafetyOut => "safety out",
        LegKind::TransportOut => "transport out",
        LegKind::ConverterOut => "converter out",
        LegKind::AirOut => "air from the speakers",
        LegKind::RoundTrip => "interface round trip",
        LegKind::MeasuredBlocks => "blocks, as measured",
        LegKind::MeasuredFixed => "fixed part, as measured",
        LegKind::DescribedBlocks => "capture and playback blocks",
        LegKind::FixedPart => "fixed part",
        LegKind::WayOut => "way out",
        LegKind::WayIn => "way in",
        LegKind::Packet => "packet",
        LegKind::Way => "way over the network",
        LegKind::ReceiveBuffer => "receive buffer",
        LegKind::Mixing => "mixing at the meeting point",
        LegKind::BlockOfListener => "listener's block",
        LegKind::FarIn => "their interface in",
        LegKind::FarOut => "their interface out",
        LegKind::Resampler => "resampler",
        LegKind::BlockAdaptation => "block adaptation",
        LegKind::LivePath => "plug-ins on the live path",
        LegKind::KeyScan => "key scan",
        LegKind::MidiCable => "MIDI cable",
        LegKind::MidiUsb => "MIDI over USB",
        LegKind::EventTiming => "event timing",
        LegKind::Attack => "instrument's attack",
        LegKind::OnboardMixer => "on-board mixer",
    }
}

/// What to know about a leg.
pub fn note(context: &Context<'_>, note: &LegNote) -> String {
    match note {
        LegNote::None => String::new(),
        LegNote::Distance(m) => format!("{:.2} m", m.raw()),
        LegNote::Connection(word) => word.clone(),
        LegNote::Blocks { count, block, beyond } => {
            let held = format!("{} × {block}", plain(count.raw()));
            match beyond.map(|b| b.raw()) {
                Some(more) if more > 0.0 => format!("{held}, {} more than it says", plain(more)),
                Some(fewer) => format!("{held}, {} fewer than it says", plain(-fewer)),
                None => held,
            }
        }
        LegNote::Model(name) => name.clone(),
        LegNote::HiddenByReport => "reports leave out what the driver hides".into(),
        LegNote::BeyondDescription(Some(frames)) => format!("{:.0} frames more than described", frames.raw()),
        LegNote::BeyondDescription(None) => "converters, transport, safety".into(),
        LegNote::AllTogether => "converters, transport and blocks together".into(),
        LegNote::MeasuredAt(block) => format!("from the round trip measured at {block}"),
        LegNote::ShareOfTrip(s) => format!("{} of the measured round trip, as described", share(*s)),
        LegNote::PlaceAt { place, rate } => format!("{place} runs at {rate} Hz"),
        LegNote::TwoBlocks { software, device } => {
            format!("the software works in {software}, the device in {device}")
        }
        LegNote::Bytes(n) => format!("{n} bytes at 31.25 kbaud"),
        LegNote::Polled => "polled each frame or microframe".into(),
        LegNote::Stamped => "time-stamped: one block, always".into(),
        LegNote::AtNextBlock => "at the next block: it wavers".into(),
        LegNote::Packet(block, line) => format!("{block} frames, {:.1} Mbit/s each way", line / 1000.0),
        LegNote::Straight(km) => format!("{:.0} km in a straight line", km.raw()),
        LegNote::HalfOfTrip => "about half of the measured round trip".into(),
        LegNote::LateAnHour(typical, most) => late_an_hour(*typical, *most),
        LegNote::KindOfLine(line) => format!("usual for {line}, nothing was measured"),
        LegNote::At(far) => context.rig.far(*far).title().into(),
        LegNote::AtMeeting(at) => context.rig.meeting(*at).title().into(),
        LegNote::Processors(all) => {
            let titles: Vec<&str> = all.iter().map(|&p| context.session.processor(p).title()).collect();
            titles.join(", ")
        }
    }
}

/// `about 3 packets an hour late or lost (the rate is no more than 9)`
pub fn late_an_hour(typical: f64, most: f64) -> String {
    let said = |x: f64| match x {
        x if x < 0.1 => "fewer than 0.1".to_string(),
        x if x < 9.95 => format!("{x:.1}"),
        x => format!("{x:.0}"),
    };
    format!("{} packets an hour late or lost, no more than {}", said(typical), said(most.max(typical)))
}

/// What to do to be surer of a leg: a sentence, and commands to paste where there are some.
pub struct Surer {
    pub sentence: &'static str,
    pub commands: &'static [&'static str],
}

/// What to do to be surer.
pub fn surer(remeasure: Remeasure) -> Surer {
    let (sentence, commands): (_, &[&str]) = match remeasure {
        Remeasure::Again => {
            ("Measure it once more, at more buffers:", &["swiftloop probe make --out probe.wav"])
        }
        Remeasure::Distance => {
            ("Measure the distance with a tape and write it into the session (mic_m, speaker_m).", &[])
        }
        Remeasure::RoundTrip => (
            "Patch an output into an input, play this file and record it from the same moment, then read it:",
            &["swiftloop probe make --out probe.wav", "swiftloop probe read RECORDING.wav"],
        ),
        Remeasure::Split => (
            "Write the converters' delays from the data sheet into the rig (converter): the round trip is measured, how it \
             splits into in and out is not.",
            &[],
        ),
        Remeasure::KeyToSound => (
            "Record the knock of the key on channel 1 and the sound on channel 2, then read the time between:",
            &["swiftloop probe read RECORDING.wav --onset"],
        ),
        Remeasure::Link => (
            "Measure the way: they start a reflector, you measure it, and the rig's far side names the file (link):",
            &[
                "swiftloop link reflect --listen 0.0.0.0:8620",
                "swiftloop link measure HOST:8620 --save loft-link.json",
            ],
        ),
        Remeasure::FarSide => (
            "Let them describe their interface, or send their rig, and name it at the far side (theirs, rig).",
            &[],
        ),
        Remeasure::Unload => ("Unload the plug-in for a moment and look whether its delay goes away.", &[]),
        Remeasure::SoftwareBlock => {
            ("Look up the software's own block and write it into the session (engine.block_frames).", &[])
        }
    };
    Surer { sentence, commands }
}

/// What to do to be surer, in one line (for programs).
pub fn surer_in_short(remeasure: Remeasure) -> String {
    let Surer { sentence, commands } = surer(remeasure);
    let sentence = sentence.trim_end_matches(':').trim_end_matches('.');
    if commands.is_empty() { sentence.into() } else { format!("{sentence}: {}", commands.join(", then ")) }
}

/// Why a limit is what it is.
pub fn limit_reason(limit: &Limit) -> &str {
    match &limit.reason {
        LimitReason::Phase => "as the phase asks",
        LimitReason::Performer => "as the performer asks",
        LimitReason::Table(reason) => reason,
    }
}
