//! The electric legs of a setting: converters, transport, safety, blocks. Taken from what was measured, or
//! else reported, or else declared, or else assumed, in that order of trust.

use super::{Context, Leg, LegKind, LegNote};
use crate::rig::{MeasuredTrip, PlaceKind, Setting};
use num_integer::Integer;
use swiftloop_measure::probe::{RoundTripLine, fit};
use swiftloop_units::{Block, Blocks, Figure, Frames, Ms, Origin, Range, Share};

/// Electric legs of one setting.
#[derive(Debug, Clone)]
pub struct Electric {
    /// Converter to program. Empty when only the sum of both ways was measured.
    pub inward: Vec<Leg>,
    /// Program to converter. Holds the measured round trip when that is all we know.
    pub outward: Vec<Leg>,
    /// The way out alone, for keys and for the cursor: as described, or its described share of the measured round trip.
    pub output_alone: Vec<Leg>,
    /// The way in alone, for what goes out over a network: as described, or its described share of the measured round trip.
    pub input_alone: Vec<Leg>,
    /// The line through the measured round trips, if two or more buffers were measured.
    pub fit: Option<RoundTripLine>,
}

fn leg(kind: LegKind, figure: Figure<Ms>, note: LegNote) -> Leg {
    // Delay is never below nothing, whatever figures were put together.
    Leg { kind, span: figure.range.at_least(Ms::new(0.0)), origin: figure.origin, note }
}

fn in_ms(figure: Figure<Frames>, setting: &Setting) -> Figure<Ms> {
    Figure { range: figure.range.at(setting.rate), origin: figure.origin }
}

impl Electric {
    /// The electric legs of `setting`.
    #[must_use]
    pub fn of(context: &Context<'_>, setting: &Setting) -> Self {
        let declared_in = declared(context, setting, Direction::In);
        let output_alone = declared(context, setting, Direction::Out);
        match measured(context, setting) {
            Some((legs, fit)) => {
                let input_alone = vec![share_of(LegKind::WayIn, &legs, &output_alone, &declared_in)];
                let output_alone = vec![share_of(LegKind::WayOut, &legs, &declared_in, &output_alone)];
                Self { inward: Vec::new(), outward: legs, output_alone, input_alone, fit }
            }
            None => Self {
                inward: declared_in.clone(),
                outward: output_alone.clone(),
                output_alone,
                input_alone: declared_in,
                fit: None,
            },
        }
    }
}

/// Blocks and frames that the measured line shows and the driver's own description does not.
#[must_use]
pub fn hidden(context: &Context<'_>, setting: &Setting, line: &RoundTripLine) -> (Blocks, Frames) {
    let described = described_blocks(context, setting).typical();
    let sum = |way| {
        declared(context, setting, way)
            .iter()
            .map(|l| l.span.typical().frames_at(setting.rate))
            .sum::<Frames>()
    };
    let fixed = sum(Direction::In) + sum(Direction::Out) - setting.buffer.block.frames() * described.raw();
    (Blocks::new(line.blocks) - described, line.fixed - fixed)
}

/// Blocks held on both ways, as described.
fn described_blocks(context: &Context<'_>, setting: &Setting) -> Range<Blocks> {
    let blocks_in = context.driver(setting).blocks_in.unwrap_or(context.model(setting).blocks_in);
    blocks_in.plus(context.blocks_out(setting))
}

