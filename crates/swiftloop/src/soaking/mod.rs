//! A soak on this machine: what it is to do ([`work`]), what wakes it ([`backend`], whose buffer [`guard`] puts back), and
//! the machine as a climb puts it to work ([`local_machine`]).

mod backend;
mod chain;
mod guard;
mod lived;
mod local_machine;
mod provenance;
mod work;

pub use backend::server_failure;
pub use chain::Chain;
pub use guard::{Guard, keep};
#[cfg(target_os = "linux")]
pub use lived::Traced;
pub use lived::{Lived, stopped_by_signals};
pub use provenance::{Profiles, check};
pub use work::SoakPlan;
