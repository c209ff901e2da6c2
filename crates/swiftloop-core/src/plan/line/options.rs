//! Every way to set the line for a phase: the far sides as they are described come in; how the line is set now goes out, and what
//! else could be set, none of it both dearer and slower than another. What distance forbids is set in no way at all.

use crate::loops::Context;
use crate::loops::far::assumed_buffer;
use crate::loops::far::forbidden;
use crate::loops::far::{from_meeting, packet_now, shortest_buffer, straight, stream, to_meeting};
use crate::plan::Target;
use crate::rig::FarSetting;
use crate::rig::LinkSetting;
use crate::session::Phase;
use crate::tables::{RemedyKind, RemedyPlace};
use swiftloop_measure::link::measured::Towards;
use swiftloop_measure::link::packet::{SIZES, Spare, USUAL_MTU};
use swiftloop_units::ids::{FarId, MeetingId};
use swiftloop_units::{Block, Hz, Ms};

/// The far sides of a phase that distance does not forbid.
fn reachable(context: &Context<'_>, phase: &Phase) -> Vec<FarId> {
    let not = forbidden(context, phase);
    let all = context.session.fars_in(phase, context.rig);
    all.into_iter().filter(|far| !not.iter().any(|f| f.far == *far)).collect()
}

/// The meeting point through which packets go now.
fn route_now(context: &Context<'_>, fars: &[FarId]) -> Option<MeetingId> {
    let id = fars.iter().find_map(|f| context.rig.far(*f).through.as_ref())?;
    context.rig.meeting_ids().find(|(_, m)| &m.id == id).map(|(at, _)| at)
}

/// How the lines of a phase are set now. Where nobody says how long receive buffers are, they are as long as they have to be.
#[must_use]
pub fn present(context: &Context<'_>, phase: &Phase, rate: Hz) -> LinkSetting {
    let fars = reachable(context, phase);
    let route = route_now(context, &fars);
    let set = |far: &FarId| {
        let about = context.rig.far(*far);
        let mut setting = FarSetting {
            far: *far,
            packet: packet_now(about),
            buffers: None,
            spare: about.spare,
            channels: about.channels,
            wired: false,
            quiet: false,
        };
        setting.buffers = match about.receive_buffer_ms {
            Some(ms) => Some((ms, ms)),
            None => needed(context, phase, &setting, route, rate),
        };
        setting
    };
    LinkSetting { route, fars: fars.iter().map(set).collect() }
}

/// The receive buffers that keep to what is allowed, here and there; nothing where nothing was measured on this way, or where no
/// length does.
fn needed(
    context: &Context<'_>,
    phase: &Phase,
    setting: &FarSetting,
    route: Option<MeetingId>,
    rate: Hz,
) -> Option<(Ms, Ms)> {
    let far = context.rig.far(setting.far);
    if far.measured.is_none() || route.is_some() || setting.mends_wireless(far) {
        return None;
    }
    let allowed = context.session.late_packets_in(phase);
    let of = |towards| shortest_buffer(far, setting, rate, (towards, allowed)).map(|r| Ms::new(r.ms));
    Some((of(Towards::Us)?, of(Towards::Them)?))
}

/// One way to set one far side, with what it takes.
#[derive(Clone)]
struct Priced {
    setting: FarSetting,
    effort: u32,
    delay: f64,
    /// The line carries it, and no more packets than allowed are late.
    carried: bool,
}

fn delay_of(context: &Context<'_>, setting: &FarSetting, route: Option<MeetingId>, rate: Hz) -> f64 {
    let packet = Ms::from(setting.packet.period(rate)).raw();
    let held = setting
        .buffers
        .map_or_else(|| assumed_buffer(context, setting).typical().raw(), |(a, b)| a.max(b).raw());
    let way = match route {
        None => straight(context, setting).span.typical().raw() + held,
        Some(at) => {
            let there = from_meeting(context, setting, at).map_or(f64::INFINITY, |w| w.span.typical().raw());
            let mixing = context.rig.meeting(at).mixing_ms.unwrap_or(context.tables.assume.mixing_ms);
            to_meeting(context, setting, at).span.typical().raw()
                + there
                + mixing.typical().raw()
                + 2.0 * held
        }
    };
    let far = context.rig.far(setting.far);
    let stream = stream(far, setting, rate);
    let sending = far.up_kbit_s.map_or(0.0, |up| stream.sending(setting.spare, up.raw()).raw());
    packet + sending + way
}

