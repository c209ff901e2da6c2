//! A core's time in slices: events of one core come in, who had the core between each two of them goes out. What interrupts is stacked upon the thread, so the topmost has the core; what the kernel did not count for a
//! thread although the thread was all there was, somebody outside took.

use super::event::{Activity, Core, Instant, Pid, Resched, Thread, TraceEvent, TraceSpan, What};
use super::names::Name;

/// Less than this the kernel's counting and ours may differ by.
const COUNTING_DIFFERS: TraceSpan = TraceSpan(50_000);

/// Who has the core in a slice.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Has {
    /// The thread itself, or nobody when it is number 0.
    Thread,
    /// A hardware interrupt, and since when.
    Interrupt(Name, Instant),
    /// A soft interrupt, and since when.
    Soft(Name, Instant),
    /// The thread according to the trace, but the kernel did not count the time: the host of a virtual machine.
    Outside,
}

/// The time between two events of a core.
#[derive(Debug, Clone, Copy)]
pub(super) struct Slice {
    pub from: Instant,
    pub to: Instant,
    pub thread: Thread,
    pub has: Has,
    /// A timer's function within an interrupt.
    pub timer: Option<Name>,
    /// At the beginning interrupts could come.
    pub interruptible: bool,
    /// The thread had been told to make room.
    pub leaving: bool,
    /// The kernel counted this time for the thread.
    pub counted: bool,
    /// The slice begins with a fault of the thread.
    pub fault: bool,
    /// How deep the core sleeps.
    pub sleep: Option<u8>,
    /// Events are missing in it.
    pub hole: bool,
}

impl Slice {
    pub fn length(&self) -> TraceSpan {
        self.to.since(self.from)
    }

    /// The part of it between two instants.
    pub fn within(mut self, from: Instant, to: Instant) -> Option<Self> {
        // What was known at its beginning is not known of a later one.
        self.fault &= from <= self.from;
        self.from = self.from.max(from);
        self.to = self.to.min(to);
        (self.from < self.to).then_some(self)
    }
}

/// Slices of one core, from events that rise in time; those of other cores are passed over.
pub(super) fn slices(events: &[TraceEvent], core: Core) -> Vec<Slice> {
    let mut walk = SliceWalk::default();
    for event in events.iter().filter(|e| e.core == core) {
        walk.step(event);
    }
    walk.slices
}

#[derive(Default)]
struct SliceWalk {
    slices: Vec<Slice>,
    /// What is upon the thread, and since when.
    stack: Vec<(Activity, Instant)>,
    last: Option<Last>,
    /// First slice of the present thread's uncounted time; nothing when its beginning is not known.
    uncounted: Option<usize>,
    /// From this slice on the kernel's clock stood still for the thread: what comes counts for the next.
    carried: Option<usize>,
    sleep: Option<u8>,
}

struct Last {
    at: Instant,
    thread: Thread,
    interruptible: bool,
    fault: bool,
    /// Was to make room.
    leaving: bool,
}

impl SliceWalk {
    fn has(&self) -> (Has, Option<Name>) {
        let timer = match self.stack.last() {
            Some((Activity::Timer(name), _)) => Some(*name),
            _ => None,
        };
        let below = self.stack.iter().rev().find_map(|(activity, since)| match activity {
            Activity::Interrupt(name) => Some(Has::Interrupt(*name, *since)),
            Activity::Soft(name) => Some(Has::Soft(*name, *since)),
            Activity::Timer(_) => None,
        });
        (below.unwrap_or(Has::Thread), timer)
    }

