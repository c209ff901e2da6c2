//! Who took a block's time, in words.

use crate::shared::page::{clean, tied};
use swiftloop_measure::trace::{BlockStage, HolderKind, Who};

/// Who it is: as the subject of a sentence, or after "without".
pub fn who(who: &Who) -> String {
    let name = clean(&who.name);
    match who.kind {
        HolderKind::Priority => format!("{name}, a thread that is served before the sound"),
        HolderKind::KernelNotPreemptible => format!("{name}, inside the kernel where it is not interrupted"),
        HolderKind::HardInterrupt if name.contains("local_timer:") || name.contains("arch_timer:") => {
            format!("many timers served in one interrupt ({name})")
        }
        HolderKind::HardInterrupt => format!("the interrupt {name}"),
        HolderKind::Softirq => format!("the kernel's deferred work {name}"),
        HolderKind::SoftirqNet => format!("the kernel's network work ({name})"),
        HolderKind::SoftirqTimer => format!("the kernel's coarse timers ({name})"),
        HolderKind::InterruptsOff => format!("{name}, which switched interrupts off"),
        HolderKind::RtThrottle => name.to_string(),
        HolderKind::PageFault => format!("memory of {name} that was not there"),
        HolderKind::Idle => format!("a core that slept ({name})"),
        HolderKind::Migration => format!("moving the thread to another core ({name})"),
        HolderKind::Lock => format!("{name}, which had what the sound waited for"),
        HolderKind::Host => name.to_string(),
        HolderKind::OwnWork => format!("the work of {name} itself, beyond its usual time"),
        HolderKind::Unknown => format!("something unknown ({name})"),
    }
}

/// In a table: the name alone.
pub fn short(who: &Who) -> String {
    if who.kind == HolderKind::Host { tied("firmware or a host") } else { tied(&clean(&who.name)) }
}

/// The kind in a table.
pub fn kind(kind: HolderKind) -> &'static str {
    match kind {
        HolderKind::Priority => "served first",
        HolderKind::KernelNotPreemptible => "in the kernel",
        HolderKind::HardInterrupt => "interrupt",
        HolderKind::Softirq => "deferred work",
        HolderKind::SoftirqNet => "network work",
        HolderKind::SoftirqTimer => "coarse timers",
        HolderKind::InterruptsOff => "interrupts off",
        HolderKind::RtThrottle => "limit or quota",
        HolderKind::PageFault => "page not there",
        HolderKind::Idle => "asleep",
        HolderKind::Migration => "moved",
        HolderKind::Lock => "waited for",
        HolderKind::Host => "outside",
        HolderKind::OwnWork => "own work",
        HolderKind::Unknown => "not seen",
    }
}

/// A step of a block's way.
pub fn stage(stage: BlockStage) -> &'static str {
    match stage {
        BlockStage::DueToInterrupt => "due to interrupt",
        BlockStage::InterruptToTimer => "to its timer",
        BlockStage::TimerToWoken => "to woken",
        BlockStage::WokenToScheduled => "to the core",
        BlockStage::ScheduledToRunning => "to running",
        BlockStage::RunningToDone => "to done",
    }
}
