//! Who took a block's time, in words.

use crate::shared::page::{clean, tied};
use swiftloop_measure::trace::{Kind, Stage, Who};

/// Who it is: as the subject of a sentence, or after "without".
pub fn who(who: &Who) -> String {
    let name = clean(&who.name);
    match who.kind {
        Kind::Priority => format!("{name}, a thread that is served before the sound"),
        Kind::KernelNotPreemptible => format!("{name}, inside the kernel where it is not interrupted"),
        Kind::HardInterrupt if name.contains("local_timer:") || name.contains("arch_timer:") => {
            format!("many timers served in one interrupt ({name})")
        }
        Kind::HardInterrupt => format!("the interrupt {name}"),
        Kind::Softirq => format!("the kernel's deferred work {name}"),
        Kind::SoftirqNet => format!("the kernel's network work ({name})"),
        Kind::SoftirqTimer => format!("the kernel's coarse timers ({name})"),
        Kind::InterruptsOff => format!("{name}, which switched interrupts off"),
        Kind::RtThrottle => name.to_string(),
        Kind::PageFault => format!("memory of {name} that was not there"),
        Kind::Idle => format!("a core that slept ({name})"),
        Kind::Migration => format!("moving the thread to another core ({name})"),
        Kind::Lock => format!("{name}, which had what the sound waited for"),
        Kind::Host => name.to_string(),
        Kind::OwnWork => format!("the work of {name} itself, beyond its usual time"),
        Kind::Unknown => format!("something unknown ({name})"),
    }
}

/// In a table: the name alone.
pub fn short(who: &Who) -> String {
    if who.kind == Kind::Host { tied("firmware or a host") } else { tied(&clean(&who.name)) }
}

/// The kind in a table.
pub fn kind(kind: Kind) -> &'static str {
    match kind {
        Kind::Priority => "served first",
        Kind::KernelNotPreemptible => "in the kernel",
        Kind::HardInterrupt => "interrupt",
        Kind::Softirq => "deferred work",
        Kind::SoftirqNet => "network work",
        Kind::SoftirqTimer => "coarse timers",
        Kind::InterruptsOff => "interrupts off",
        Kind::RtThrottle => "limit or quota",
        Kind::PageFault => "page not there",
        Kind::Idle => "asleep",
        Kind::Migration => "moved",
        Kind::Lock => "waited for",
        Kind::Host => "outside",
        Kind::OwnWork => "own work",
        Kind::Unknown => "not seen",
    }
}

/// A step of a block's way.
pub fn stage(stage: Stage) -> &'static str {
    match stage {
        Stage::DueToInterrupt => "due to interrupt",
        Stage::InterruptToTimer => "to its timer",
        Stage::TimerToWoken => "to woken",
        Stage::WokenToScheduled => "to the core",
        Stage::ScheduledToRunning => "to running",
        Stage::RunningToDone => "to done",
    }
}
