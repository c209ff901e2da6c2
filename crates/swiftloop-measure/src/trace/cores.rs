//! What every core was last seen doing: each event comes in, and out go the changes of threads that a kernel did not tell, and
//! whether a core's clock is low. Who a line says had the core had it, whatever was told before.

use super::event::{Core, Instant, Left, Pid, Priority, Thread, TraceEvent, What};
use std::collections::VecDeque;

/// Threads that wait for a core, as far as they are remembered.
const WOKEN: usize = 16;
/// A clock below this share of the fastest is a slow one.
const SLOW: f64 = 0.85;

/// All cores, by their numbers.
#[derive(Debug, Default)]
pub(super) struct Cores {
    all: Vec<LastSeen>,
    /// The fastest clock that was seen, in kilohertz.
    fastest: u32,
}

#[derive(Debug, Default)]
struct LastSeen {
    at: Option<Instant>,
    running: Pid,
    /// Its clock in kilohertz; zero when nothing told.
    clock: u32,
    /// The last threads that were woken to run there, the latest first.
    woken: VecDeque<(Pid, Instant, Priority)>,
}

impl Cores {
    fn core(&mut self, core: Core) -> &mut LastSeen {
        let at = usize::from(core.0);
        if self.all.len() <= at {
            self.all.resize_with(at + 1, LastSeen::default);
        }
        &mut self.all[at]
    }

    /// Some kernels do not tell of the change from an idle core to a thread. It came after the core's last event, and after it
    /// was woken.
    pub fn untold_change(&self, event: &TraceEvent) -> Option<TraceEvent> {
        let known = self.all.get(usize::from(event.core.0))?;
        let last = known.at.filter(|_| known.running == Pid::IDLE && event.thread.pid != Pid::IDLE)?;
        let woken = known.woken.iter().find(|w| w.0 == event.thread.pid);
        let what = What::Switch {
            from_priority: Priority(140),
            left: Left::Runnable,
            to: event.thread,
            to_priority: woken.map_or(Priority(120), |w| w.2),
        };
        let at = woken.map_or(last, |w| w.1.max(last)).min(event.at);
        Some(TraceEvent { at, thread: Thread::default(), what, ..event.clone() })
    }

    pub fn saw(&mut self, event: &TraceEvent) {
        let known = self.core(event.core);
        known.at = Some(event.at);
        known.running = event.thread.pid;
        match event.what {
            What::Switch { to, .. } => known.running = to.pid,
            What::Clock(khz) => {
                known.clock = khz;
                self.fastest = self.fastest.max(khz);
            }
            What::Woken { thread, priority, target } | What::Waking { thread, priority, target } => {
                let woken = &mut self.core(target).woken;
                woken.push_front((thread.pid, event.at, priority));
                woken.truncate(WOKEN);
            }
            What::Moved { .. }
            | What::Counted { .. }
            | What::Enter(_)
            | What::Exit(_)
            | What::TimerSet(_)
            | What::Sleep(_)
            | What::Fault
            | What::Device(_)
            | What::Lost(_)
            | What::Mark(_)
            | What::Other => {}
        }
    }

    /// The core's clock and the fastest one, in kilohertz, where it is much slower.
    pub fn slow(&self, core: Core) -> Option<(u32, u32)> {
        let clock = self.all.get(usize::from(core.0)).map_or(0, |c| c.clock);
        (clock > 0 && f64::from(clock) < SLOW * f64::from(self.fastest)).then_some((clock, self.fastest))
    }
}
