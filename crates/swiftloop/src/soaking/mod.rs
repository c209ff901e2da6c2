//! A soak on this machine: what it is to do ([`work`]), what wakes it ([`backend`], whose buffer [`guard`] puts back), and
//! the machine as a climb puts it to work ([`local_machine`]).

mod backend;
mod guard;
mod lived;
mod local_machine;
mod provenance;
mod work;

pub use guard::keep;
pub use lived::Lived;
pub use provenance::{Profiles, check};
pub use work::SoakPlan;