/// Every way to set one far side, none both dearer and slower than another.
fn options_of(
    context: &Context<'_>,
    phase: &Phase,
    now: &FarSetting,
    route: Option<MeetingId>,
    rate: Hz,
) -> Vec<Priced> {
    let far = context.rig.far(now.far);
    let effort = |kind: RemedyKind| context.tables.remedy(kind).effort;
    let mut packets = vec![now.packet];
    packets.extend(SIZES.iter().map(|f| Block::new(*f)).filter(|f| *f < now.packet));
    let both = |there: bool| if there { vec![false, true] } else { vec![false] };
    let mut spares = vec![now.spare];
    spares.extend(Spare::ALL.into_iter().filter(|s| now.spare == Spare::None && *s != Spare::None));
    let mut channels = vec![now.channels];
    channels.extend((now.channels > 1).then_some(1));
    let mut all = Vec::new();
    for &packet in &packets {
        for wired in both(far.wireless) {
            for quiet in both(far.other_traffic) {
                for &spare in &spares {
                    for &channels in &channels {
                        let mut setting = FarSetting {
                            packet,
                            wired,
                            quiet,
                            spare,
                            channels,
                            buffers: None,
                            ..now.clone()
                        };
                        let needs = needed(context, phase, &setting, route, rate);
                        let changes = [
                            (packet != now.packet, RemedyKind::SmallerPacket),
                            (wired, RemedyKind::Cable),
                            (quiet, RemedyKind::QuietLine),
                            (spare != now.spare, RemedyKind::SparePackets),
                            (channels != now.channels, RemedyKind::Mono),
                        ];
                        let sum: u32 = changes.iter().filter(|c| c.0).map(|c| effort(c.1)).sum();
                        let stream = stream(far, &setting, rate);
                        let fits = stream.ip_bytes(spare) <= USUAL_MTU
                            && far.up_kbit_s.is_none_or(|up| stream.line_kbit_s(spare) <= up.raw());
                        let applies =
                            far.measured.is_some() && route.is_none() && !setting.mends_wireless(far);
                        let mut add = |buffers, more: u32, holds: bool| {
                            setting.buffers = buffers;
                            let delay = delay_of(context, &setting, route, rate);
                            all.push(Priced {
                                setting: setting.clone(),
                                effort: sum + more,
                                delay,
                                carried: fits && holds,
                            });
                        };
                        match (far.receive_buffer_ms, needs) {
                            (Some(set), Some((here, there))) if set >= here && set >= there => {
                                add(Some((set, set)), 0, true);
                                add(Some((here, there)), effort(RemedyKind::ShorterReceive), true);
                            }
                            (_, Some(needs)) => add(Some(needs), 0, true),
                            (Some(set), None) if applies => add(Some((set, set)), 0, false),
                            (Some(_) | None, None) => add(None, 0, !applies),
                        }
                    }
                }
            }
        }
    }
    best_of(all)
}

/// Without those that another one is no dearer and no slower than. What the line does not carry is only there where nothing else
/// is.
fn best_of(mut all: Vec<Priced>) -> Vec<Priced> {
    if all.iter().any(|o| o.carried) {
        all.retain(|o| o.carried);
    }
    all.sort_by(|a, b| a.effort.cmp(&b.effort).then(a.delay.total_cmp(&b.delay)));
    let mut best: Vec<Priced> = Vec::new();
    for option in all {
        if best.last().is_none_or(|b| option.delay < b.delay - 1e-9) {
            best.push(option);
        }
    }
    best
}

