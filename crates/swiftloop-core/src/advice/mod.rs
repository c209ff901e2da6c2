//! Advice: what is wrong around a setting that no buffer cures. Rig, session, phase and setting come in;
//! warnings come out, each an enum with the figures that make it one. A rule is a file, and says nothing
//! that the figures it carries do not show.

mod first;
mod live_path;
mod rules;
mod warning;

pub use first::{FirstThing, first_things};
pub use live_path::{SlowProcessor, slow_on_live_path};
pub use rules::recording_mb_per_minute;
pub use warning::{RateMismatch, Warning};

use crate::loops::Context;
use crate::plan::Plan;
use crate::rig::Setting;
use crate::session::Phase;
use swiftloop_units::ids::PhaseId;

/// What a rule looks at.
#[derive(Debug, Clone, Copy)]
pub struct AdviceContext<'a> {
    /// Rig, session and tables.
    pub context: Context<'a>,
    pub setting: &'a Setting,
    pub phase: &'a Phase,
    pub phase_id: PhaseId,
}

/// Everything wrong around `setting` in a phase, in the order of the rules.
#[must_use]
pub fn warnings(context: &Context<'_>, setting: &Setting, phase: PhaseId) -> Vec<Warning> {
    let look =
        AdviceContext { context: *context, setting, phase: context.session.phase(phase), phase_id: phase };
    rules::ALL.iter().flat_map(|rule| rule(&look)).collect()
}

/// A warning and the phases of a plan that it touches.
#[derive(Debug, Clone, PartialEq)]
pub struct PlanWarning {
    pub warning: Warning,
    pub phases: Vec<PhaseId>,
    /// In every phase of the session.
    pub everywhere: bool,
}

/// The warnings of all choices of a plan, each once.
#[must_use]
pub fn plan_warnings(context: &Context<'_>, plan: &Plan) -> Vec<PlanWarning> {
    let mut all: Vec<PlanWarning> = Vec::new();
    for c in &plan.choices {
        for warning in warnings(context, &c.arrangement.setting, c.phase) {
            match all.iter_mut().find(|known| known.warning == warning) {
                Some(known) if !known.phases.contains(&c.phase) => known.phases.push(c.phase),
                Some(_) => {}
                None => all.push(PlanWarning { warning, phases: vec![c.phase], everywhere: false }),
            }
        }
    }
    let phases = context.session.phases.len();
    for w in &mut all {
        w.everywhere = w.phases.len() == phases;
    }
    all
}
