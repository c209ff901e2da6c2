//! The way from one performer's act to the other's ear, leg by leg, and back; the longer of both is what counts.

use super::assumed_buffer;
use super::way::{OneWay, from_meeting, late_on_line, straight, stream, to_meeting};
use crate::loops::{
    Context, Electric, Leg, LegKind, LegNote, Limit, LimitReason, Loop, LoopKind, air, air_out, limit_for,
};
use crate::rig::{FarSetting, LinkSetting, Setting};
use crate::session::Phase;
use swiftloop_units::ids::{FarId, MeetingId, PerformerId};
use swiftloop_units::{Factor, Figure, Ms, Origin, Range};

/// What somebody bears who plays together with a far side: what the phase says, or the table by how sharp their attacks are and
/// how fast is played.
#[must_use]
pub fn together_limit(context: &Context<'_>, phase: &Phase, who: PerformerId) -> Limit {
    if let Some(limit) = phase.together_ms {
        let differs = Range::exact(Factor::new(1.0));
        return Limit { noticed: limit.noticed(), fails: limit.fails(), differs, reason: LimitReason::Phase };
    }
    let tables = context.tables;
    let row = tables.together(context.session.listener(who).attack);
    let (times, why) = match phase.tempo_bpm {
        Some(bpm) => (tables.tempo(bpm).times.raw(), Some(&tables.tempo(bpm).reason)),
        None => (1.0, None),
    };
    let doubt = tables.assume.listener_doubt;
    Limit {
        noticed: row.limit_ms.noticed() * times,
        fails: row.limit_ms.fails() * times,
        differs: Range::spanning(Factor::new(1.0 / doubt.raw()), Factor::new(1.0), doubt),
        reason: LimitReason::Table(match why {
            Some(why) => format!("{} {why}", row.reason),
            None => row.reason.clone(),
        }),
    }
}

/// The loops between the performers of a phase and its far sides.
#[must_use]
pub fn far_loops(
    context: &Context<'_>,
    setting: &Setting,
    phase: &Phase,
    electric: &Electric,
    link: &LinkSetting,
) -> Vec<Loop> {
    let mut all = Vec::new();
    for far in &link.fars {
        for (who, _) in context.session.performers_in(phase) {
            let ends = Ends { context, setting, phase, electric, far, who, route: link.route };
            let mut longer = ends.longer();
            longer.judge(context, setting);
            all.push(longer);
        }
    }
    let returns = link.route.filter(|at| context.rig.meeting(*at).returns_you);
    if let (Some(at), Some(far)) = (returns, link.fars.first()) {
        for (who, _) in context.session.performers_in(phase) {
            let ends = Ends { context, setting, phase, electric, far, who, route: link.route };
            let mut returned = ends.returned(at);
            returned.judge(context, setting);
            all.push(returned);
        }
    }
    all
}

/// Both ends of a way.
struct Ends<'a> {
    context: &'a Context<'a>,
    setting: &'a Setting,
    phase: &'a Phase,
    electric: &'a Electric,
    far: &'a FarSetting,
    who: PerformerId,
    route: Option<MeetingId>,
}