/// The most that are weighed beside each other.
const MOST: usize = 12;

/// Every way to set the lines of a phase, the cheapest first; one that is empty where it has no far side.
#[must_use]
pub fn link_settings(context: &Context<'_>, phase: &Phase, rate: Hz) -> Vec<(LinkSetting, u32)> {
    let now = present(context, phase, rate);
    if now.fars.is_empty() {
        return vec![(LinkSetting::default(), 0)];
    }
    let effort = |kind: RemedyKind| context.tables.remedy(kind).effort;
    let mut routes = vec![(now.route, 0)];
    if now.route.is_some() {
        routes.push((None, effort(RemedyKind::StraightWay)));
    }
    let reached =
        |id: &String| now.fars.iter().all(|f| context.rig.far(f.far).meets.iter().any(|m| &m.at == id));
    let others = context.rig.meeting_ids().filter(|(at, m)| Some(*at) != now.route && reached(&m.id));
    routes.extend(others.map(|(at, _)| (Some(at), effort(RemedyKind::OtherMeeting))));
    let mut all: Vec<(LinkSetting, u32, f64, bool)> = Vec::new();
    for (route, own) in routes {
        let mut sets: Vec<(Vec<FarSetting>, u32, f64, bool)> = vec![(vec![], own, 0.0, true)];
        for far in &now.fars {
            let options = options_of(context, phase, far, route, rate);
            sets = sets
                .iter()
                .flat_map(|(set, sum, delay, carried)| {
                    options.iter().map(move |o| {
                        let mut set = set.clone();
                        set.push(o.setting.clone());
                        (set, sum + o.effort, delay + o.delay, *carried && o.carried)
                    })
                })
                .collect();
            sets.sort_by(|a, b| a.1.cmp(&b.1).then(a.2.total_cmp(&b.2)));
            sets.truncate(200);
        }
        all.extend(
            sets.into_iter().map(|(fars, sum, delay, c)| (LinkSetting { route, fars }, sum, delay, c)),
        );
    }
    if all.iter().any(|o| o.3) {
        all.retain(|o| o.3);
    }
    all.sort_by(|a, b| a.1.cmp(&b.1).then(a.2.total_cmp(&b.2)));
    let mut best: Vec<(LinkSetting, u32, f64)> = Vec::new();
    for (link, effort, delay, _) in all {
        if best.last().is_none_or(|b| delay < b.2 - 1e-9) {
            best.push((link, effort, delay));
        }
    }
    best.truncate(MOST);
    best.into_iter().map(|(link, effort, _)| (link, effort)).collect()
}

