//! `probe`: make the test signal, read what came back of it, fit several readings; or all of it at once.

pub mod fit;
pub mod fit_text;
pub mod make;
mod onset;
pub mod options;
pub mod read;
mod recorded;
pub mod run;
mod server;
mod takes;
pub mod text;

pub use recorded::read_recording;
pub use takes::collected;
