//! Who held the core while a block was late. The events around the block come in, holders with their times go out. The stretch from due to the end is cut into what our thread was doing (asleep, queued, running), each piece
//! is laid beside what the core had meanwhile, and every nanosecond gets exactly one name. A thread that ours waited for is
//! followed in the same way, so that the blame goes to whoever held *that* one up.

use super::event::{
    Activity, Core, Instant, Left, Pid, Priority, Resched, Thread, TraceEvent, TraceSpan, What,
};
use super::late::{BlockStages, Holder, HolderKind, Who};
use super::life::{Piece, ThreadState, life};
use super::names::Names;
use super::slices::{Has, Slice, slices};
use std::collections::HashMap;

/// A handler that only wakes a thread is done long before.
pub(super) const SHORT_HANDLER: TraceSpan = TraceSpan(100_000);
/// One fault is done in this time; what comes later is the thread's own.
const ONE_FAULT: TraceSpan = TraceSpan(25_000);
/// Clocks that tell the same instant may differ by this.
const ROUNDING: TraceSpan = TraceSpan(2_000);
/// So long after a waking the order to make room may still be on its way to another core.
const ON_ITS_WAY: TraceSpan = TraceSpan(20_000);
/// From the timer that gives a group its next time until its thread has the core.
const GIVEN_BACK: TraceSpan = TraceSpan(100_000);

/// The events around a block, by core.
pub(super) struct Scene<'a> {
    pub(super) events: &'a [TraceEvent],
    pub(super) names: &'a Names,
    cores: HashMap<Core, Vec<Slice>>,
}

/// Whose block, and what is known of it besides the events.
pub(super) struct BlameQuery {
    pub thread: Thread,
    pub way: BlockStages,
    /// Where the blame ends.
    pub end: Instant,
    /// What the work should take, when it is known.
    pub work: Option<TraceSpan>,
}

/// BlameSums for one block.
#[derive(Default)]
pub(super) struct BlameSums {
    all: Vec<(Who, i64)>,
}

impl BlameSums {
    pub fn add(&mut self, kind: HolderKind, name: impl Into<String>, span: TraceSpan) {
        if span.0 <= 0 {
            return;
        }
        let who = Who { kind, name: name.into() };
        match self.all.iter_mut().find(|(w, _)| *w == who) {
            Some((_, sum)) => *sum += span.0,
            None => self.all.push((who, span.0)),
        }
    }
}

impl<'a> Scene<'a> {
    pub fn new(events: &'a [TraceEvent], names: &'a Names) -> Self {
        let mut all: Vec<Core> = events.iter().map(|e| e.core).collect();
        all.sort_unstable();
        all.dedup();
        let cores = all.into_iter().map(|c| (c, slices(events, c))).collect();
        Self { events, names, cores }
    }

    /// Every core with its slices.
    pub fn cores(&self) -> impl Iterator<Item = (Core, &[Slice])> {
        self.cores.iter().map(|(core, slices)| (*core, slices.as_slice()))
    }

    /// The way of a block whose beginning and end are known.
    pub fn way(&self, pid: Pid, due: Instant, running: Instant) -> (BlockStages, Core) {
        let mut way = BlockStages { due, running, ..BlockStages::default() };
        let pieces = life(self.events, pid);
        let core_at_end = pieces
            .iter()
            .rev()
            .find(|p| p.from <= running && p.state == ThreadState::On)
            .and_then(|p| p.core)
            .unwrap_or_default();
        // The first time it was woken for this block: later it may have waited in the middle of it.
        let wakes = |p: &Piece| {
            matches!(p.state, ThreadState::Asleep { .. })
                && p.ended
                && p.to <= running
                && p.to >= due.before(SHORT_HANDLER)
        };
        let first = pieces.iter().position(|p| wakes(p) && p.to >= due.before(ROUNDING));
        let Some(asleep) = first.or_else(|| pieces.iter().rposition(wakes)) else {
            return (way, core_at_end);
        };
        let waking = pieces[asleep].to;
        let core = pieces[asleep].core.unwrap_or_default();
        let (interrupt, timer) = self.opened(core, waking);
        way.interrupt = interrupt;
        way.timer = timer.or(interrupt);
        let woken = |e: &&TraceEvent| matches!(&e.what, What::Woken { thread, .. } if thread.pid == pid);
        let scheduled = pieces[asleep + 1..].iter().find(|p| p.state == ThreadState::On).map(|p| p.from);
        way.woken = self
            .since(waking)
            .iter()
            .take_while(|e| e.at <= running)
            .find(woken)
            .map(|e| e.at)
            .filter(|at| scheduled.is_none_or(|s| *at <= s))
            .or(Some(waking));
        way.scheduled = scheduled.filter(|s| *s <= running);
        (way, core_at_end)
    }