/// One way as its described share of a measured round trip: at least what is described, at most what the shortest other way
/// leaves.
fn share_of(kind: LegKind, trip: &[Leg], other: &[Leg], own: &[Leg]) -> Leg {
    let sum = |legs: &[Leg]| legs.iter().fold(Range::<Ms>::zero(), |s, l| s.plus(l.span));
    let (trip, other, own) = (sum(trip), sum(other), sum(own));
    let share = own.typical().raw() / (other.typical() + own.typical()).raw().max(1e-9);
    let typical = trip.typical() * share;
    // What the trip has beyond the description may lie on either way.
    let low = own.low().raw().min(typical.raw());
    let high = (trip.high() - other.low()).raw().max(typical.raw());
    Leg {
        kind,
        span: Range::spanning(Ms::new(low), typical, Ms::new(high)),
        // The sum is measured, but where it splits rests on the description.
        origin: Origin::Assumed,
        note: LegNote::ShareOfTrip(Share::new(share)),
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Direction {
    In,
    Out,
}

impl Direction {
    /// The first on the way in, the second on the way out.
    fn pick<T>(self, inward: T, outward: T) -> T {
        if self == Self::In { inward } else { outward }
    }
}

fn declared(context: &Context<'_>, setting: &Setting, way: Direction) -> Vec<Leg> {
    let (interface, driver) = (context.interface(setting), context.driver(setting));
    let rate = setting.rate;
    let declared_converter = interface.converters.iter().find(|c| c.rate_hz == rate);
    let converter = Figure::declared_or(
        declared_converter.map(|c| way.pick(c.in_frames, c.out_frames)),
        context.tables.assume.converter_frames,
    );
    let kind = way.pick(LegKind::ConverterIn, LegKind::ConverterOut);
    let converter = leg(kind, in_ms(converter, setting), LegNote::None);

    let reported =
        driver.reported.iter().find(|r| r.rate_hz == rate && Some(r.buffer_frames) == known_block(setting));
    let middle = match reported {
        Some(reported) => {
            let claimed = way.pick(reported.in_frames, reported.out_frames).at(rate);
            let assume = &context.tables.assume;
            let hidden = way.pick(assume.hidden_in_ms, assume.hidden_out_ms);
            let range = Range::spanning(claimed, claimed, claimed + hidden);
            let kind = way.pick(LegKind::ReportedIn, LegKind::ReportedOut);
            vec![leg(kind, Figure { range, origin: Origin::Reported }, LegNote::HiddenByReport)]
        }
        None => described(context, setting, way),
    };
    let mut legs: Vec<Leg> = std::iter::once(converter).chain(middle).collect();
    if way == Direction::Out {
        legs.reverse();
    }
    legs
}

/// Transport, safety, blocks and overhead of a driver that reports nothing.
fn described(context: &Context<'_>, setting: &Setting, way: Direction) -> Vec<Leg> {
    let (interface, driver, model) =
        (context.interface(setting), context.driver(setting), context.model(setting));
    let link = context.rig.connection(setting.interface);
    let transport = match way.pick(interface.transport_in_frames, interface.transport_out_frames) {
        Some(frames) => Figure { range: frames.at(setting.rate), origin: Origin::Declared },
        None => Figure { range: way.pick(link.in_ms, link.out_ms), origin: Origin::Assumed },
    };
    let safety = way.pick(interface.safety_in_frames, interface.safety_out_frames);
    let safety = in_ms(Figure::declared_or(safety, context.tables.assume.safety_frames), setting);
    let fixed = Figure { range: way.pick(model.fixed_in_ms, model.fixed_out_ms), origin: Origin::Assumed };
    let blocks = if way == Direction::In {
        Figure::declared_or(driver.blocks_in, model.blocks_in)
    } else {
        let given = setting.buffer.count.is_some() || driver.blocks_out.is_some();
        let origin = if given { Origin::Declared } else { Origin::Assumed };
        Figure { range: context.blocks_out(setting), origin }
    };
    let doubt = setting.buffer.doubt;
    let product = |b: Blocks, f: Frames| f.at(setting.rate) * b.raw();
    let held = Range::spanning(
        product(blocks.range.low(), doubt.low()),
        product(blocks.range.typical(), doubt.typical()),
        product(blocks.range.high(), doubt.high()),
    );
    let origin = if doubt.spread().raw() > 0.0 { Origin::Assumed } else { blocks.origin };
    let (count, block) = (blocks.range.typical(), setting.buffer.block);
    let connection = LegNote::Connection(interface.connection.clone());
    let mut legs = vec![
        leg(way.pick(LegKind::TransportIn, LegKind::TransportOut), transport, connection),
        leg(way.pick(LegKind::SafetyIn, LegKind::SafetyOut), safety, LegNote::None),
        leg(
            way.pick(LegKind::CaptureBlocks, LegKind::PlaybackBlocks),
            Figure { range: held, origin },
            LegNote::Blocks { count, block, beyond: None },
        ),
    ];
    if fixed.range.high().raw() > 0.0 {
        let kind = way.pick(LegKind::OverheadIn, LegKind::OverheadOut);
        legs.push(leg(kind, fixed, LegNote::Model(model.name.clone())));
    }
    legs
}

/// The block of a setting when the panel shows figures.
fn known_block(setting: &Setting) -> Option<Block> {
    setting.buffer.speed.is_none().then_some(setting.buffer.block)
}

/// Differences from the description that are told: a quarter of a block, a frame.
const TOLD: (f64, f64) = (0.25, 1.0);

/// Legs from measured round trips at this rate, or nothing when there are none that apply.
fn measured(context: &Context<'_>, setting: &Setting) -> Option<(Vec<Leg>, Option<RoundTripLine>)> {
    let here = |t: &&MeasuredTrip| t.rate_hz == setting.rate && t.is_with(&setting.buffer);
    let trips: Vec<&MeasuredTrip> = context.driver(setting).measured.iter().filter(here).collect();
    let figure = |range: Range<Frames>| Figure { range: range.at(setting.rate), origin: Origin::Measured };
    let whole = |range| vec![leg(LegKind::RoundTrip, figure(range), LegNote::AllTogether)];
    if let Some(name) = &setting.buffer.speed {
        let trip = trips.iter().find(|t| t.speed.as_ref() == Some(name))?;
        return Some((whole(trip.round_trip_frames), None));
    }
    let points: Vec<(Block, Range<Frames>)> =
        trips.iter().filter_map(|t| Some((t.buffer_frames?, t.round_trip_frames))).collect();
    let n = setting.buffer.block;
    let here: Vec<Range<Frames>> = points.iter().filter(|p| p.0 == n).map(|p| p.1).collect();
    let here = together(&here);
    let typical: Vec<(Block, Frames)> = points.iter().map(|p| (p.0, p.1.typical())).collect();
    if let Some(line) = fit(&typical).and_then(|line| line.usable(&typical).ok()) {
        let blocks = n.frames() * line.blocks;
        if let Some(range) = here.filter(|r| r.low() < blocks) {
            // Less than the line's blocks alone: at this buffer the line says nothing.
            return Some((whole(range), None));
        }
        let spread =
            points.iter().map(|p| p.1.spread().raw()).fold(0.0, f64::max) / 2.0 + line.unexplained.raw();
        // A point measured at this very buffer beats the line through all of them.
        let fixed = match here {
            Some(r) => r.map(|f| f - blocks),
            None => {
                let spread = Frames::new(spread);
                Range::spanning(line.fixed - spread, line.fixed, line.fixed + spread)
            }
        };
        let (extra_blocks, extra_frames) = hidden(context, setting, &line);
        let beyond = (extra_blocks.raw().abs() > TOLD.0).then_some(extra_blocks);
        let count = Blocks::new(line.blocks);
        let more = (extra_frames.raw() >= TOLD.1).then_some(extra_frames);
        let legs = vec![
            leg(
                LegKind::MeasuredBlocks,
                figure(Range::exact(blocks)),
                LegNote::Blocks { count, block: n, beyond },
            ),
            leg(LegKind::MeasuredFixed, figure(fixed), LegNote::BeyondDescription(more)),
        ];
        return Some((legs, Some(line)));
    }
    if let Some(range) = here {
        return Some((whole(range), None));
    }
    // One other buffer was measured: its fixed part is known if the model's number of blocks is right.
    let &(other, trip) = points.first()?;
    let held = described_blocks(context, setting);
    let blocks = held.map(|b| n.frames().at(setting.rate) * b.raw());
    let fixed = trip.map(|f| f - other.frames() * held.typical().raw());
    let note = LegNote::Blocks { count: held.typical(), block: n, beyond: None };
    Some((
        vec![
            leg(LegKind::DescribedBlocks, Figure { range: blocks, origin: Origin::Assumed }, note),
            leg(LegKind::FixedPart, figure(fixed), LegNote::MeasuredAt(other)),
        ],
        None,
    ))
}

/// Several round trips at one buffer: from the lowest to the highest, typically their mean, in whatever order they stand.
fn together(trips: &[Range<Frames>]) -> Option<Range<Frames>> {
    let mean = trips.iter().map(|r| r.typical()).sum::<Frames>() * (1.0 / trips.len().max(1) as f64);
    let edge = |of: fn(&Range<Frames>) -> f64, pick: fn(f64, f64) -> f64| trips.iter().map(of).reduce(pick);
    let low = edge(|r| r.low().raw(), f64::min)?;
    let high = edge(|r| r.high().raw(), f64::max)?;
    Some(Range::spanning(Frames::new(low), mean, Frames::new(high)))
}

/// Whether the system converts the rate on the way to this setting's device: a place of the system
/// disagrees with the session and the driver model resamples.
pub(super) fn resampler(context: &Context<'_>, setting: &Setting, ways: f64) -> Option<Leg> {
    let interface = &context.interface(setting).id;
    let place = context.rig.places.iter().find(|p| {
        &p.interface == interface
            && p.rate_hz != setting.rate
            && matches!(p.kind, PlaceKind::SystemPlayback | PlaceKind::SystemRecording | PlaceKind::Panel)
    })?;
    context.model(setting).resamples.then(|| Leg {
        kind: LegKind::Resampler,
        span: context.tables.assume.resampler_ms.times(ways),
        origin: Origin::Assumed,
        note: LegNote::PlaceAt { place: place.name.clone(), rate: place.rate_hz },
    })
}

/// The delay of fitting the software's own block into the device's: `B − gcd(B, N)` frames.
pub(super) fn adaptation(context: &Context<'_>, setting: &Setting) -> Option<Leg> {
    let own = context.session.engine.block_frames?;
    let device = setting.buffer.block;
    let frames = own.get() - own.get().gcd(&device.get());
    (frames > 0).then(|| Leg {
        kind: LegKind::BlockAdaptation,
        span: Range::exact(Frames::new(f64::from(frames)).at(setting.rate)),
        origin: Origin::Declared,
        note: LegNote::TwoBlocks { software: own, device },
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_mean_of_several_trips_does_not_depend_on_their_order() {
        let trips = [400.0, 410.0, 420.0].map(|f| Range::exact(Frames::new(f)));
        for order in [[0, 1, 2], [2, 1, 0], [1, 2, 0], [1, 0, 2]] {
            let all = order.map(|i: usize| trips[i]);
            let mean = together(&all).unwrap();
            assert_eq!((mean.low().raw(), mean.high().raw()), (400.0, 420.0));
            assert!((mean.typical().raw() - 410.0).abs() < 1e-9, "{order:?}");
        }
        assert!(together(&[]).is_none());
    }
}
