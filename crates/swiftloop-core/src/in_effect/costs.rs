//! What it costs where a computer is not set as planned: the same phase, with the same remedies, on the same rig but for one
//! thing. Each figure is computed on that other rig, so it is what `try` would say of it. Figures in between are
//! interpolated, dropouts by their logarithm.

use crate::loops::Context;
use crate::plan::{Choice, Evaluation, PhaseProblem};
use crate::rig::{Description, PowerPlan, Rig};
use crate::tables::RemedyKind;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use swiftloop_units::ids::RemedyId;
use swiftloop_units::{Block, Factor, Ms, PerHour, Share};

/// More of the whole machine that other programs take.
const MORE_LOAD: [f64; 4] = [0.05, 0.15, 0.3, 0.5];
/// How much slower a core may have become: by heat, or a clock that is held low.
const SLOWER: [f64; 3] = [0.85, 0.65, 0.4];
/// Fewer dropouts an hour than this are none.
const NONE: f64 = 1e-6;

/// What it costs where something is set otherwise.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stakes {
    /// With another buffer of the same driver.
    #[serde(default)]
    pub buffer: Vec<AtBuffer>,
    /// Under another power plan.
    #[serde(default)]
    pub power: Vec<AtPower>,
    /// Where other programs take more of the machine.
    #[serde(default)]
    pub load: Vec<AtLoad>,
    /// Where a core is slower.
    #[serde(default)]
    pub speed: Vec<AtSpeed>,
}

/// With another buffer.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AtBuffer {
    /// In frames.
    pub frames: Block,
    /// The slowest performer hears it so late, typically.
    pub late_ms: Ms,
    /// Dropouts an hour, typically.
    pub dropouts_per_hour: PerHour,
}

/// Under another power plan.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AtPower {
    /// Which.
    pub power: PowerPlan,
    /// Dropouts an hour, typically.
    pub dropouts_per_hour: PerHour,
}

/// With more load.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AtLoad {
    /// So much more of the whole machine than planned.
    pub more: Share,
    /// Dropouts an hour, typically.
    pub dropouts_per_hour: PerHour,
}

/// With slower cores.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AtSpeed {
    /// Speed beside that of the plan.
    pub speed: Factor,
    /// Dropouts an hour, typically.
    pub dropouts_per_hour: PerHour,
}

/// What is at stake in a planned phase on an interface.
#[must_use]
pub fn stakes(context: &Context<'_>, choice: &Choice) -> Stakes {
    let powers = [PowerPlan::Performance, PowerPlan::Balanced, PowerPlan::Saving];
    let power = powers.into_iter().filter_map(|power| {
        let dropouts_per_hour =
            elsewhere(context, choice, Some(RemedyKind::FullPower), |rig| rig.machine.power = power)?;
        Some(AtPower { power, dropouts_per_hour })
    });
    let load = MORE_LOAD.into_iter().filter_map(|more| {
        let dropouts_per_hour = elsewhere(context, choice, None, |rig| {
            let load = rig.machine.other_load.raw() + more;
            rig.machine.other_load = Share::new(load.min(0.99));
        })?;
        Some(AtLoad { more: Share::new(more), dropouts_per_hour })
    });
    let speed = SLOWER.into_iter().filter_map(|slower| {
        let dropouts_per_hour = elsewhere(context, choice, None, |rig| {
            let slowed = |speed: Factor| Factor::new(speed.raw() * slower);
            rig.machine.core_speed = Some(slowed(rig.machine.speed()));
            if let Some(wake) = &mut rig.machine.wake {
                wake.core_speed = wake.core_speed.map(slowed);
            }
        })?;
        Some(AtSpeed { speed: Factor::new(slower), dropouts_per_hour })
    });
    let buffer = choice.trade.iter().map(|point| AtBuffer {
        frames: point.arrangement.setting.buffer.block,
        late_ms: point.round_trip,
        dropouts_per_hour: point.dropouts,
    });
    Stakes { buffer: buffer.collect(), power: power.collect(), load: load.collect(), speed: speed.collect() }
}

