//! A thread that waits: for its time, for a page, for another thread, or for its own first step.

use super::blame::{BlameQuery, BlameSums, HOST, SHORT_HANDLER, Scene};
use super::event::{Core, Instant, Pid, Thread, TraceEvent, TraceSpan, What};
use super::late::HolderKind;
use super::life::Piece;
use super::slices::{Has, Slice};

/// What an interrupt needs to come in, also on a busy core: not worth a culprit.
const WAY_IN: TraceSpan = TraceSpan(30_000);
/// Longer than this no core needs to wake from its deepest sleep (Linux's own tables for desktop processors: up to 0.9 ms
/// together with the memory and the links that slept along; the usual deep state 0.1 to 0.25 ms).
const DEEPEST_WAKE: TraceSpan = TraceSpan(900_000);
/// From a light sleep (the first state) a core wakes in a few microseconds.
const LIGHT_WAKE: TraceSpan = TraceSpan(50_000);
/// Without any event for so long nothing of the system's own had the core.
const NOTHING_FOR: TraceSpan = TraceSpan(2_000_000);
/// From the change of threads to the thread's own first step it takes a few microseconds.
const COMES_UP: TraceSpan = TraceSpan(150_000);
/// How far threads that wait for one another are followed.
const DEPTH: usize = 4;

