//! What a kernel tells of itself, one thing at an instant: who took a core, who was woken, what interrupted. Readers
//! turn their format into these; everything else in this folder works on them and knows no format. Every
//! event says on which core it happened and which thread that core was running, so that a stretch of time between two
//! events of a core always has somebody it belongs to.

use super::names::Name;

/// An instant of the trace's clock, in nanoseconds. With the clock `mono`, the same as the system's own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Instant(pub i64);

/// A stretch of time, in nanoseconds; negative where the second instant lies before the first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct TraceSpan(pub i64);

impl Instant {
    /// From another instant to this one.
    #[must_use]
    pub fn since(self, earlier: Self) -> TraceSpan {
        TraceSpan(self.0.saturating_sub(earlier.0))
    }

    #[must_use]
    pub fn after(self, span: TraceSpan) -> Self {
        Self(self.0.saturating_add(span.0))
    }

    #[must_use]
    pub fn before(self, span: TraceSpan) -> Self {
        Self(self.0.saturating_sub(span.0))
    }
}

impl TraceSpan {
    /// Of so many microseconds.
    #[must_use]
    pub fn from_us(us: f64) -> Self {
        Self((us * 1e3) as i64)
    }

    /// In microseconds.
    #[must_use]
    pub fn us(self) -> f64 {
        self.0 as f64 / 1e3
    }
}

/// A processor core, as the kernel counts them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Core(pub u16);

/// A thread by its number. Number 0 is nobody: the core idles.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Pid(pub u32);

impl Pid {
    /// Nobody: what runs when a core has nothing to do.
    pub const IDLE: Self = Self(0);
}

/// The kernel's own priority, as it prints it: the smaller, the sooner served. 0 to 99 are real time (99 − the
/// priority that a program asks for), −1 deadlines, 100 to 139 ordinary threads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Priority(pub i16);

impl Priority {
    /// Real time: served before all ordinary threads.
    #[must_use]
    pub fn is_realtime(self) -> bool {
        self.0 < 100
    }
}

/// A thread with its name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct Thread {
    pub pid: Pid,
    pub name: Name,
}

/// Whether the kernel had been asked to change threads at the next chance.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum Resched {
    /// The trace does not say.
    #[default]
    Untold,
    No,
    Yes,
}

/// What a core does instead of running its thread.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Activity {
    /// A hardware interrupt, by its handler or vector.
    Interrupt(Name),
    /// A soft interrupt, by its kind.
    Soft(Name),
    /// A timer's function, within one of the two.
    Timer(Name),
}

impl Activity {
    /// The end that is told is that of this one. Of timers the end names no function.
    #[must_use]
    pub fn is_ended_by(self, told: Self) -> bool {
        matches!((self, told), (Self::Timer(_), Self::Timer(_))) || self == told
    }
}

/// How a thread left its core.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Left {
    /// It would have gone on.
    Runnable,
    /// It waits for something.
    Waiting,
    /// It waits for a device or a page, undisturbed.
    WaitingForDevice,
}

#[derive(Debug, Clone, PartialEq)]
pub enum What {
    /// The core goes from its thread to another.
    Switch {
        /// Priority of the thread that leaves.
        from_priority: Priority,
        left: Left,
        to: Thread,
        to_priority: Priority,
    },
    /// A thread is being woken.
    Waking {
        thread: Thread,
        priority: Priority,
        /// Where it is to run.
        target: Core,
    },
    /// It is in the queue of its core.
    Woken {
        thread: Thread,
        priority: Priority,
        /// Where it is to run.
        target: Core,
    },
    /// A thread is moved from the queue of one core to that of another.
    Moved { pid: Pid, to: Core },
    /// The kernel counted so much time for a thread since it last counted, or since the thread came.
    Counted { pid: Pid, span: TraceSpan },
    /// The core begins to do something else than its thread.
    Enter(Activity),
    /// It ends doing so.
    Exit(Activity),
    /// The core's thread sets a timer that is due then.
    TimerSet(Instant),
    /// The core goes to sleep this deep, or wakes.
    Sleep(Option<u8>),
    /// The core's thread ran into a page that is not there.
    Fault,
    /// A device hands over data, by the device's name.
    Device(Name),
    /// So many events before this one are lost.
    Lost(u64),
    /// The core's clock, in kilohertz.
    Clock(u32),
    /// One of our own marks, or a row of a table that says the same.
    Mark(Box<Mark>),
    /// Something this program has no use for; its core and thread still count.
    Other,
}

/// What a mark of ours tells.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Mark {
    /// A block was late: its thread wrote this when it noticed.
    Late(LateMark),
    /// Somebody else noticed something (a server its xrun, the engineer a crackle): the blocks before this are meant.
    Noticed(Name),
    /// A mark that could not be read.
    Unreadable,
}

/// What the thread itself knows of its late block.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct LateMark {
    /// Whose block; the writer's own when nothing is said.
    pub pid: Option<Pid>,
    /// When the block was due.
    pub due: Instant,
    /// When the thread ran.
    pub woke: Instant,
    /// When it had done its work, if it had.
    pub done: Option<Instant>,
    /// By when it should have.
    pub deadline: Option<Instant>,
    /// What the work should take.
    pub work: Option<TraceSpan>,
    /// From one block to the next.
    pub period: Option<TraceSpan>,
}

/// Something at an instant, on a core.
#[derive(Debug, Clone, PartialEq)]
pub struct TraceEvent {
    pub at: Instant,
    pub core: Core,
    /// Whose time it was.
    pub thread: Thread,
    /// Whether the thread was to go at the next chance.
    pub resched: Resched,
    /// Interrupts could come; false also when the trace does not say.
    pub interruptible: bool,
    pub what: What,
}
