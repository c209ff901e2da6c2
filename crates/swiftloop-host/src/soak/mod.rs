//! Soaking this machine: threads that wake at the real period, do real signal processing of a known amount, and
//! record how late they woke, how long the work took and which blocks came late. A [`Task`] comes in, a [`Record`]
//! goes out. Between waking and being done nothing happens but the work and a few stores into memory
//! that was there before.

mod clock;
mod idle_guard;
mod meter;
mod permission;
mod provenance;
mod record;
mod run;
mod schedule;
mod system;
mod task;
mod work;

pub(crate) use clock::sleep_until;
pub use clock::{now_ns, worked_ns};
pub use idle_guard::{IdleGuard, hold_off_idle};
pub use meter::{SoakMeter, WorkerReading};
pub use permission::{Permission, permission};
pub(crate) use permission::{no_slack, realtime};
pub use provenance::{boot, kernel, now, time_of_day, today};
pub use record::{Late, Record, WorkerRecord};
pub use run::{SoakError, soak, soak_here};
pub use schedule::Schedule;
pub use task::Task;
pub use work::{Filters, Speed, speed, speed_over_a_second};
