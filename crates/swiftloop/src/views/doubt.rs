//! How sure an answer is, and the one measurement that would make it surer, with its commands.

use super::{Files, quoted};
use crate::page::{command, wrapped};
use crate::words::figures::rate;
use crate::words::legs::surer;
use swiftloop_core::choice::{RiskCause, RiskDoubt};
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

/// What else the dropouts rest on most, and what would make it surer; `place` says where.
pub fn risk(d: &RiskDoubt, place: &str) -> String {
    let between = format!("from {} to {}", rate(d.low), rate(d.high));
    let text = match d.cause {
        RiskCause::WakeUps => return String::new(),
        RiskCause::WorkCost => {
            format!(
                "What plug-ins cost is a guess{place}: dropouts {between}. Write figures for the heaviest."
            )
        }
        RiskCause::Order => {
            format!(
                "In which order the software works is a guess{place}: dropouts {between}. Nothing here measures that yet."
            )
        }
        RiskCause::Blocks => format!(
            "How many blocks the device holds is a guess{place}: dropouts {between}. Probe two buffers, and fit them."
        ),
        RiskCause::Disk => format!(
            "How long the disk stalls is a guess, and decides nothing{place}: dropouts {between}. Reading further ahead \
             helps."
        ),
    };
    wrapped("  ", &text)
}
