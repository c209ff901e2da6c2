//! The way over the network, one way: how long, how it is known, and how many packets come too late for a receive buffer.

use crate::loops::Context;
use crate::rig::{Far, FarSetting};
use swiftloop_measure::link::late::PerHourLate;
use swiftloop_measure::link::measured::{Measured, Towards};
use swiftloop_measure::link::packet::{Coding, Spare, Stream};
use swiftloop_measure::link::receive::{Recommended, clean, shortest};
use swiftloop_units::ids::{FarId, MeetingId};
use swiftloop_units::{Block, Hz, Kilometres, Ms, Origin, Range};

/// One way, without what is held for late packets.
#[derive(Debug, Clone, Copy)]
pub(crate) struct OneWay {
    pub span: Range<Ms>,
    pub origin: Origin,
    pub straight: Option<Range<Kilometres>>,
}

/// What light needs for so many kilometres of glass.
pub(crate) fn light(context: &Context<'_>, km: Kilometres) -> Ms {
    Ms::new(km.raw() / context.tables.assume.glass_km_per_ms)
}

/// The time over a distance and the lines at both ends.
fn by_distance(context: &Context<'_>, far: FarId, km: Range<Kilometres>, wireless: bool) -> OneWay {
    let assume = &context.tables.assume;
    let access = context.rig.far_known(far).line.access_ms.times(2.0);
    let way = |km: Kilometres, detour: f64| light(context, km) * detour;
    let glass = Range::spanning(
        way(km.low(), assume.detour.low().raw()),
        way(km.typical(), assume.detour.typical().raw()),
        way(km.high(), assume.detour.high().raw()),
    );
    let span = glass.plus(access).plus(if wireless { assume.wireless_ms } else { Range::zero() });
    OneWay { span, origin: Origin::Assumed, straight: Some(km) }
}

/// Straight to a far side.
pub(crate) fn straight(context: &Context<'_>, setting: &FarSetting) -> OneWay {
    let far = context.rig.far(setting.far);
    let floor = far.distance_km.map_or(Ms::new(0.0), |km| light(context, km.low()));
    match (&far.measured, far.distance_km) {
        (Some(measured), km) => half(context, measured, floor, setting.mends_wireless(far), km),
        (None, Some(km)) => by_distance(context, setting.far, km, far.wireless && !setting.wired),
        // Checked when the rig was read: nothing is known but that it is there.
        (None, None) => by_distance(context, setting.far, Range::zero(), far.wireless),
    }
}

/// About half of a measured round trip, as far as both ways may differ.
fn half(
    context: &Context<'_>,
    measured: &Measured,
    floor: Ms,
    cable_instead: bool,
    straight: Option<Range<Kilometres>>,
) -> OneWay {
    let assume = &context.tables.assume;
    let trip = measured.round_trip_ms.floor;
    let part = |share: f64| Ms::new(trip * share).max(floor);
    let share = assume.way_share;
    let span =
        Range::spanning(part(share.low().raw()), part(share.typical().raw()), part(share.high().raw()));
    if !cable_instead {
        return OneWay { span, origin: Origin::Measured, straight };
    }
    let less = |ms: Ms, by: Ms| (ms - by).max(floor);
    let wireless = assume.wireless_ms;
    let span = Range::spanning(
        less(span.low(), wireless.typical()),
        less(span.typical(), wireless.low()),
        span.high(),
    );
    OneWay { span, origin: Origin::Assumed, straight }
}

/// The receive buffer where nothing was measured.
pub(crate) fn assumed_buffer(context: &Context<'_>, setting: &FarSetting) -> Range<Ms> {
    let (far, assume) = (context.rig.far(setting.far), &context.tables.assume);
    let mut range = context.rig.far_known(setting.far).line.buffer_ms;
    let longer = |a: Range<Ms>, b: Range<Ms>| {
        Range::spanning(a.low().max(b.low()), a.typical().max(b.typical()), a.high().max(b.high()))
    };
    if far.wireless && !setting.wired {
        range = longer(range, assume.wireless_buffer_ms);
    }
    if far.other_traffic && !setting.quiet {
        range = longer(range, assume.traffic_buffer_ms);
    }
    range
}

/// From us to a meeting point.
pub(crate) fn to_meeting(context: &Context<'_>, setting: &FarSetting, at: MeetingId) -> OneWay {
    let meeting = context.rig.meeting(at);
    let floor = light(context, meeting.km.low());
    match &meeting.measured {
        Some(measured) => half(context, measured, floor, false, Some(meeting.km)),
        None => {
            let far = context.rig.far(setting.far);
            by_distance(context, setting.far, meeting.km, far.wireless && !setting.wired)
        }
    }
}

/// From a meeting point to a far side; none where it does not reach it.
pub(crate) fn from_meeting(context: &Context<'_>, setting: &FarSetting, at: MeetingId) -> Option<OneWay> {
    let far = context.rig.far(setting.far);
    let id = &context.rig.meeting(at).id;
    let meets = far.meets.iter().find(|m| &m.at == id)?;
    Some(by_distance(context, setting.far, meets.km, false))
}

