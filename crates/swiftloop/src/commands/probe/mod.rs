//! `probe`: make the test signal, read what came back of it, fit several readings.

pub mod fit;
pub mod make;
mod onset;
pub mod read;
mod recorded;
mod takes;

pub use recorded::read_recording;
pub use takes::collected;
