//! The four kinds of loop, put together from legs: sound, keys, direct, playback.

use super::electric::{adaptation, resampler};
use super::{Bench, Chains, Electric, Leg, Loop, LoopKind, Part, Setting, limit_for};
use crate::session::{KeysLink, Listens, NoteTiming, Performer, Phase, Source};
use crate::units::{Figure, Frames, Metres, Ms, Origin, Quantity, Range, SPEED_OF_SOUND_M_S};

/// MIDI 1.0 electrical specification: 31.25 kbaud, one start bit, eight data bits, one stop bit.
const FIVE_PIN_MS_PER_BYTE: f64 = 10.0 / 31.25;

fn air(name: &str, declared: Option<Range<Metres>>, assumed: Range<Metres>) -> Leg {
    let figure = Figure::declared_or(declared, assumed);
    Leg {
        name: name.into(),
        part: Part::Air,
        span: figure.range.map(|m| Ms(m.raw() / SPEED_OF_SOUND_M_S * 1000.0)),
        origin: figure.origin,
        note: format!("{:.2} m", figure.range.typical().0),
    }
}

/// Every loop of a phase at a setting; `high` and `low` are the session's chains with the high and the low latency
/// figures, `direct` the performers who are moved to the interface's own mixer.
#[must_use]
pub fn loops_of(
    bench: &Bench<'_>,
    setting: &Setting,
    phase: &Phase,
    (high, low): (&Chains, &Chains),
    direct: &[usize],
) -> Vec<Loop> {
    let electric = Electric::of(bench, setting);
    let mut loops: Vec<Loop> = (0..bench.session.performers.len())
        .filter(|&p| phase.performers.contains(&bench.session.performers[p].id))
        .map(|p| loop_of(bench, setting, phase, p, &electric, (high, low), direct.contains(&p)))
        .collect();
    if loops.is_empty() {
        loops.push(playback_loop(bench, setting, &electric));
    }
    loops
}

/// The loop of one performer. `chains` are the live chains with high and with low latency figures.
#[must_use]
pub fn loop_of(
    bench: &Bench<'_>,
    setting: &Setting,
    phase: &Phase,
    performer: usize,
    electric: &Electric,
    chains: (&Chains, &Chains),
    direct: bool,
) -> Loop {
    let person = &bench.session.performers[performer];
    let kind = if direct { LoopKind::Direct } else { kind_of(bench, person) };
    let legs = match kind {
        LoopKind::Direct => direct_legs(bench, setting, person),
        LoopKind::Keys => keys_legs(bench, setting, person, electric, chains),
        _ => sound_legs(bench, setting, person, electric, chains),
    };
    let mut whole = Loop::from_legs(Some(performer), person.title().to_string(), kind, legs);
    whole.limit = Some(limit_for(bench.tables, person, Some(phase)));
    whole
}

fn kind_of(bench: &Bench<'_>, person: &Performer) -> LoopKind {
    let plays_keys = person
        .hears
        .iter()
        .any(|id| bench.session.tracks.iter().any(|t| &t.id == id && t.source == Source::Instrument));
    match person.listens {
        Listens::Direct => LoopKind::Direct,
        _ if plays_keys => LoopKind::Keys,
        _ => LoopKind::Sound,
    }
}

fn air_out(bench: &Bench<'_>, person: &Performer) -> Option<Leg> {
    let far = person.listens == Listens::Speakers;
    far.then(|| air("air from the speakers", person.speaker_m, bench.tables.assume.speaker_distance_m))
}

fn sound_legs(
    b: &Bench<'_>,
    s: &Setting,
    who: &Performer,
    e: &Electric,
    chains: (&Chains, &Chains),
) -> Vec<Leg> {
    let mut legs = vec![air("air to the microphone", who.mic_m, b.tables.assume.mic_distance_m)];
    legs.extend(e.inward.iter().cloned());
    legs.extend(adaptation(b, s));
    legs.extend(resampler(b, s, 2.0));
    legs.extend(live_chain(b, s, who, chains));
    legs.extend(e.outward.iter().cloned());
    legs.extend(air_out(b, who));
    legs
}