/// The stream to a far side as it is set, at a rate.
pub(crate) fn stream(far: &Far, setting: &FarSetting, rate: Hz) -> Stream {
    let coding = match far.squeezed_kbit_s {
        Some(rate) if setting.channels < far.channels => {
            Coding::KilobitsPerSecond(rate.raw() * f64::from(setting.channels) / f64::from(far.channels))
        }
        Some(rate) => Coding::KilobitsPerSecond(rate.raw()),
        None => Coding::Bits(far.depth),
    };
    let v6 = far.measured.as_ref().is_some_and(|m| m.packet.v6);
    Stream { frames: setting.packet, rate, channels: setting.channels, coding, v6 }
}

/// The packet as it is set now, or as large as a block of the interface.
pub(crate) fn packet_now(far: &Far) -> Block {
    far.packet_frames.unwrap_or(far.theirs.buffer_frames)
}

/// Late or lost packets an hour on the line as it is set, at the worse of both ends.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LateOnLine {
    pub far: FarId,
    /// How many, as ten minutes of it will show them.
    pub per_hour: PerHourLate,
    /// For how many independent events one counts.
    pub crowd: f64,
    /// How many you allow.
    pub allowed: f64,
    /// For how many minutes none may be missing, where that is known.
    pub minutes: Option<f64>,
    /// The buffer with which none is, in 9 of 10.
    pub clean_at: Option<Ms>,
}

impl LateOnLine {
    /// The chance that none is missing from beginning to end.
    #[must_use]
    pub fn clean(&self) -> Option<f64> {
        self.minutes.map(|m| clean(self.per_hour.typical, self.crowd, m))
    }

    /// The rate is no more than allowed, in 19 of 20.
    #[must_use]
    pub fn holds(&self) -> bool {
        self.per_hour.at_most <= self.allowed
    }

    /// The rate is more than allowed, to expect.
    #[must_use]
    pub fn breaks(&self) -> bool {
        self.per_hour.typical > self.allowed
    }
}

/// How a stream differs from the packets with which a way was measured.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Unlike {
    /// So many times as many packets.
    times: f64,
    /// What is made from spare packets comes by so much later, in milliseconds.
    later: f64,
}

impl Unlike {
    pub(crate) fn of(stream: &Stream, spare: Spare, measured: &Measured) -> Self {
        let longer = (stream.period().raw() - measured.packet.every_ms).max(0.0);
        // Spare packets that follow sooner may be late together with what they stand for: that is worth nothing.
        Self {
            times: stream.per_second() / measured.per_second(),
            later: longer * f64::from(spare.packets_later()),
        }
    }
}

/// Late packets of a stream like this, on one way of a measured line.
fn late_of(
    measured: &Measured,
    towards: Towards,
    (spare, loaded, unlike): (Spare, bool, Unlike),
    buffer: f64,
) -> PerHourLate {
    let own = measured.late(towards, spare, (buffer - unlike.later).max(0.0), loaded);
    // No spare packet makes it worse than none.
    own.with(measured.late(towards, Spare::None, buffer, loaded), f64::min).times(unlike.times)
}

/// How many packets come late where the way was measured, straight to each other; nothing where it was not.
#[must_use]
pub fn late_on_line(
    context: &Context<'_>,
    setting: &FarSetting,
    rate: Hz,
    allowed: f64,
) -> Option<LateOnLine> {
    let far = context.rig.far(setting.far);
    let measured = far.measured.as_ref().filter(|_| !setting.mends_wireless(far))?;
    let (here, there) = setting.buffers?;
    let how = how(far, setting, rate, measured);
    let of = |towards, buffer: Ms| late_of(measured, towards, how, buffer.raw());
    let per_hour = of(Towards::Us, here).max(of(Towards::Them, there));
    Some(LateOnLine {
        far: setting.far,
        per_hour,
        crowd: measured.crowd,
        allowed,
        minutes: None,
        clean_at: None,
    })
}

fn how(far: &Far, setting: &FarSetting, rate: Hz, measured: &Measured) -> (Spare, bool, Unlike) {
    let loaded = far.other_traffic && !setting.quiet;
    (setting.spare, loaded, Unlike::of(&stream(far, setting, rate), setting.spare, measured))
}

/// The buffer with which nothing is missing in so many minutes, in 9 of 10 such stretches; nothing where none does it.
#[must_use]
pub fn clean_buffer(context: &Context<'_>, setting: &FarSetting, rate: Hz, minutes: f64) -> Option<Ms> {
    let far = context.rig.far(setting.far);
    let measured = far.measured.as_ref().filter(|_| !setting.mends_wireless(far))?;
    let how = how(far, setting, rate, measured);
    let allowed = -(0.9f64.ln()) * measured.crowd.max(1.0) * 60.0 / minutes.max(1e-3);
    let both =
        |ms: f64| late_of(measured, Towards::Us, how, ms).max(late_of(measured, Towards::Them, how, ms));
    let found = measured.rows(how.1).iter().find(|r| both(r.ms).typical <= allowed);
    found.map(|r| Ms::new(r.ms))
}

/// The shortest receive buffer with which no more packets than allowed come late, on one way of a measured line.
pub(crate) fn shortest_buffer(
    far: &Far,
    setting: &FarSetting,
    rate: Hz,
    (towards, allowed): (Towards, f64),
) -> Option<Recommended> {
    let measured = far.measured.as_ref()?;
    let how = how(far, setting, rate, measured);
    let rows = measured.rows(how.1).iter();
    shortest(rows.map(|r| (r.ms, late_of(measured, towards, how, r.ms))), allowed)
}
