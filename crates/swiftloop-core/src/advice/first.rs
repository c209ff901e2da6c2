//! What to do first with a plan: what spoils the work whatever else is done, then the first phase's own changes.

use super::{PlanWarning, plan_warnings};
use crate::loops::Context;
use crate::plan::{PhaseChange, Plan};
use swiftloop_units::ids::{InterfaceId, PhaseId};

/// One thing to do.
#[derive(Debug, Clone, PartialEq)]
pub enum FirstThing {
    /// Put right what is wrong around the settings.
    Mend(PlanWarning),
    /// Set something up for the first phase.
    Set { interface: InterfaceId, phase: PhaseId, change: PhaseChange },
}

/// The `most` things to do first, gravest first.
#[must_use]
pub fn first_things(context: &Context<'_>, plan: &Plan, most: usize) -> Vec<FirstThing> {
    let mut wrong = plan_warnings(context, plan);
    wrong.sort_by_key(|w| w.warning.grade());
    let worth_it = wrong.into_iter().filter(|w| w.warning.grade() < 2).map(FirstThing::Mend);
    let first = plan.choices.first().map(|c| (c.interface, c.phase));
    let steps = plan.steps.iter().filter(|s| Some((s.interface, s.phase)) == first);
    let settings = steps.flat_map(|s| {
        s.set.iter().map(|change| FirstThing::Set {
            interface: s.interface,
            phase: s.phase,
            change: change.clone(),
        })
    });
    worth_it.chain(settings).take(most).collect()
}