/// The line as it is set now, but for these changes, each by its kind and the second half of its id; nothing where one of them leads
/// nowhere.
#[must_use]
pub fn set_by(
    context: &Context<'_>,
    phase: &Phase,
    rate: Hz,
    changes: &[(RemedyKind, &str)],
) -> Option<LinkSetting> {
    let mut link = present(context, phase, rate);
    let mut shorter: Vec<FarId> = Vec::new();
    for &(kind, target) in changes {
        let of = |set: &FarSetting| target.strip_prefix(&context.rig.far(set.far).id).map(str::to_string);
        let exact = |set: &&mut FarSetting| of(set).is_some_and(|rest| rest.is_empty());
        let with = |set: &&mut FarSetting| of(set).is_some_and(|rest| rest.starts_with('-'));
        let rest = |set: &FarSetting| of(set).unwrap_or_default().trim_start_matches('-').to_string();
        match kind {
            RemedyKind::StraightWay => link.route = None,
            RemedyKind::OtherMeeting => {
                link.route = Some(context.rig.meeting_ids().find(|(_, m)| m.id == target)?.0);
            }
            RemedyKind::SmallerPacket => {
                let set = link.fars.iter_mut().find(with)?;
                set.packet = rest(set).parse().ok()?;
            }
            RemedyKind::SparePackets => {
                let set = link.fars.iter_mut().find(with)?;
                set.spare = Spare::ALL.into_iter().find(|s| s.as_str() == rest(set))?;
            }
            RemedyKind::ShorterReceive => shorter.push(link.fars.iter_mut().find(exact)?.far),
            RemedyKind::Cable => link.fars.iter_mut().find(exact)?.wired = true,
            RemedyKind::QuietLine => link.fars.iter_mut().find(exact)?.quiet = true,
            RemedyKind::Mono => link.fars.iter_mut().find(exact)?.channels = 1,
            RemedyKind::RemoveUnused
            | RemedyKind::DisableMuted
            | RemedyKind::Unload
            | RemedyKind::HideView
            | RemedyKind::LowDelay
            | RemedyKind::CoarserTimeline
            | RemedyKind::FullPower
            | RemedyKind::ReserveCore
            | RemedyKind::ReleaseCore
            | RemedyKind::Roll
            | RemedyKind::DeviceBlocks
            | RemedyKind::Quit
            | RemedyKind::Precision32
            | RemedyKind::BypassMain
            | RemedyKind::Draft
            | RemedyKind::Direct
            | RemedyKind::LessOversampling
            | RemedyKind::ShareSend
            | RemedyKind::FewerVoices
            | RemedyKind::PrintDry
            | RemedyKind::Bypass
            | RemedyKind::Print => return None,
        }
    }
    let route = link.route;
    for set in &mut link.fars {
        let needs = needed(context, phase, set, route, rate);
        let far = context.rig.far(set.far);
        let applies = far.measured.is_some() && route.is_none() && !set.mends_wireless(far);
        set.buffers = match (far.receive_buffer_ms, needs) {
            (Some(ms), Some((here, there))) if ms >= here && ms >= there && !shorter.contains(&set.far) => {
                Some((ms, ms))
            }
            (_, Some(needs)) => Some(needs),
            (Some(ms), None) if applies => Some((ms, ms)),
            (Some(_) | None, None) => None,
        };
    }
    Some(link)
}

/// Whether a kind of remedy changes a line to a far side.
#[must_use]
pub fn is_on_the_line(kind: RemedyKind) -> bool {
    kind.place() == RemedyPlace::Line
}

/// What is different from how the line is set now: kinds of remedies with what each is done to.
#[must_use]
pub fn arranged_on_the_line(
    context: &Context<'_>,
    phase: &Phase,
    rate: Hz,
    link: &LinkSetting,
) -> Vec<(RemedyKind, Target)> {
    if link.fars.is_empty() {
        return Vec::new();
    }
    let now = present(context, phase, rate);
    let mut all = Vec::new();
    match (now.route, link.route) {
        (Some(was), None) => all.push((RemedyKind::StraightWay, Target::Meeting(was))),
        (was, Some(at)) if was != Some(at) => all.push((RemedyKind::OtherMeeting, Target::Meeting(at))),
        (Some(_) | None, _) => {}
    }
    for set in &link.fars {
        let Some(was) = now.fars.iter().find(|f| f.far == set.far) else { continue };
        let far = Target::Far(set.far);
        if set.packet < was.packet {
            all.push((RemedyKind::SmallerPacket, Target::FarPacket(set.far, set.packet)));
        }
        let declared = context.rig.far(set.far).receive_buffer_ms;
        if let (Some(declared), Some((here, there))) = (declared, set.buffers)
            && (here < declared || there < declared)
            && here <= declared
            && there <= declared
        {
            all.push((RemedyKind::ShorterReceive, far.clone()));
        }
        for (changed, kind) in [
            (set.wired, RemedyKind::Cable),
            (set.quiet, RemedyKind::QuietLine),
            (set.channels != was.channels, RemedyKind::Mono),
        ] {
            if changed {
                all.push((kind, far.clone()));
            }
        }
        if set.spare != was.spare {
            all.push((RemedyKind::SparePackets, Target::FarSpare(set.far, set.spare)));
        }
    }
    all
}
