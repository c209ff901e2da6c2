//! `link`: can we play together over this network?

use super::{measure, plan, reflect};

use crate::link::options::Link;
use crate::shared::failure::Failure;
use std::process::ExitCode;

pub fn run(link: &Link) -> Result<ExitCode, Failure> {
    match link {
        Link::Reflect(options) => reflect::run(options),
        Link::Measure(options) => measure::run(options),
        Link::Plan(options) => plan::run(options),
    }
}