impl Ends<'_> {
    fn longer(&self) -> Loop {
        let of = |legs| {
            let mut whole = Loop::from_legs(Some(self.who), LoopKind::Together, legs);
            whole.far = Some(self.far.far);
            whole.limit = Some(together_limit(self.context, self.phase, self.who));
            whole
        };
        let (there, back) = (of(self.there()), of(self.back()));
        if back.total.typical() > there.total.typical() { back } else { there }
    }

    /// From our act to their ear.
    fn there(&self) -> Vec<Leg> {
        let mut legs = self.our_act();
        legs.push(self.packet(self.setting.buffer.block));
        self.over_the_network(&mut legs, true);
        legs.push(self.waits_for(self.their_block()));
        legs.push(self.their_side(LegKind::FarOut));
        legs
    }

    /// From their act to our ear.
    fn back(&self) -> Vec<Leg> {
        let mut legs = vec![air(LegKind::AirIn, None, self.context.tables.assume.mic_distance_m)];
        legs.push(self.their_side(LegKind::FarIn));
        legs.push(self.packet(self.context.rig.far_known(self.far.far).theirs.1.buffer.block));
        self.over_the_network(&mut legs, false);
        self.our_ear(&mut legs);
        legs
    }

    /// From our act back to our own ear.
    fn returned(&self, at: MeetingId) -> Loop {
        let mut legs = self.our_act();
        legs.push(self.packet(self.setting.buffer.block));
        let way = to_meeting(self.context, self.far, at);
        legs.extend([way_leg(&way), self.held(false), self.mixing(at), way_leg(&way), self.held(true)]);
        self.our_ear(&mut legs);
        let mut whole = Loop::from_legs(Some(self.who), LoopKind::Returned, legs);
        whole.far = Some(self.far.far);
        let doubt = self.context.tables.assume.listener_doubt;
        whole.limit = Some(limit_for(self.context.session, self.who, self.phase, doubt));
        whole
    }

    fn our_act(&self) -> Vec<Leg> {
        let person = self.context.session.performer(self.who);
        let mut legs = vec![air(LegKind::AirIn, person.mic_m, self.context.tables.assume.mic_distance_m)];
        legs.extend(self.electric.input_alone.iter().cloned());
        legs
    }

    fn our_ear(&self, legs: &mut Vec<Leg>) {
        legs.push(self.waits_for(Ms::from(self.setting.buffer.block.period(self.setting.rate))));
        legs.extend(self.electric.output_alone.iter().cloned());
        legs.extend(air_out(self.context, self.context.session.performer(self.who)));
    }

    fn over_the_network(&self, legs: &mut Vec<Leg>, to_them: bool) {
        match self.route {
            None => legs.push(way_leg(&straight(self.context, self.far))),
            Some(at) => {
                let ours = to_meeting(self.context, self.far, at);
                let theirs = from_meeting(self.context, self.far, at).unwrap_or(ours);
                let (first, second) = if to_them { (ours, theirs) } else { (theirs, ours) };
                legs.extend([way_leg(&first), self.held(true), self.mixing(at), way_leg(&second)]);
            }
        }
        legs.push(self.held(!to_them));
    }

    fn packet(&self, block: swiftloop_units::Block) -> Leg {
        let about = self.context.rig.far(self.far.far);
        let stream = stream(about, self.far, self.setting.rate);
        let sending = about.up_kbit_s.map_or(Ms::new(0.0), |up| stream.sending(self.far.spare, up.raw()));
        Leg {
            kind: LegKind::Packet,
            span: Range::exact(stream.waits(block) + sending),
            origin: Origin::Declared,
            note: LegNote::Packet(self.far.packet, stream.line_kbit_s(self.far.spare)),
        }
    }

    /// What is held for late packets, at our end or at theirs.
    fn held(&self, here: bool) -> Leg {
        let kind = LegKind::ReceiveBuffer;
        match self.far.buffers.filter(|_| self.route.is_none()) {
            Some((ours, theirs)) => {
                let span = Range::exact(if here { ours } else { theirs });
                let late = late_on_line(self.context, self.far, self.setting.rate, 1.0);
                let note = late
                    .map_or(LegNote::None, |l| LegNote::LateAnHour(l.per_hour.typical, l.per_hour.at_most));
                Leg { kind, span, origin: Origin::Measured, note }
            }
            None => {
                let name = self.context.rig.far_known(self.far.far).line.id.clone();
                let span = assumed_buffer(self.context, self.far);
                Leg { kind, span, origin: Origin::Assumed, note: LegNote::KindOfLine(name) }
            }
        }
    }

    fn mixing(&self, at: MeetingId) -> Leg {
        let declared = self.context.rig.meeting(at).mixing_ms;
        let figure = Figure::declared_or(declared, self.context.tables.assume.mixing_ms);
        let note = LegNote::AtMeeting(at);
        Leg { kind: LegKind::Mixing, span: figure.range, origin: figure.origin, note }
    }

    /// Two clocks: what arrives meets the listener's block anywhere between its beginning and its end.
    fn waits_for(&self, block: Ms) -> Leg {
        Leg {
            kind: LegKind::BlockOfListener,
            span: Range::spanning(Ms::new(0.0), block * 0.5, block),
            origin: Origin::Assumed,
            note: LegNote::None,
        }
    }

    fn their_block(&self) -> Ms {
        let (_, setting) = &*self.context.rig.far_known(self.far.far).theirs;
        Ms::from(setting.buffer.block.period(setting.rate))
    }

    /// Their interface in one leg.
    fn their_side(&self, kind: LegKind) -> Leg {
        let (rig, setting) = &*self.context.rig.far_known(self.far.far).theirs;
        let there = Context { rig, ..*self.context };
        let electric = Electric::of(&there, setting);
        let legs = if kind == LegKind::FarIn { electric.input_alone } else { electric.output_alone };
        let span = legs.iter().fold(Range::zero(), |sum, leg| sum.plus(leg.span));
        let origin = legs.iter().map(|l| l.origin).max().unwrap_or(Origin::Assumed);
        Leg { kind, span, origin, note: at(self.far.far) }
    }
}

fn at(far: FarId) -> LegNote {
    LegNote::At(far)
}

fn way_leg(way: &OneWay) -> Leg {
    let note = match (way.origin, way.straight) {
        (Origin::Measured, _) => LegNote::HalfOfTrip,
        (_, Some(km)) => LegNote::Straight(km.typical()),
        (_, None) => LegNote::None,
    };
    Leg { kind: LegKind::Way, span: way.span, origin: way.origin, note }
}
