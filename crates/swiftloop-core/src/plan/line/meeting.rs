//! Several far sides: the worst of all pairs, straight to each other and through each meeting point. Pairs of far sides count as
//! well as those with us, where it is known how far they are from one another.

use crate::loops::Context;
use crate::loops::far::{from_meeting, straight, to_meeting};
use crate::rig::{FarSetting, LinkSetting};
use crate::session::Phase;
use swiftloop_units::ids::{FarId, MeetingId};
use swiftloop_units::{Hz, Ms};

/// One way to meet.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MeetingChoice {
    /// The meeting point; none for straight to each other.
    pub at: Option<MeetingId>,
    /// The longest way of any pair over the network, typically: interfaces, packets and receive buffers not counted.
    pub worst: Ms,
    /// Whose: two far sides, or one and us.
    pub pair: (FarId, Option<FarId>),
    /// Pairs of which nobody says how far they are apart.
    pub unknown: usize,
}

/// Every way to meet, the shortest worst pair first; nothing where there is only one.
#[must_use]
pub fn meeting_choices(context: &Context<'_>, phase: &Phase, rate: Hz) -> Vec<MeetingChoice> {
    let now: LinkSetting = super::present(context, phase, rate);
    let fars = &now.fars;
    let reached = |id: &String| fars.iter().all(|f| context.rig.far(f.far).meets.iter().any(|m| &m.at == id));
    let points = context.rig.meeting_ids().filter(|(_, m)| reached(&m.id)).map(|(at, _)| Some(at));
    let all: Vec<Option<MeetingId>> = std::iter::once(None).chain(points).collect();
    if fars.is_empty() || all.len() < 2 {
        return Vec::new();
    }
    let mut choices: Vec<MeetingChoice> =
        all.into_iter().filter_map(|at| worst_pair(context, fars, at)).collect();
    choices.sort_by(|a, b| a.worst.raw().total_cmp(&b.worst.raw()));
    choices
}

fn worst_pair(context: &Context<'_>, fars: &[FarSetting], at: Option<MeetingId>) -> Option<MeetingChoice> {
    let mixing = at.map_or(0.0, |m| {
        context.rig.meeting(m).mixing_ms.unwrap_or(context.tables.assume.mixing_ms).typical().raw()
    });
    let leg = |far: &FarSetting| match at {
        None => straight(context, far).span.typical().raw(),
        Some(m) => from_meeting(context, far, m).map_or(0.0, |w| w.span.typical().raw()),
    };
    let ours = |far: &FarSetting| at.map_or(0.0, |m| to_meeting(context, far, m).span.typical().raw());
    let mut pairs: Vec<(f64, (FarId, Option<FarId>))> =
        fars.iter().map(|f| (ours(f) + mixing + leg(f), (f.far, None))).collect();
    let apart = fars.len() * (fars.len() - 1) / 2;
    if at.is_some() {
        for (k, a) in fars.iter().enumerate() {
            pairs.extend(fars[..k].iter().map(|b| (leg(a) + mixing + leg(b), (a.far, Some(b.far)))));
        }
    }
    let (worst, pair) = pairs.into_iter().max_by(|a, b| a.0.total_cmp(&b.0))?;
    Some(MeetingChoice { at, worst: Ms::new(worst), pair, unknown: if at.is_some() { 0 } else { apart } })
}