    /// Events from an instant on.
    pub(super) fn since(&self, at: Instant) -> &[TraceEvent] {
        &self.events[self.events.partition_point(|e| e.at < at)..]
    }

    /// When the interrupt and the timer began that were open on a core at an instant.
    pub(super) fn opened(&self, core: Core, at: Instant) -> (Option<Instant>, Option<Instant>) {
        let mut open: Vec<(Activity, Instant)> = Vec::new();
        for e in self.events.iter().filter(|e| e.core == core && e.at <= at) {
            match &e.what {
                What::Enter(activity) => open.push((*activity, e.at)),
                // What happens in the same microsecond as the waking is told in the trace's order: the waking was first.
                What::Exit(activity) if e.at < at => {
                    if let Some(i) = open.iter().rposition(|o| o.0.is_ended_by(*activity)) {
                        open.truncate(i);
                    }
                }
                What::Switch { .. } if e.at < at => open.clear(),
                What::Switch { .. }
                | What::Waking { .. }
                | What::Woken { .. }
                | What::Moved { .. }
                | What::Counted { .. }
                | What::Exit(_)
                | What::TimerSet(_)
                | What::Sleep(_)
                | What::Fault
                | What::Device(_)
                | What::Lost(_)
                | What::Clock(_)
                | What::Mark(_)
                | What::Other => {}
            }
        }
        let timer = open.iter().rev().find(|o| matches!(o.0, Activity::Timer(_))).map(|o| o.1);
        let interrupt = open
            .iter()
            .rev()
            .find(|o| matches!(o.0, Activity::Interrupt(_)))
            .or_else(|| open.iter().rev().find(|o| matches!(o.0, Activity::Soft(_))))
            .map(|o| o.1);
        (interrupt, timer)
    }

    /// Whether events are missing on the cores that a thread was on, or waited for.
    pub fn hole(&self, pid: Pid, from: Instant, to: Instant) -> bool {
        let pieces = life(self.events, pid);
        let mine: Vec<Core> =
            pieces.iter().filter(|p| p.from < to && p.to > from).filter_map(|p| p.core).collect();
        let matters = |core: &Core| mine.is_empty() || mine.contains(core);
        let slices = self.cores.iter().filter(|(core, _)| matters(core)).flat_map(|c| c.1);
        slices.into_iter().any(|s| s.hole && s.from < to && s.to > from)
    }

    /// All who held the core from due to the end: their times add up to that stretch.
    pub fn holders(&self, asked: &BlameQuery) -> Vec<Holder> {
        let mut sums = BlameSums::default();
        self.blame(asked, asked.thread, (asked.way.due, asked.end), 0, &mut sums);
        let own = Who { kind: HolderKind::OwnWork, name: self.names.get(asked.thread.name).to_string() };
        let mut holders: Vec<Holder> = sums
            .all
            .into_iter()
            .map(|(who, ns)| {
                let usual = if who == own { asked.work.unwrap_or_default().0 } else { 0 };
                Holder { took: TraceSpan(ns), extra: TraceSpan((ns - usual).max(0)), who }
            })
            .collect();
        Holder::sort(&mut holders);
        holders
    }

    fn priority(&self, pid: Pid, until: Instant) -> Option<Priority> {
        let of = |e: &TraceEvent| match &e.what {
            What::Switch { from_priority, .. } if e.thread.pid == pid => Some(*from_priority),
            What::Switch { to, to_priority, .. } if to.pid == pid => Some(*to_priority),
            What::Waking { thread, priority, .. } | What::Woken { thread, priority, .. }
                if thread.pid == pid =>
            {
                Some(*priority)
            }
            What::Switch { .. }
            | What::Waking { .. }
            | What::Woken { .. }
            | What::Moved { .. }
            | What::Counted { .. }
            | What::Enter(_)
            | What::Exit(_)
            | What::TimerSet(_)
            | What::Sleep(_)
            | What::Fault
            | What::Device(_)
            | What::Lost(_)
            | What::Clock(_)
            | What::Mark(_)
            | What::Other => None,
        };
        let before = self.events.partition_point(|e| e.at <= until);
        let back = self.events[..before].iter().rev().find_map(of);
        back.or_else(|| self.events[before..].iter().find_map(of))
    }

