//! Whoever means harm, and whatever goes wrong: files that were changed at random, sound that nobody recorded, copies of
//! computers that cannot be, and an end at any moment.

mod computers;
#[cfg(target_os = "linux")]
pub mod faults;
#[cfg(target_os = "linux")]
pub mod inject;
mod laws;
mod mutants;
mod sound;
#[cfg(target_os = "linux")]
mod writers;
