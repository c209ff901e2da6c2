//! A late block as it is told: its way from due to done, who held the core meanwhile, and who is to blame.

use super::event::{Core, Instant, Thread, TraceSpan};
use super::names::Name;

/// What kind of holder took a block's time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum HolderKind {
    /// A thread that is served before ours, or is as important.
    Priority,
    /// A less important thread, inside the kernel where it cannot be interrupted.
    KernelNotPreemptible,
    /// A hardware interrupt: of a device, or of many timers at once.
    HardInterrupt,
    /// Deferred work of the kernel.
    Softirq,
    /// Deferred work of the network.
    SoftirqNet,
    /// Deferred work of the kernel's coarse timers.
    SoftirqTimer,
    /// Interrupts were switched off.
    InterruptsOff,
    /// The limit for real-time threads, or the quota of a group of threads.
    RtThrottle,
    /// A page that was not in memory.
    PageFault,
    /// A core that slept deeply, or whose clock had to rise.
    Idle,
    /// The thread was moved from core to core.
    Migration,
    /// Another thread had what ours waited for.
    Lock,
    /// The host of a virtual machine, or the firmware.
    Host,
    OwnWork,
    /// The trace does not tell.
    Unknown,
}

impl HolderKind {
    /// All of them, in the order above.
    pub const ALL: [Self; 15] = [
        Self::Priority,
        Self::KernelNotPreemptible,
        Self::HardInterrupt,
        Self::Softirq,
        Self::SoftirqNet,
        Self::SoftirqTimer,
        Self::InterruptsOff,
        Self::RtThrottle,
        Self::PageFault,
        Self::Idle,
        Self::Migration,
        Self::Lock,
        Self::Host,
        Self::OwnWork,
        Self::Unknown,
    ];

    /// As it is written in files.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Priority => "priority",
            Self::KernelNotPreemptible => "kernel-not-preemptible",
            Self::HardInterrupt => "hard-interrupt",
            Self::Softirq => "softirq",
            Self::SoftirqNet => "softirq-net",
            Self::SoftirqTimer => "softirq-timer",
            Self::InterruptsOff => "interrupts-off",
            Self::RtThrottle => "rt-throttle",
            Self::PageFault => "page-fault",
            Self::Idle => "idle",
            Self::Migration => "migration",
            Self::Lock => "lock",
            Self::Host => "host",
            Self::OwnWork => "own-work",
            Self::Unknown => "unknown",
        }
    }
}

/// Somebody who takes time: kind and name.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Who {
    pub kind: HolderKind,
    /// Name: of a thread, a line and its driver, a kind of work.
    pub name: String,
}

/// A holder with what it took of one block.
#[derive(Debug, Clone, PartialEq)]
pub struct Holder {
    pub who: Who,
    /// All its time between due and the end.
    pub took: TraceSpan,
    /// How much of it is too much: all, but for our own work what goes beyond its usual time.
    pub extra: TraceSpan,
}

impl Holder {
    /// In the order in which they are told: whoever took most first.
    pub(super) fn sort(holders: &mut [Self]) {
        holders.sort_by(|a, b| b.took.cmp(&a.took).then_with(|| a.who.cmp(&b.who)));
    }
}

/// A step of a block's way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum BlockStage {
    /// From the instant it was due to the interrupt.
    DueToInterrupt,
    /// From there to the timer's own function.
    InterruptToTimer,
    /// From there until the thread stands in the queue.
    TimerToWoken,
    /// From there until it has the core.
    WokenToScheduled,
    /// From there until it runs itself.
    ScheduledToRunning,
    /// From there until its work is done.
    RunningToDone,
}

impl BlockStage {
    /// All, in their order.
    pub const ALL: [Self; 6] = [
        Self::DueToInterrupt,
        Self::InterruptToTimer,
        Self::TimerToWoken,
        Self::WokenToScheduled,
        Self::ScheduledToRunning,
        Self::RunningToDone,
    ];

    /// As it is written in files.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::DueToInterrupt => "due_to_interrupt",
            Self::InterruptToTimer => "interrupt_to_timer",
            Self::TimerToWoken => "timer_to_woken",
            Self::WokenToScheduled => "woken_to_scheduled",
            Self::ScheduledToRunning => "scheduled_to_running",
            Self::RunningToDone => "running_to_done",
        }
    }
}

/// The instants of a block's way; nothing where the trace does not show one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct BlockStages {
    /// When it was due.
    pub due: Instant,
    /// When the interrupt came that woke its thread.
    pub interrupt: Option<Instant>,
    /// When the timer's own function ran.
    pub timer: Option<Instant>,
    /// When the thread stood in the queue.
    pub woken: Option<Instant>,
    /// When it got the core.
    pub scheduled: Option<Instant>,
    /// When it ran itself.
    pub running: Instant,
    /// When its work was done; when its mark was written, where nothing else tells.
    pub done: Option<Instant>,
}

impl BlockStages {
    /// When each step ended, in the order of [`BlockStage::ALL`].
    #[must_use]
    pub fn ends(&self) -> [Option<Instant>; 6] {
        [self.interrupt, self.timer, self.woken, self.scheduled, Some(self.running), self.done]
    }

    /// How long each step took, in the order of [`BlockStage::ALL`]. A step whose beginning is not seen begins where the last one
    /// that is ended.
    #[must_use]
    pub fn stages(&self) -> [Option<TraceSpan>; 6] {
        let mut from = self.due;
        self.ends().map(|at| {
            let at = at?;
            let span = at.since(from);
            from = at;
            Some(span)
        })
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct LateBlock {
    pub thread: Thread,
    /// The core it ran on.
    pub core: Core,
    pub way: BlockStages,
    /// From due to the instant that counts: running, or done where there is a deadline.
    pub took: TraceSpan,
    /// So much of [`LateBlock::took`] would have been in time.
    pub allowed: TraceSpan,
    /// What counts is being done by the deadline, not only running.
    pub by_deadline: bool,
    /// The step that grew.
    pub grew: BlockStage,
    /// All who held the core, those who took most first; their times add up to [`LateBlock::took`].
    pub holders: Vec<Holder>,
    /// Who is to blame.
    pub thief: Who,
    /// Events are missing in the stretch.
    pub lost: bool,
    /// Somebody noticed something then: what.
    pub noticed: Option<Name>,
    /// What every core did around it, where that was asked for.
    pub lanes: Vec<CoreLane>,
}

impl LateBlock {
    /// So much too late.
    #[must_use]
    pub fn late(&self) -> TraceSpan {
        if self.by_deadline { TraceSpan(self.took.0 - self.allowed.0) } else { self.took }
    }

    /// So much has to go for the block to be in time.
    #[must_use]
    pub fn excess(&self) -> TraceSpan {
        TraceSpan(self.took.0 - self.allowed.0)
    }
}

/// Who had a core.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LaneHas {
    Nobody,
    Thread(Thread),
    Interrupt(Name),
    Soft(Name),
    /// Somebody outside: the host or the firmware.
    Outside,
}

/// A stretch of a core's time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct CoreStretch {
    pub from: Instant,
    pub to: Instant,
    pub has: LaneHas,
}

/// A core around a late block.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CoreLane {
    pub core: Core,
    pub stretches: Vec<CoreStretch>,
}
