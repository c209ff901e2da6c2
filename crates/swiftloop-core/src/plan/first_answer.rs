//! A first answer: a rig with one driver and a session with one phase come in; what a block of it gives without any remedy
//! goes out, and the largest smaller block at which nobody is late.

use super::trial::{report_of, would_fit_at};
use super::{Arrangement, PhaseProblem, Report};
use crate::loops::Context;
use crate::plan::line::present;
use crate::rig::{Offered, Setting};
use swiftloop_units::ids::{DriverId, InterfaceId, PhaseId};
use swiftloop_units::{Block, Hz};

/// What a block gives.
#[derive(Debug)]
pub struct FirstAnswer {
    pub arrangement: Arrangement,
    pub report: Report,
    /// The largest smaller block at which nobody is late, and what it gives.
    pub fits_at: Option<(Offered, Report)>,
}

/// The first driver of the first interface at this block, in the first phase.
#[must_use]
pub fn first_answer(context: Context<'_>, rate: Hz, block: Block, workers: u32) -> FirstAnswer {
    let (interface, driver) = (InterfaceId::from(0), DriverId::from(0));
    let setting = Setting { interface, driver, rate, buffer: Offered::plain(block) };
    let problem = PhaseProblem::new(context, interface, PhaseId::from(0), rate);
    let link = present(&context, problem.question.phase, rate);
    let arrangement = Arrangement { setting, roll: None, workers, link };
    let report = report_of(&problem, arrangement.clone());
    let fits_at = would_fit_at(&problem, &arrangement);
    FirstAnswer { arrangement, report, fits_at }
}
