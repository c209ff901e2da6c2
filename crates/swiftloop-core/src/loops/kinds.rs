//! The four kinds of loop, put together from legs: sound, keys, direct, playback.

use super::electric::{adaptation, resampler};
use super::{Chains, Context, Electric, Leg, LegKind, LegNote, Loop, LoopKind, limit_for};
use crate::loops::air;
use crate::loops::air_out;
use crate::loops::far::far_loops;
use crate::rig::{LinkSetting, Setting};
use crate::session::{KeysLink, Listens, NoteTiming, Performer, Phase, Source};
use swiftloop_units::ids::PerformerId;
use swiftloop_units::{Figure, Frames, Ms, Origin, Range};

/// MIDI 1.0 electrical specification: 31.25 kbaud, one start bit, eight data bits, one stop bit.
const FIVE_PIN_MS_PER_BYTE: f64 = 10.0 / 31.25;

/// The session's chains with the high, the typical and the low latency figures.
#[derive(Debug, Clone, Copy)]
pub struct ChainsRange<'a> {
    /// With the high figures.
    pub high: &'a Chains,
    /// With those to expect.
    pub typical: &'a Chains,
    /// With the low ones.
    pub low: &'a Chains,
}

/// Every loop of a phase at a setting; `direct` are the performers who are moved to the interface's own mixer.
#[must_use]
pub fn loops_of(
    context: &Context<'_>,
    setting: &Setting,
    phase: &Phase,
    chains: ChainsRange<'_>,
    direct: &[PerformerId],
    link: &LinkSetting,
) -> Vec<Loop> {
    let electric = Electric::of(context, setting);
    let performers = context.session.performers_in(phase);
    let judged = |p: PerformerId| {
        let mut whole = loop_of(context, setting, phase, p, &electric, chains, direct.contains(&p));
        whole.judge(context, setting);
        whole
    };
    let mut loops: Vec<Loop> = performers.map(|(p, _)| judged(p)).collect();
    if loops.is_empty() {
        loops.push(playback_loop(context, setting, &electric));
    }
    loops.extend(far_loops(context, setting, phase, &electric, link));
    loops
}

/// The loop of one performer, not held against its limit yet.
#[must_use]
pub fn loop_of(
    context: &Context<'_>,
    setting: &Setting,
    phase: &Phase,
    performer: PerformerId,
    electric: &Electric,
    chains: ChainsRange<'_>,
    direct: bool,
) -> Loop {
    let person = context.session.performer(performer);
    let kind = if direct { LoopKind::Direct } else { kind_of(context, person) };
    let legs = match kind {
        LoopKind::Direct => direct_legs(context, setting, person),
        LoopKind::Keys => keys_legs(context, setting, person, electric, chains),
        LoopKind::Sound | LoopKind::Playback | LoopKind::Together | LoopKind::Returned => {
            sound_legs(context, setting, person, electric, chains)
        }
    };
    let mut whole = Loop::from_legs(Some(performer), kind, legs);
    whole.limit = Some(limit_for(context.session, performer, phase, context.tables.assume.listener_doubt));
    whole
}

fn kind_of(context: &Context<'_>, person: &Performer) -> LoopKind {
    let plays_keys = person
        .hears
        .iter()
        .any(|id| context.session.tracks.iter().any(|t| &t.id == id && t.source == Source::Instrument));
    match person.listens {
        Listens::Direct => LoopKind::Direct,
        Listens::Headphones | Listens::InEars | Listens::Speakers if plays_keys => LoopKind::Keys,
        Listens::Headphones | Listens::InEars | Listens::Speakers => LoopKind::Sound,
    }
}

fn sound_legs(
    context: &Context<'_>,
    setting: &Setting,
    who: &Performer,
    electric: &Electric,
    chains: ChainsRange<'_>,
) -> Vec<Leg> {
    let mut legs = vec![air(LegKind::AirIn, who.mic_m, context.tables.assume.mic_distance_m)];
    legs.extend(electric.inward.iter().cloned());
    legs.extend(adaptation(context, setting));
    legs.extend(resampler(context, setting, 2.0));
    legs.extend(live_path(context, setting, who, chains));
    legs.extend(electric.outward.iter().cloned());
    legs.extend(air_out(context, who));
    legs
}

