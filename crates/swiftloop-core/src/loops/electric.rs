//! The electric legs of a setting: converters, transport, safety, blocks. Taken from what was measured, or
//! else reported, or else declared, or else assumed, in that order of trust.

use super::{Bench, Fit, Leg, Part, Setting, fit};
use crate::rig::{MeasuredTrip, PlaceKind};
use crate::units::{Block, Figure, Frames, Ms, Origin, Range};

/// Electric legs of one setting.
#[derive(Debug, Clone)]
pub struct Electric {
    /// Converter to program. Empty when only the sum of both ways was measured.
    pub inward: Vec<Leg>,
    /// Program to converter. Holds the measured round trip when that is all we know.
    pub outward: Vec<Leg>,
    /// The way out alone, for keys and for the cursor: as described, or its described share of the measured round trip.
    pub output_alone: Vec<Leg>,
    /// The line through the measured round trips, if two or more buffers were measured.
    pub fit: Option<Fit>,
}

fn leg(name: &str, figure: Figure<Ms>, note: String) -> Leg {
    Leg { name: name.into(), part: Part::Electric, span: figure.range, origin: figure.origin, note }
}

fn in_ms(figure: Figure<Frames>, setting: &Setting) -> Figure<Ms> {
    Figure { range: figure.range.at(setting.rate), origin: figure.origin }
}

impl Electric {
    /// The electric legs of `setting`.
    #[must_use]
    pub fn of(bench: &Bench<'_>, setting: &Setting) -> Self {
        let declared_in = declared(bench, setting, Way::In);
        let output_alone = declared(bench, setting, Way::Out);
        match measured(bench, setting) {
            Some((legs, fit)) => {
                let output_alone = vec![share_out(&legs, &declared_in, &output_alone)];
                Self { inward: Vec::new(), outward: legs, output_alone, fit }
            }
            None => Self { inward: declared_in, outward: output_alone.clone(), output_alone, fit: None },
        }
    }
}

/// Blocks and frames that the measured line shows and the driver's own description does not.
#[must_use]
pub fn hidden(bench: &Bench<'_>, setting: &Setting, line: &Fit) -> (f64, Frames) {
    let model = bench.model(setting);
    let blocks_in = bench.driver(setting).blocks_in.unwrap_or(model.blocks_in);
    let described = blocks_in.typical().0 + bench.blocks_out(setting).typical().0;
    let sum = |way| {
        declared(bench, setting, way).iter().map(|l| l.span.typical().frames_at(setting.rate).0).sum::<f64>()
    };
    let fixed = sum(Way::In) + sum(Way::Out) - described * setting.buffer.block.frames().0;
    (line.blocks - described, Frames(line.fixed.0 - fixed))
}

