//! A soak on this machine: what it is to do ([`work`]), what wakes it ([`backend`], whose buffer [`guard`] puts back), and
//! the machine as a climb puts it to work ([`local_machine`]).

mod backend;
mod chain;
mod guard;
mod local_machine;
mod outcome;
mod provenance;
mod work;

pub use chain::Chain;
pub use guard::keep;

use swiftloop_host::soak::SoakMeter;

/// Whoever looks on while a soak runs, rung after rung.
pub trait Watching {
    /// A rung begins that is judged for so many seconds at the most.
    fn begin(&mut self, title: &str, seconds: f64, period_us: f64);
    /// Who takes most of the time of late blocks, as far as is known.
    #[cfg(target_os = "linux")]
    fn leads(&mut self, leads: Option<String>);
    /// A stretch is over, so many seconds of which were judged.
    fn passed(&mut self, judged_s: f64);
    /// So many seconds of a stretch have passed; without a meter the machine is only listened to.
    fn show(&mut self, meter: Option<&SoakMeter>, passed: f64, stretch: f64);
}
pub use outcome::SoakOutcome;
#[cfg(target_os = "linux")]
pub use outcome::Traced;
pub use provenance::{ChangesSince, Profiles, check};
pub use work::SoakPlan;
