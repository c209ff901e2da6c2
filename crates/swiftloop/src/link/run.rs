//! `link`: can we play together over this network?

use super::{measure, plan, reflect};

use crate::link::options::LinkCommand;
use crate::shared::failure::Failure;
use std::process::ExitCode;

pub fn run(link: &LinkCommand) -> Result<ExitCode, Failure> {
    match link {
        LinkCommand::Reflect(options) => reflect::run(options),
        LinkCommand::Measure(options) => measure::run(options),
        LinkCommand::Plan(options) => plan::run(options),
    }
}