    fn step(&mut self, event: &TraceEvent) {
        let lost = matches!(event.what, What::Lost(_));
        if let Some(last) = &self.last {
            let (has, timer) = self.has();
            let slice = Slice {
                from: last.at,
                to: event.at,
                thread: last.thread,
                has,
                timer,
                interruptible: last.interruptible,
                leaving: last.leaving,
                counted: false,
                fault: last.fault,
                sleep: self.sleep.filter(|_| last.thread.pid == Pid::IDLE),
                hole: lost,
            };
            // A thread that changed unseen: events are missing, or the trace has no changes of threads.
            let changed = last.thread.pid != event.thread.pid && !lost;
            self.slices.push(slice);
            if changed {
                self.stack.clear();
                (self.uncounted, self.carried) = (None, None);
            }
        }
        if lost {
            self.stack.clear();
            (self.uncounted, self.carried) = (None, None);
        }
        let mut thread = event.thread;
        match &event.what {
            What::Switch { to, .. } => {
                thread = *to;
                self.stack.clear();
                self.uncounted = Some(self.carried.take().unwrap_or(self.slices.len()));
                self.sleep = None;
            }
            What::Enter(activity) => self.stack.push((*activity, event.at)),
            What::Exit(activity) => self.exit(*activity),
            What::Counted { pid, span } if *pid == event.thread.pid => self.count(*span),
            What::Sleep(depth) => self.sleep = *depth,
            What::Waking { .. }
            | What::Woken { .. }
            | What::Moved { .. }
            | What::Counted { .. }
            | What::TimerSet(_)
            | What::Fault
            | What::Device(_)
            | What::Lost(_)
            | What::Clock(_)
            | What::Mark(_)
            | What::Other => {}
        }
        self.last = Some(Last {
            at: event.at,
            thread,
            interruptible: event.interruptible,
            fault: matches!(event.what, What::Fault),
            leaving: event.resched == Resched::Yes && !matches!(event.what, What::Switch { .. }),
        });
    }

    fn exit(&mut self, activity: Activity) {
        if let Some(at) = self.stack.iter().rposition(|a| a.0.is_ended_by(activity)) {
            self.stack.truncate(at);
            return;
        }
        // It was entered before the first event that we have.
        let begun = self.slices.first().map(|s| s.from);
        if let (Some(begun), true) = (begun, self.stack.is_empty()) {
            let has = match activity {
                Activity::Interrupt(name) => Has::Interrupt(name, begun),
                Activity::Soft(name) => Has::Soft(name, begun),
                Activity::Timer(_) => return,
            };
            let first = self.slices.first().map(|s| s.thread.pid);
            for slice in self.slices.iter_mut().take_while(|s| Some(s.thread.pid) == first) {
                if slice.has == Has::Thread {
                    slice.has = has;
                }
            }
        }
    }

    /// The kernel counted so much since it last did: what is missing was taken from outside, most likely in the longest
    /// slices, and there at the end: whatever comes late comes when the time is given back.
    fn count(&mut self, counted: TraceSpan) {
        let from = self.uncounted.replace(self.slices.len());
        let Some(from) = from else { return };
        let own: Vec<usize> =
            (from..self.slices.len()).filter(|i| self.slices[*i].has == Has::Thread).collect();
        let wall = |own: &[usize]| own.iter().map(|i| self.slices[*i].length().0).sum::<i64>();
        let missing_of = |own: &[usize]| {
            let wall = wall(own);
            let missing = wall - counted.0;
            if missing > COUNTING_DIFFERS.0.max(wall / 10) { missing } else { 0 }
        };
        let mut own = own;
        let mut missing = missing_of(&own);
        // From the moment a thread is told to make room, the kernel's clock may stand still: that time is counted for the
        // next one (Linux, `rq_clock_skip_update` on a waking that preempts).
        let tail = own.iter().rposition(|i| !self.slices[*i].leaving).map_or(0, |at| at + 1);
        if missing > 0 && tail < own.len() {
            self.carried = own.get(tail).copied();
            own.truncate(tail);
            missing = missing_of(&own);
        }
        for i in &own {
            self.slices[*i].counted = true;
        }
        if missing == 0 {
            return;
        }
        let mut longest = own;
        longest.sort_by_key(|i| std::cmp::Reverse(self.slices[*i].length()));
        let mut splits = Vec::new();
        for i in longest {
            let taken = missing.min(self.slices[i].length().0);
            if taken < COUNTING_DIFFERS.0 / 2 {
                break;
            }
            splits.push((i, taken));
            missing -= taken;
        }
        splits.sort_by_key(|s| std::cmp::Reverse(s.0));
        for (i, taken) in splits {
            let at = self.slices[i].to.before(TraceSpan(taken));
            let outside = Slice { from: at, has: Has::Outside, fault: false, ..self.slices[i] };
            self.slices[i].to = at;
            self.slices.insert(i + 1, outside);
            if let Some(carried) = self.carried.as_mut().filter(|c| **c > i) {
                *carried += 1;
            }
        }
        self.uncounted = Some(self.slices.len());
    }
}
