//! Swift Loop: which driver, rate and buffer for each interface and phase, how late every performer hears themselves,
//! how often the sound will break, and the smallest change that works.
#![forbid(unsafe_code)]

use std::process::ExitCode;

fn main() -> ExitCode {
    swiftloop::run(std::env::args_os())
}