/// The way out as its described share of a measured round trip: at least what is described, at most what the shortest
/// way in leaves.
fn share_out(trip: &[Leg], inward: &[Leg], outward: &[Leg]) -> Leg {
    let sum = |legs: &[Leg]| legs.iter().fold(Range::<Ms>::zero(), |s, l| s.plus(l.span));
    let (trip, inward, outward) = (sum(trip), sum(inward), sum(outward));
    let share = outward.typical().0 / (inward.typical().0 + outward.typical().0).max(1e-9);
    let typical = trip.typical() * share;
    // What the trip has beyond the description may lie on either way.
    let low = outward.low().0.min(typical.0);
    let high = (trip.high() - inward.low()).0.max(typical.0);
    Leg {
        name: "way out".into(),
        part: Part::Split,
        span: Range::spanning(Ms(low), typical, Ms(high)),
        // The sum is measured, but where it splits rests on the description.
        origin: Origin::Assumed,
        note: format!("{:.0} % of the measured round trip, as described", share * 100.0),
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Way {
    In,
    Out,
}

impl Way {
    /// The first on the way in, the second on the way out.
    fn pick<T>(self, inward: T, outward: T) -> T {
        if self == Self::In { inward } else { outward }
    }
}

fn declared(bench: &Bench<'_>, setting: &Setting, way: Way) -> Vec<Leg> {
    let (interface, driver, model) = (bench.interface(setting), bench.driver(setting), bench.model(setting));
    let assume = &bench.tables.assume;
    let rate = setting.rate;

    let declared_converter = interface.converters.iter().find(|c| c.rate_hz == rate);
    let converter = Figure::declared_or(
        declared_converter.map(|c| way.pick(c.in_frames, c.out_frames)),
        assume.converter_frames,
    );
    let converter = leg(way.pick("converter in", "converter out"), in_ms(converter, setting), String::new());

    let reported =
        driver.reported.iter().find(|r| r.rate_hz == rate && Some(r.buffer_frames) == known_block(setting));
    let middle = if let Some(reported) = reported {
        let claimed = way.pick(reported.in_frames, reported.out_frames).at(rate);
        let hidden = way.pick(assume.hidden_in_ms, assume.hidden_out_ms);
        let range = Range::spanning(claimed, claimed, claimed + hidden);
        let name = way.pick("driver in, as it reports", "driver out, as it reports");
        vec![leg(
            name,
            Figure { range, origin: Origin::Reported },
            "reports leave out what the driver hides".into(),
        )]
    } else {
        let link = bench.tables.connection(&interface.connection);
        let link_ms = link.map_or(Range::zero(), |l| way.pick(l.in_ms, l.out_ms));
        let transport = match way.pick(interface.transport_in_frames, interface.transport_out_frames) {
            Some(frames) => Figure { range: frames.at(rate), origin: Origin::Declared },
            None => Figure { range: link_ms, origin: Origin::Assumed },
        };
        let safety = way.pick(interface.safety_in_frames, interface.safety_out_frames);
        let safety = in_ms(Figure::declared_or(safety, assume.safety_frames), setting);
        let fixed =
            Figure { range: way.pick(model.fixed_in_ms, model.fixed_out_ms), origin: Origin::Assumed };
        let blocks = if way == Way::In {
            Figure::declared_or(driver.blocks_in, model.blocks_in)
        } else {
            let given = setting.buffer.count.is_some() || driver.blocks_out.is_some();
            Figure {
                range: bench.blocks_out(setting),
                origin: if given { Origin::Declared } else { Origin::Assumed },
            }
        };
        let doubt = setting.buffer.doubt;
        let product = |b: f64, f: Frames| Ms(b * f.at(rate).0);
        let held = Range::spanning(
            product(blocks.range.low().0, doubt.low()),
            product(blocks.range.typical().0, doubt.typical()),
            product(blocks.range.high().0, doubt.high()),
        );
        let origin = if doubt.spread().0 > 0.0 { Origin::Assumed } else { blocks.origin };
        let note = format!("{} × {}", short(blocks.range.typical().0), setting.buffer.block);
        let mut legs = vec![
            leg(way.pick("transport in", "transport out"), transport, interface.connection.clone()),
            leg(way.pick("safety in", "safety out"), safety, String::new()),
            leg(way.pick("capture blocks", "playback blocks"), Figure { range: held, origin }, note),
        ];
        if fixed.range.high().0 > 0.0 {
            legs.push(leg(way.pick("driver overhead in", "driver overhead out"), fixed, model.name.clone()));
        }
        legs
    };
    let mut legs: Vec<Leg> = std::iter::once(converter).chain(middle).collect();
    if way == Way::Out {
        legs.reverse();
    }
    legs
}

/// A number without needless decimals.
fn short(x: f64) -> String {
    if (x - x.round()).abs() < 1e-9 { format!("{x:.0}") } else { format!("{x:.2}") }
}

/// The block of a setting when the panel shows figures.
fn known_block(setting: &Setting) -> Option<Block> {
    setting.buffer.speed.is_none().then_some(setting.buffer.block)
}

/// Legs from measured round trips at this rate, or nothing when there are none that apply.
fn measured(bench: &Bench<'_>, setting: &Setting) -> Option<(Vec<Leg>, Option<Fit>)> {
    let trips: Vec<&MeasuredTrip> =
        bench.driver(setting).measured.iter().filter(|t| t.rate_hz == setting.rate).collect();
    let figure = |range: Range<Frames>| Figure { range: range.at(setting.rate), origin: Origin::Measured };
    if let Some(name) = &setting.buffer.speed {
        let trip = trips.iter().find(|t| t.speed.as_ref() == Some(name))?;
        let note = "converters, transport and blocks together".to_string();
        return Some((vec![leg("interface round trip", figure(trip.round_trip_frames), note)], None));
    }
    let points: Vec<(Block, Range<Frames>)> =
        trips.iter().filter_map(|t| Some((t.buffer_frames?, t.round_trip_frames))).collect();
    let n = setting.buffer.block;
    let here = points.iter().filter(|p| p.0 == n).map(|p| p.1).reduce(|a, b| {
        Range::spanning(
            Frames(a.low().0.min(b.low().0)),
            Frames((a.typical().0 + b.typical().0) / 2.0),
            Frames(a.high().0.max(b.high().0)),
        )
    });
    let typical: Vec<(Block, Frames)> = points.iter().map(|p| (p.0, p.1.typical())).collect();
    if let Some(line) = fit(&typical) {
        let blocks = line.blocks * n.frames().0;
        let spread = points.iter().map(|p| p.1.spread().0).fold(0.0, f64::max) / 2.0 + line.unexplained.0;
        // A point measured at this very buffer beats the line through all of them.
        let fixed = match here {
            Some(r) => r.map(|f| Frames(f.0 - blocks)),
            None => Range::spanning(Frames(line.fixed.0 - spread), line.fixed, Frames(line.fixed.0 + spread)),
        };
        let (extra_blocks, extra_frames) = hidden(bench, setting, &line);
        let blocks_note = match extra_blocks {
            x if x > 0.25 => format!("{} × {n}, {} more than it says", short(line.blocks), short(x)),
            x if x < -0.25 => format!("{} × {n}, {} fewer than it says", short(line.blocks), short(-x)),
            _ => format!("{} × {n}", short(line.blocks)),
        };
        let fixed_note = match extra_frames.0 {
            x if x >= 1.0 => format!("{x:.0} frames more than described"),
            _ => "converters, transport, safety".to_string(),
        };
        let legs = vec![
            leg("blocks, as measured", figure(Range::exact(Frames(blocks))), blocks_note),
            leg("fixed part, as measured", figure(fixed), fixed_note),
        ];
        return Some((legs, Some(line)));
    }
    if let Some(range) = here {
        let note = "converters, transport and blocks together".to_string();
        return Some((vec![leg("interface round trip", figure(range), note)], None));
    }
    // One other buffer was measured: its fixed part is known if the model's number of blocks is right.
    let &(other, trip) = points.first()?;
    let model = bench.model(setting);
    let blocks_in = bench.driver(setting).blocks_in.unwrap_or(model.blocks_in);
    let held = blocks_in.plus(bench.blocks_out(setting));
    let blocks = held.map(|b| Ms(b.0 * n.frames().at(setting.rate).0));
    let fixed = trip.map(|f| Frames(f.0 - held.typical().0 * other.frames().0));
    let note = format!("{} × {n}", short(held.typical().0));
    Some((
        vec![
            leg("capture and playback blocks", Figure { range: blocks, origin: Origin::Assumed }, note),
            leg("fixed part", figure(fixed), format!("from the round trip measured at {other}")),
        ],
        None,
    ))
}

/// Whether the system converts the rate on the way to this setting's device: a place of the system
/// disagrees with the session and the driver model resamples.
pub(super) fn resampler(bench: &Bench<'_>, setting: &Setting, ways: f64) -> Option<Leg> {
    let interface = &bench.interface(setting).id;
    let place = bench.rig.places.iter().find(|p| {
        &p.interface == interface
            && p.rate_hz != setting.rate
            && matches!(p.kind, PlaceKind::SystemPlayback | PlaceKind::SystemRecording | PlaceKind::Panel)
    })?;
    bench.model(setting).resamples.then(|| Leg {
        name: "resampler".into(),
        part: Part::Electric,
        span: bench.tables.assume.resampler_ms.times(ways),
        origin: Origin::Assumed,
        note: format!("{} runs at {} Hz", place.name, place.rate_hz),
    })
}

/// The delay of fitting the software's own block into the device's: `B − gcd(B, N)` frames.
pub(super) fn adaptation(bench: &Bench<'_>, setting: &Setting) -> Option<Leg> {
    let own = bench.session.engine.block_frames?;
    let n = setting.buffer.block;
    let frames = own.0 - gcd(own.0, n.0);
    (frames > 0).then(|| Leg {
        name: "block adaptation".into(),
        part: Part::Software,
        span: Range::exact(Frames(f64::from(frames)).at(setting.rate)),
        origin: Origin::Declared,
        note: format!("the software works in {own}, the device in {n}"),
    })
}

/// Greatest common divisor (Euclid).
fn gcd(a: u32, b: u32) -> u32 {
    if b == 0 { a } else { gcd(b, a % b) }
}