    /// Blames for a stretch of a thread's life: our own (depth 0), or that of one which ours waited for.
    pub(super) fn blame(
        &self,
        asked: &BlameQuery,
        thread: Thread,
        (from, to): (Instant, Instant),
        depth: usize,
        sums: &mut BlameSums,
    ) {
        if from >= to {
            return;
        }
        let pieces = life(self.events, thread.pid);
        let mut at = from;
        for piece in pieces.iter().filter(|p| p.to > from && p.from < to) {
            let (start, stop) = (piece.from.max(from), piece.to.min(to));
            if start > at {
                self.untold(thread, at, start, sums);
            }
            match piece.state {
                ThreadState::On => {
                    let came = asked.way.scheduled.filter(|_| depth == 0);
                    let up = came.filter(|c| *c <= start).map(|_| asked.way.running.max(start).min(stop));
                    let up = up.unwrap_or(start);
                    self.comes_up(thread, piece.core, (start, up), sums);
                    self.running(thread, piece.core, (up, stop), depth, sums);
                }
                ThreadState::Queued => self.queued(thread, piece.core, (start, stop), sums),
                ThreadState::Asleep { for_device } => {
                    let first = depth > 0 || asked.way.scheduled.is_none_or(|ran| stop <= ran);
                    self.asleep(asked, thread, piece, (start, stop), (for_device, first, depth), sums);
                }
            }
            at = stop;
        }
        if at < to {
            self.untold(thread, at, to, sums);
        }
    }

    pub(super) fn untold(&self, thread: Thread, from: Instant, to: Instant, sums: &mut BlameSums) {
        let lost = self.hole(thread.pid, from, to);
        let name = if lost { "events that were lost" } else { "the trace does not show the thread" };
        sums.add(HolderKind::Unknown, name, to.since(from));
    }

    pub(super) fn slices(&self, core: Option<Core>, from: Instant, to: Instant) -> Vec<Slice> {
        let all = core.and_then(|c| self.cores.get(&c)).map_or(&[][..], Vec::as_slice);
        let first = all.partition_point(|s| s.to <= from);
        all[first..].iter().take_while(|s| s.from < to).filter_map(|s| s.within(from, to)).collect()
    }

    /// What interrupts is named alike wherever it interrupts; whether it was that.
    pub(super) fn interrupting(&self, core: Option<Core>, slice: &Slice, sums: &mut BlameSums) -> bool {
        if slice.hole {
            sums.add(HolderKind::Unknown, "events that were lost", slice.length());
            return true;
        }
        match slice.has {
            Has::Thread => return false,
            Has::Outside => sums.add(HolderKind::Host, HOST, slice.length()),
            Has::Interrupt(name, since) => {
                let label = self.interrupt_name(core, name, since);
                sums.add(HolderKind::HardInterrupt, label, slice.length());
            }
            Has::Soft(name, since) => {
                let (kind, label) = self.soft_name(core, name, since);
                sums.add(kind, label, slice.length());
            }
        }
        true
    }

    /// Our thread, or the one that ours waits for, has the core.
    pub(super) fn running(
        &self,
        thread: Thread,
        core: Option<Core>,
        (from, to): (Instant, Instant),
        depth: usize,
        sums: &mut BlameSums,
    ) {
        let kind = if depth == 0 { HolderKind::OwnWork } else { HolderKind::Lock };
        let own = self.names.get(thread.name);
        let mut at = from;
        for slice in self.slices(core, from, to) {
            at = slice.to;
            if self.interrupting(core, &slice, sums) {
                continue;
            }
            let fault = if slice.fault { slice.length().min(ONE_FAULT) } else { TraceSpan(0) };
            sums.add(HolderKind::PageFault, own, fault);
            sums.add(kind, own, TraceSpan(slice.length().0 - fault.0));
        }
        sums.add(kind, own, to.since(at));
    }

