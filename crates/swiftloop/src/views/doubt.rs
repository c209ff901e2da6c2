//! How sure an answer is, and the one measurement that would make it surer, with its commands.

use super::{Files, quoted};
use crate::page::{command, wrapped};
use crate::words::legs::surer;
use swiftloop_core::loops::Remeasure;
use swiftloop_core::units::Block;

/// What is least sure, and how to measure it.
pub fn least_sure(what: &str, remeasure: Remeasure) -> String {
    let surer = surer(remeasure);
    let mut text = wrapped("  ", &format!("{what} {}", surer.sentence));
    surer.commands.iter().for_each(|line| text.push_str(&command(line)));
    text
}

/// What the dropouts rest on; when it is the class of the computer, how to measure this one at the block that tells most.
pub fn wake_ups(to_soak: Option<Block>, files: &Files) -> String {
    let Some(block) = to_soak else {
        return wrapped("  ", "Wake-ups are as measured on this machine.");
    };
    let text = "Dropouts rest on late wake-ups assumed for this class of computer, so they may be off a hundredfold. Measure \
                yours:";
    let line = format!("swiftloop soak --buffer {block} --save {}", quoted(&files.rig));
    format!("{}{}", wrapped("  ", text), command(&line))
}

