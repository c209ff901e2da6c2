//! What a plan asks of a computer, and the computers it is asked of: a command names files, and here they become settings and
//! computers.

mod asked;
mod checked;

pub use asked::{PlanInEffect, SurveyedComputer, settings_of};
#[cfg(target_os = "linux")]
pub use asked::{only_mine, own_user};
pub use checked::{Checked, checked, folder};
