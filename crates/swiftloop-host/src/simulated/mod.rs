//! An interface that is not there: made-up music, a loop of converters, safety frames and hidden blocks, and the ways in
//! which recordings break. A seed comes in, samples and the truth about them go out, so that everything that
//! measures can be held against what really happened.

mod faults;
mod interface;
mod machine;
mod music;

pub use faults::{Damage, crackle, damage};
pub use interface::{SimulatedInterface, SimulatedTake};
pub use machine::tidy_laptop;
pub use music::{Instrument, Playing, band, play};

/// One value of a normal distribution (Box and Muller).
#[must_use]
pub fn gauss(random: &mut fastrand::Rng) -> f64 {
    let u = 1.0 - random.f64();
    (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * random.f64()).cos()
}