fn keys_legs(
    b: &Bench<'_>,
    s: &Setting,
    who: &Performer,
    e: &Electric,
    chains: (&Chains, &Chains),
) -> Vec<Leg> {
    let assume = &b.tables.assume;
    let keys = |name: &str, figure: Figure<Ms>, note: String| Leg {
        name: name.into(),
        part: Part::Keys,
        span: figure.range,
        origin: figure.origin,
        note,
    };
    let scan = Figure::declared_or(who.key_scan_ms, assume.key_scan_ms);
    let link = match who.keys {
        KeysLink::FivePin => {
            let ms = Ms(FIVE_PIN_MS_PER_BYTE * f64::from(assume.five_pin_bytes));
            keys(
                "MIDI cable",
                Figure { range: Range::exact(ms), origin: Origin::Declared },
                format!("{} bytes at 31.25 kbaud", assume.five_pin_bytes),
            )
        }
        KeysLink::Usb => keys(
            "MIDI over USB",
            Figure { range: assume.usb_poll_ms, origin: Origin::Assumed },
            "polled each frame or microframe".into(),
        ),
    };
    let doubt = s.buffer.doubt.at(s.rate);
    let timing = match b.session.engine.note_timing {
        NoteTiming::Stamped => (doubt, "time-stamped: one block, always"),
        NoteTiming::NextBlock => {
            (Range::spanning(Ms(0.0), doubt.typical() * 0.5, doubt.high()), "at the next block: it wavers")
        }
    };
    let mut legs = vec![
        keys("key scan", scan, String::new()),
        link,
        keys("event timing", Figure { range: timing.0, origin: Origin::Declared }, timing.1.into()),
        keys(
            "instrument's attack",
            Figure { range: assume.instrument_ms, origin: Origin::Assumed },
            String::new(),
        ),
    ];
    legs.extend(adaptation(b, s));
    legs.extend(resampler(b, s, 1.0));
    legs.extend(live_chain(b, s, who, chains));
    // Keys use only the way out; a measured round trip does not say how it splits.
    legs.extend(e.output_alone.iter().cloned());
    legs.extend(air_out(b, who));
    legs
}

fn direct_legs(b: &Bench<'_>, s: &Setting, who: &Performer) -> Vec<Leg> {
    let interface = b.interface(s);
    let declared = interface.converters.iter().find(|c| c.rate_hz == s.rate);
    let electric = |name: &str, declared: Option<Range<Frames>>, assumed: Range<Frames>| {
        let figure = Figure::declared_or(declared, assumed);
        Leg {
            name: name.into(),
            part: Part::Electric,
            span: figure.range.at(s.rate),
            origin: figure.origin,
            note: String::new(),
        }
    };
    let assume = &b.tables.assume;
    vec![
        air("air to the microphone", who.mic_m, assume.mic_distance_m),
        electric("converter in", declared.map(|c| c.in_frames), assume.converter_frames),
        electric("on-board mixer", interface.direct_frames, assume.direct_mixer_frames),
        electric("converter out", declared.map(|c| c.out_frames), assume.converter_frames),
    ]
}

/// The session's processors between the live track and the cue output, as one leg; nothing when they add nothing.
fn live_chain(b: &Bench<'_>, s: &Setting, who: &Performer, (high, low): (&Chains, &Chains)) -> Option<Leg> {
    let cue = b.session.node_of(&who.cue)?;
    let at = |c: &Chains| Frames(c.delay[cue].unwrap_or(0.0)).at(s.rate);
    let span = Range::spanning(at(low), at(high), at(high));
    if span.high().0 <= 0.0 {
        return None;
    }
    let routes = b.session.routes();
    let names: Vec<&str> = high
        .path(cue)
        .into_iter()
        .flat_map(|n| {
            let slow =
                routes.nodes[n].processors.clone().filter(|&p| b.session.processor(p).latency_frames.0 > 0.0);
            slow.map(|p| b.session.processor(p).title()).collect::<Vec<_>>()
        })
        .collect();
    Some(Leg {
        name: "processors on the live path".into(),
        part: Part::Chain,
        span,
        origin: Origin::Declared,
        note: names.join(", "),
    })
}

/// From the cursor to the ear: output legs only. The main output's processors are compensated by starting
/// early, so they delay the start of playback but not the cursor.
#[must_use]
pub fn playback_loop(bench: &Bench<'_>, setting: &Setting, electric: &Electric) -> Loop {
    let mut legs = Vec::new();
    legs.extend(adaptation(bench, setting));
    legs.extend(resampler(bench, setting, 1.0));
    legs.extend(electric.output_alone.iter().cloned());
    Loop::from_legs(None, "cursor to ear".into(), LoopKind::Playback, legs)
}
