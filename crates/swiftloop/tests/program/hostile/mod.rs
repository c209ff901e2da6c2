//! Whoever means harm, and whatever goes wrong: files that were changed at random, sound that nobody recorded, copies of
//! computers that cannot be, and an end at any moment.

mod computers;
#[cfg(target_os = "linux")]
mod faults;
mod laws;
mod mutants;
mod sound;
