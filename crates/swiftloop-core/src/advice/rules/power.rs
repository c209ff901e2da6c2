//! The machine does not save power while audio runs.

use super::super::{AdviceContext, Warning};
use crate::rig::PowerPlan;

pub fn saves(look: &AdviceContext<'_>) -> Vec<Warning> {
    match look.context.rig.machine.power {
        PowerPlan::Performance => Vec::new(),
        plan @ (PowerPlan::Balanced | PowerPlan::Saving) => vec![Warning::PowerPlan(plan)],
    }
}