/// Dropouts an hour with the same setting and remedies, but for those of one kind, on a rig that differs; nothing where there can
/// be no such rig.
fn elsewhere(
    context: &Context<'_>,
    choice: &Choice,
    without: Option<RemedyKind>,
    differs: impl FnOnce(&mut Description),
) -> Option<PerHour> {
    let mut description: Description = (**context.rig).clone();
    differs(&mut description);
    let rig = Rig::checked(description, context.tables).ok()?;
    let context = Context { rig: &rig, ..*context };
    let problem = PhaseProblem::new(context, choice.interface, choice.phase, choice.arrangement.setting.rate);
    let applied = problem.question.apply(&same_remedies(&problem, choice, without), &[]);
    Some(Evaluation::new(&problem, choice.arrangement.clone()).dropouts(&applied))
}

/// The remedies of a choice, but for those of one kind, as another problem numbers them.
pub(super) fn same_remedies(
    problem: &PhaseProblem<'_>,
    choice: &Choice,
    without: Option<RemedyKind>,
) -> Vec<RemedyId> {
    let chosen = |id: &str| choice.report.remedies.iter().any(|r| r.id == id && Some(r.kind) != without);
    problem.question.remedies.iter_enumerated().filter(|(_, r)| chosen(&r.id)).map(|(id, _)| id).collect()
}

impl Stakes {
    /// Delay and dropouts with another buffer, where the driver has such a one.
    #[must_use]
    pub fn at_buffer(&self, frames: u32) -> Option<AtBuffer> {
        self.buffer.iter().find(|b| b.frames.get() == frames).copied()
    }

    /// Dropouts under another power plan.
    #[must_use]
    pub fn at_power(&self, power: PowerPlan) -> Option<PerHour> {
        self.power.iter().find(|p| p.power == power).map(|p| p.dropouts_per_hour)
    }

    /// Dropouts where other programs take so much more of the machine than planned.
    #[must_use]
    pub fn at_load(&self, planned: PerHour, more: f64) -> Option<PerHour> {
        let points = self.load.iter().map(|l| (l.more.raw(), l.dropouts_per_hour));
        between(std::iter::once((0.0, planned)).chain(points), more)
    }

    /// Dropouts where cores run at this share of their speed.
    #[must_use]
    pub fn at_speed(&self, planned: PerHour, speed: f64) -> Option<PerHour> {
        let points = self.speed.iter().map(|s| (1.0 - s.speed.raw(), s.dropouts_per_hour));
        between(std::iter::once((0.0, planned)).chain(points), 1.0 - speed)
    }
}

/// Between two points by the logarithm of the rate; beyond the last one as there. Nothing where there is only the planned one.
fn between(points: impl Iterator<Item = (f64, PerHour)>, at: f64) -> Option<PerHour> {
    let mut points: Vec<(f64, f64)> = points.map(|(x, rate)| (x, rate.raw().max(NONE).ln())).collect();
    if points.len() < 2 {
        return None;
    }
    points.sort_by(|a, b| a.0.total_cmp(&b.0));
    let above = points.iter().position(|p| p.0 >= at).unwrap_or(points.len() - 1).max(1);
    let ((x0, y0), (x1, y1)) = (points[above - 1], points[above]);
    let share = if x1 > x0 { ((at - x0) / (x1 - x0)).clamp(0.0, 1.0) } else { 0.0 };
    let rate = (y0 + share * (y1 - y0)).exp();
    Some(PerHour::new(if rate <= NONE * (1.0 + 1e-9) { 0.0 } else { rate }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn between_two_points_dropouts_grow_by_a_factor_and_beyond_the_last_not_at_all() {
        let points =
            || [(0.0, 0.1), (0.1, 10.0), (0.2, 1000.0)].map(|(x, y)| (x, PerHour::new(y))).into_iter();
        let at = |x: f64| between(points(), x).expect("points").raw();
        for (x, rate) in
            [(0.0, 0.1), (0.05, 1.0), (0.1, 10.0), (0.15, 100.0), (0.2, 1000.0), (0.9, 1000.0), (-1.0, 0.1)]
        {
            assert!((at(x) / rate - 1.0).abs() < 1e-9, "{x}");
        }
        assert_eq!(between(points().take(1), 0.1), None);
        let none = [(0.0, 0.0), (0.1, 0.0)].map(|(x, y)| (x, PerHour::new(y)));
        assert_eq!(between(none.into_iter(), 0.05), Some(PerHour::new(0.0)));
    }
}
