//! How the lines to far sides are set beside a setting of the interface. Every way to set them comes in, the cheapest first; those
//! worth weighing at this setting go out: the cheapest with which everybody can play in time with the far sides, and one with
//! more room, in case other doubts take some.

use crate::loops::far::far_loops;
use crate::loops::{Electric, Loop};
use crate::plan::PhaseProblem;
use crate::plan::quantile_point::QuantilePoint;
use crate::rig::{LinkSetting, Setting};
use swiftloop_units::ids::PerformerId;
use swiftloop_units::{Ms, Share};

/// In which shares of rigs everybody has to be in time: as asked, and with room for other doubts.
const SHARES: [f64; 2] = [0.9, 0.97];

/// The ways to set the lines that are worth weighing at a setting; one that is empty where there is no far side.
pub(super) fn lines_for(problem: &PhaseProblem<'_>, setting: &Setting) -> Vec<LinkSetting> {
    let [only] = problem.question.links.as_slice() else {
        let worst: Vec<f64> =
            problem.question.links.iter().map(|(link, _)| worst(problem, setting, link).0.raw()).collect();
        let best = worst.iter().copied().fold(0.0, f64::max);
        let mut taken: Vec<usize> =
            SHARES.iter().filter_map(|share| worst.iter().position(|w| *w >= share.min(best))).collect();
        taken.dedup();
        return taken.into_iter().map(|k| problem.question.links[k].0.clone()).collect();
    };
    vec![only.0.clone()]
}

/// In which share of rigs the worst of all who play with a far side is in time, by how much that one is over, and who it is.
fn worst(
    problem: &PhaseProblem<'_>,
    setting: &Setting,
    link: &LinkSetting,
) -> (Share, Ms, Option<PerformerId>) {
    let context = &problem.question.context;
    let loops = far_loops(context, setting, problem.question.phase, &Electric::of(context, setting), link);
    let least = loops.iter().min_by(|a, b| a.shares.playable.raw().total_cmp(&b.shares.playable.raw()));
    least.map_or((Share::new(1.0), Ms::new(0.0), None), |l| (l.shares.playable, over(l), l.performer))
}

fn over(l: &Loop) -> Ms {
    l.excess().max(Ms::new(1e-3))
}

/// Who cannot play in time with a far side in as many rigs as a design asks for, and by how much; nothing where everybody can.
pub(super) fn late_on_the_line(
    problem: &PhaseProblem<'_>,
    setting: &Setting,
    link: &LinkSetting,
    design: QuantilePoint,
) -> Option<(PerformerId, Ms)> {
    if link.fars.is_empty() {
        return None;
    }
    let (share, over, who) = worst(problem, setting, link);
    who.filter(|_| share.raw() < design.share()).map(|who| (who, over))
}