impl Scene<'_> {
    /// A core without work that should have begun some.
    pub(super) fn idle(&self, slice: &Slice, gap: TraceSpan, sums: &mut BlameSums) {
        let longest = match slice.sleep {
            Some(0 | 1) => LIGHT_WAKE,
            Some(_) => DEEPEST_WAKE,
            None => TraceSpan(DEEPEST_WAKE.0 / 3),
        };
        if gap > longest {
            sums.add(HolderKind::Host, HOST, slice.length());
        } else {
            let name = slice.sleep.map_or_else(|| "idle".to_string(), |s| format!("idle state {s}"));
            sums.add(HolderKind::Idle, name, slice.length());
        }
    }

    /// Our thread waits: for its time, or in the middle of its work for somebody.
    pub(super) fn asleep(
        &self,
        asked: &BlameQuery,
        thread: Thread,
        piece: &Piece,
        (from, to): (Instant, Instant),
        (for_device, first, depth): (bool, bool, usize),
        sums: &mut BlameSums,
    ) {
        let own = self.names.get(thread.name);
        let core = piece.core;
        let (interrupt, _) = core.map_or((None, None), |c| self.opened(c, piece.to));
        if !first && self.faulted(thread, piece.from, for_device) {
            sums.add(HolderKind::PageFault, own, to.since(from));
            return;
        }
        let waker = core.and_then(|c| {
            let all = self.slices(Some(c), piece.to.before(TraceSpan(1)), piece.to.after(TraceSpan(1)));
            all.first().map(|s| s.thread)
        });
        match (interrupt, waker) {
            (None, Some(other)) if other.pid != Pid::IDLE && other.pid != thread.pid && depth < DEPTH => {
                if !first {
                    // It had what ours needed, whatever held that one up.
                    sums.add(HolderKind::Lock, self.names.get(other.name), to.since(from));
                    return;
                }
                // Somebody else's work came first: who held that one up?
                self.blame(asked, other, (from, to), depth + 1, sums);
            }
            (Some(_), _) if !first && for_device => {
                sums.add(HolderKind::Lock, "a device that was waited for", to.since(from));
            }
            // It chose to wait in the middle of its work.
            (Some(_), _) if !first => sums.add(HolderKind::OwnWork, own, to.since(from)),
            (Some(_), _) => self.until_interrupt(core, (from, to), interrupt, sums),
            _ if !piece.ended => {
                sums.add(HolderKind::Unknown, "the trace does not show who woke it", to.since(from))
            }
            _ => self.until_interrupt(core, (from, to), interrupt, sums),
        }
    }

    /// A thread that fell asleep had run into a page: that was its last step, or it waits for a device since.
    fn faulted(&self, thread: Thread, slept: Instant, for_device: bool) -> bool {
        let own = |e: &&TraceEvent| {
            e.thread.pid == thread.pid
                && e.at <= slept
                && e.at >= slept.before(NOTHING_FOR)
                && !matches!(e.what, What::Switch { .. } | What::Counted { .. })
        };
        let mut steps = self.events.iter().rev().filter(own);
        let fault = |e: &TraceEvent| matches!(e.what, What::Fault);
        if for_device { steps.any(fault) } else { steps.next().is_some_and(fault) }
    }

    /// Between getting the core and its own first step, a thread does next to nothing: a long silence is somebody else's.
    pub(super) fn comes_up(
        &self,
        thread: Thread,
        core: Option<Core>,
        (from, to): (Instant, Instant),
        sums: &mut BlameSums,
    ) {
        if to.since(from) <= COMES_UP {
            return self.running(thread, core, (from, to), 0, sums);
        }
        for slice in self.slices(core, from, to) {
            let silent = slice.has == Has::Thread && slice.length() > COMES_UP && !slice.hole;
            if silent && slice.fault {
                sums.add(HolderKind::PageFault, self.names.get(thread.name), slice.length());
            } else if silent {
                sums.add(HolderKind::Host, HOST, slice.length());
            } else {
                self.running(thread, core, (slice.from, slice.to), 0, sums);
            }
        }
        let seen = self.slices(core, from, to).last().map_or(from, |s| s.to);
        sums.add(HolderKind::Host, HOST, to.since(seen));
    }

    /// The interrupt that should have come does not: what the core had instead.
    fn until_interrupt(
        &self,
        core: Option<Core>,
        (from, to): (Instant, Instant),
        interrupt: Option<Instant>,
        sums: &mut BlameSums,
    ) {
        let all = self.slices(core, from, to);
        let came = interrupt.unwrap_or(to);
        let own = all.iter().rev().find_map(|s| match s.has {
            Has::Interrupt(name, since) => Some(self.interrupt_name(core, name, since)),
            Has::Soft(name, since) => Some(self.soft_name(core, name, since).1),
            Has::Thread | Has::Outside => None,
        });
        let own = own.unwrap_or_else(|| "the timer's interrupt".to_string());
        let waiting: i64 =
            all.iter().filter(|s| s.has == Has::Thread && s.from < came).map(|s| s.length().0).sum();
        // From here on the interrupt could have come and did not.
        let could = all
            .iter()
            .find(|s| s.interruptible && s.from > from && s.from < came && s.has == Has::Thread)
            .map(|s| s.from);
        let mut at = from;
        for slice in &all {
            at = slice.to;
            // A handler that only wakes is over at once: a long silence in it is somebody else's.
            let handler = matches!(slice.has, Has::Interrupt(..)) && slice.length() > SHORT_HANDLER;
            if handler && slice.timer.is_some_and(|t| self.names.get(t) == "hrtimer_wakeup") {
                sums.add(HolderKind::Host, HOST, slice.length());
                continue;
            }
            if self.interrupting(core, slice, sums) {
                continue;
            }
            let name = self.names.get(slice.thread.name);
            if slice.from >= came || waiting <= WAY_IN.0 {
                sums.add(HolderKind::HardInterrupt, own.as_str(), slice.length());
            } else if slice.thread.pid == Pid::IDLE {
                self.idle(slice, TraceSpan(waiting), sums);
            } else if could.is_some_and(|c| slice.from >= c) {
                sums.add(HolderKind::Host, HOST, slice.length());
            } else if slice.counted {
                sums.add(HolderKind::InterruptsOff, name, slice.length());
            } else if slice.length() >= NOTHING_FOR {
                sums.add(HolderKind::Host, HOST, slice.length());
            } else {
                sums.add(
                    HolderKind::Unknown,
                    "no event on the core: interrupts off, firmware or a host",
                    slice.length(),
                );
            }
        }
        if at < to {
            sums.add(HolderKind::Unknown, "the trace does not show the core", to.since(at));
        }
    }
}