    /// Our thread could run and is not let.
    pub(super) fn queued(
        &self,
        thread: Thread,
        core: Option<Core>,
        (from, to): (Instant, Instant),
        sums: &mut BlameSums,
    ) {
        let ours = self.priority(thread.pid, to);
        let all = self.slices(core, from, to);
        let throttled = self.throttled(thread, core, (from, to), ours);
        let mut at = from;
        for slice in &all {
            at = slice.to;
            // While it is held it matters to nobody who has the core.
            if throttled {
                let limit = format!("the limit for {}", self.names.get(thread.name));
                sums.add(HolderKind::RtThrottle, limit, slice.length());
                continue;
            }
            if self.interrupting(core, slice, sums) {
                continue;
            }
            let name = self.names.get(slice.thread.name);
            if slice.thread.pid == thread.pid {
                // The change of threads itself.
                sums.add(HolderKind::OwnWork, name, slice.length());
            } else if slice.thread.pid == Pid::IDLE {
                self.idle(slice, slice.length(), sums);
            } else if name.starts_with("migration/") {
                sums.add(HolderKind::Migration, name, slice.length());
            } else {
                let theirs = self.priority(slice.thread.pid, slice.to);
                let less = matches!((theirs, ours), (Some(t), Some(o)) if t > o && o.is_realtime());
                let kind = if less { HolderKind::KernelNotPreemptible } else { HolderKind::Priority };
                sums.add(kind, name, slice.length());
            }
        }
        if at < to {
            // Nothing of that core is seen at all: it was moved meanwhile, or the trace has no events of it.
            sums.add(HolderKind::Migration, "between two cores", to.since(at));
        }
    }

    /// The kernel let others go first although ours was to run: it turned to a less important thread, or to none at all, or
    /// never meant to turn to ours.
    fn throttled(
        &self,
        thread: Thread,
        core: Option<Core>,
        (from, to): (Instant, Instant),
        ours: Option<Priority>,
    ) -> bool {
        let Some(ours) = ours else { return false };
        let here = || self.since(from).iter().take_while(|e| e.at < to).filter(|e| Some(e.core) == core);
        let turned = here().any(|e| match &e.what {
            What::Switch { to: next, to_priority, left, .. } => {
                // The kernel's own helpers that stop a core come before everybody.
                let given_up = e.thread.pid == thread.pid && *left != Left::Runnable;
                !given_up
                    && next.pid != thread.pid
                    && (next.pid == Pid::IDLE || (ours.is_realtime() && *to_priority > ours))
            }
            What::Waking { .. }
            | What::Woken { .. }
            | What::Moved { .. }
            | What::Counted { .. }
            | What::Enter(_)
            | What::Exit(_)
            | What::TimerSet(_)
            | What::Sleep(_)
            | What::Fault
            | What::Device(_)
            | What::Lost(_)
            | What::Clock(_)
            | What::Mark(_)
            | What::Other => false,
        });
        if turned || self.given_back(core, to) {
            return true;
        }
        if !ours.is_realtime() || to.since(from) < SHORT_HANDLER {
            return false;
        }
        // Nobody was told to make room. The first moments after the waking may still be on their way.
        let untold = |e: &&TraceEvent| {
            e.at > from.after(ON_ITS_WAY)
                && e.resched == Resched::No
                && !matches!(e.what, What::Switch { .. })
        };
        let less = |e: &TraceEvent| {
            e.thread.pid == Pid::IDLE || self.priority(e.thread.pid, e.at).is_some_and(|p| p > ours)
        };
        here().filter(untold).any(less)
    }

    /// A group's next period began, and with it the thread came: the kernel's own timers for that.
    fn given_back(&self, core: Option<Core>, at: Instant) -> bool {
        let timers = ["sched_rt_period_timer", "sched_cfs_period_timer", "sched_cfs_slack_timer"];
        let around = self.since(at.before(GIVEN_BACK)).iter().take_while(|e| e.at < at);
        around.filter(|e| Some(e.core) == core).any(|e| match &e.what {
            What::Enter(Activity::Timer(name)) => timers.contains(&self.names.get(*name)),
            What::Switch { .. }
            | What::Waking { .. }
            | What::Woken { .. }
            | What::Moved { .. }
            | What::Counted { .. }
            | What::Enter(_)
            | What::Exit(_)
            | What::TimerSet(_)
            | What::Sleep(_)
            | What::Fault
            | What::Device(_)
            | What::Lost(_)
            | What::Clock(_)
            | What::Mark(_)
            | What::Other => false,
        })
    }
}

/// What took time that the kernel neither counted nor saw.
pub const HOST: &str = "firmware, or the host of a virtual machine";
