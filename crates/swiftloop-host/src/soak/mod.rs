//! Soaking this machine: threads that wake at the real period, do real signal processing of a known amount, and
//! record how late they woke, how long the work took and which blocks came late. A [`Task`] comes in, a [`Record`]
//! goes out. The one idea: between waking and being done nothing happens but the work and a few stores into memory
//! that was there before.

mod around;
mod awake;
mod clock;
mod meter;
mod permission;
mod record;
mod run;
mod schedule;
mod work;

pub use around::{kernel, today};
pub use awake::{Awake, stay_awake};
pub use clock::now_ns;
pub use meter::{Meter, Seen};
pub use permission::{Permission, permission};
pub use record::{Late, Record, WorkerRecord};
pub use run::{Task, Unable, soak};
pub use schedule::Schedule;
pub use work::{Filters, REFERENCE_NS, Speed, speed, speed_over_a_second};