fn keys_legs(
    context: &Context<'_>,
    setting: &Setting,
    who: &Performer,
    electric: &Electric,
    chains: ChainsRange<'_>,
) -> Vec<Leg> {
    let assume = &context.tables.assume;
    let leg = |kind, figure: Figure<Ms>, note| Leg { kind, span: figure.range, origin: figure.origin, note };
    let scan = Figure::declared_or(who.key_scan_ms, assume.key_scan_ms);
    let link = match who.keys {
        KeysLink::FivePin => {
            let ms = Ms::new(FIVE_PIN_MS_PER_BYTE * f64::from(assume.five_pin_bytes));
            let figure = Figure { range: Range::exact(ms), origin: Origin::Declared };
            leg(LegKind::MidiCable, figure, LegNote::Bytes(assume.five_pin_bytes))
        }
        KeysLink::Usb => {
            let figure = Figure { range: assume.usb_poll_ms, origin: Origin::Assumed };
            leg(LegKind::MidiUsb, figure, LegNote::Polled)
        }
    };
    let doubt = setting.buffer.doubt.at(setting.rate);
    let (timing, note) = match context.session.engine.note_timing {
        NoteTiming::Stamped => (doubt, LegNote::Stamped),
        NoteTiming::NextBlock => {
            let range = Range::spanning(Ms::new(0.0), doubt.typical() * 0.5, doubt.high());
            (range, LegNote::AtNextBlock)
        }
    };
    let attack = Figure { range: assume.instrument_ms, origin: Origin::Assumed };
    let mut legs = vec![
        leg(LegKind::KeyScan, scan, LegNote::None),
        link,
        leg(LegKind::EventTiming, Figure { range: timing, origin: Origin::Declared }, note),
        leg(LegKind::Attack, attack, LegNote::None),
    ];
    legs.extend(adaptation(context, setting));
    legs.extend(resampler(context, setting, 1.0));
    legs.extend(live_path(context, setting, who, chains));
    // Keys use only the way out; a measured round trip does not say how it splits.
    legs.extend(electric.output_alone.iter().cloned());
    legs.extend(air_out(context, who));
    legs
}

fn direct_legs(context: &Context<'_>, setting: &Setting, who: &Performer) -> Vec<Leg> {
    let interface = context.interface(setting);
    let declared = interface.converters.iter().find(|c| c.rate_hz == setting.rate);
    let electric = |kind, declared: Option<Range<Frames>>, assumed: Range<Frames>| {
        let figure = Figure::declared_or(declared, assumed);
        Leg { kind, span: figure.range.at(setting.rate), origin: figure.origin, note: LegNote::None }
    };
    let assume = &context.tables.assume;
    vec![
        air(LegKind::AirIn, who.mic_m, assume.mic_distance_m),
        electric(LegKind::ConverterIn, declared.map(|c| c.in_frames), assume.converter_frames),
        electric(LegKind::OnboardMixer, interface.direct_frames, assume.direct_mixer_frames),
        electric(LegKind::ConverterOut, declared.map(|c| c.out_frames), assume.converter_frames),
    ]
}

/// The session's processors between the live track and the cue output, as one leg; nothing when they add nothing.
fn live_path(
    context: &Context<'_>,
    setting: &Setting,
    who: &Performer,
    chains: ChainsRange<'_>,
) -> Option<Leg> {
    let cue = context.session.node_of(&who.cue)?;
    let at = |c: &Chains| c.at(cue).at(setting.rate);
    let span = Range::spanning(at(chains.low), at(chains.typical), at(chains.high));
    if span.high().raw() <= 0.0 {
        return None;
    }
    let routes = context.session.routes();
    let slow = chains.typical.path(cue).into_iter().flat_map(|n| routes.nodes[n].processors());
    let slow = slow.filter(|&p| context.session.processor(p).latency_frames.raw() > 0.0);
    Some(Leg {
        kind: LegKind::LivePath,
        span,
        // At another rate than that of the figures it is not known whether frames or time are kept.
        origin: if span.spread().raw() > 0.0 { Origin::Assumed } else { Origin::Declared },
        note: LegNote::Processors(slow.collect()),
    })
}

/// From the cursor to the ear: output legs only. The main output's processors are compensated by starting
/// early, so they delay the start of playback but not the cursor.
#[must_use]
pub fn playback_loop(context: &Context<'_>, setting: &Setting, electric: &Electric) -> Loop {
    let mut legs = Vec::new();
    legs.extend(adaptation(context, setting));
    legs.extend(resampler(context, setting, 1.0));
    legs.extend(electric.output_alone.iter().cloned());
    Loop::from_legs(None, LoopKind::Playback, legs)
}
