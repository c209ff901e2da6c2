//! A trace as it streams by: events in the order of time come in, late blocks go out. The last events are
//! kept, and only when a block turns out to be late are those around it looked at. Blocks are late by our own marks; or,
//! without marks, of a thread that is named, by the timer it set, or else by its even pace.

use super::blame::{BlameQuery, Scene};
use super::cores::Cores;
use super::event::{Instant, LateMark, Left, Mark, Pid, Thread, TraceEvent, TraceSpan, What};
use super::lanes::shown_around;
use super::late::{BlockStage, BlockStages, Holder, HolderKind, LateBlock, Who};
use super::names::Names;
use super::paced::Paced;
use super::ranking::{fewest, rank};
use super::summary::{TraceQuery, TraceSummary};
use std::collections::{HashMap, VecDeque};

/// Events that are kept.
const KEPT: usize = 1 << 17;
/// So long before a block, what runs on a core is looked for.
const BEFORE: TraceSpan = TraceSpan(12_000_000);
/// So long after a block the kernel has counted the time of those who ran.
const AFTER: TraceSpan = TraceSpan(5_000_000);
/// Late blocks that are told one by one; the rest is only counted.
const TOLD: usize = 20_000;
/// Late blocks of which the lanes are kept.
const LANES: usize = 200;
/// A mark is written at once; later than this, its clock is not that of the trace.
const MARK_LAG: TraceSpan = TraceSpan(1_000_000_000);
/// A block that ran later than this share of its period has lost what keeps blocks in time.
const LATE_SHARE: i64 = 10;
/// Where no period is known.
const LATE_WITHOUT_PERIOD: TraceSpan = TraceSpan(100_000);
/// Threads that are counted to choose from.
const CANDIDATES: usize = 4096;

#[derive(Debug)]
pub struct Follower {
    question: TraceQuery,
    /// The last events: at least [`KEPT`], at most twice as many.
    kept: Vec<TraceEvent>,
    told: TraceSummary,
    /// Late blocks that are looked at once the kernel has counted.
    pending: VecDeque<Pending>,
    paced: Paced,
    /// How often each thread with real-time priority was woken.
    woken: HashMap<Pid, (Thread, u64)>,
    cores: Cores,
}

/// A block that was late.
#[derive(Debug)]
struct Pending {
    seen: Instant,
    thread: Thread,
    mark: LateMark,
    end: Instant,
    done: Option<Instant>,
    allowed: TraceSpan,
    by_deadline: bool,
}

impl Follower {
    #[must_use]
    pub fn new(question: TraceQuery) -> Self {
        Self {
            paced: Paced::new(question.period),
            question,
            kept: Vec::new(),
            told: TraceSummary::default(),
            pending: VecDeque::new(),
            woken: HashMap::new(),
            cores: Cores::default(),
        }
    }

    /// The next event. Events rise in time; where one does not, the clock went back and nothing before counts.
    pub fn event(&mut self, event: TraceEvent, names: &Names) {
        self.told.events += 1;
        if self.kept.last().is_some_and(|last| event.at < last.at) {
            self.told.clock_jumps += 1;
            self.settle_all(names);
            self.kept.clear();
            self.paced = Paced::new(self.question.period);
            self.cores = Cores::default();
        }
        let begun = self.told.covered.map_or(event.at, |c| c.0);
        self.told.covered = Some((begun, event.at));
        if let What::Lost(count) = event.what {
            self.told.lost = self.told.lost.saturating_add(count);
        }
        if self.kept.len() >= 2 * KEPT {
            self.kept.drain(..KEPT);
        }
        if let Some(change) = self.cores.untold_change(&event) {
            self.switch(change.at, (change.thread, event.thread, Left::Runnable), names);
            let place = self.kept.partition_point(|e| e.at <= change.at);
            self.kept.insert(place, change);
        }
        self.cores.saw(&event);
        let now = event.at;
        self.kept.push(event);
        self.look(names);
        while self.pending.front().is_some_and(|p| now.since(p.seen) > AFTER) {
            let pending = self.pending.pop_front();
            self.settle(pending, names);
        }
    }

    fn look(&mut self, names: &Names) {
        let Some(event) = self.kept.last() else { return };
        match &event.what {
            What::Mark(mark) => {
                let (at, thread, mark) = (event.at, event.thread, **mark);
                self.mark(at, thread, mark, names);
            }
            What::TimerSet(due) => {
                let (pid, due) = (event.thread.pid, *due);
                self.paced.timer_set(pid, due);
            }
            What::Waking { thread, priority, .. } if priority.is_realtime() => {
                let thread = *thread;
                if self.woken.len() < CANDIDATES || self.woken.contains_key(&thread.pid) {
                    self.woken.entry(thread.pid).or_insert((thread, 0)).1 += 1;
                }
            }
            What::Switch { to, left, .. } => {
                let (at, from, to, left) = (event.at, event.thread, *to, *left);
                self.switch(at, (from, to, left), names);
            }
            What::Waking { .. }
            | What::Woken { .. }
            | What::Moved { .. }
            | What::Counted { .. }
            | What::Enter(_)
            | What::Exit(_)
            | What::Sleep(_)
            | What::Fault
            | What::Device(_)
            | What::Lost(_)
            | What::Clock(_)
            | What::Other => {}
        }
    }

    fn mark(&mut self, at: Instant, writer: Thread, mark: Mark, names: &Names) {
        if let Mark::Noticed(what) = mark {
            self.told.noticed.push((at, what));
            return;
        }
        self.told.marks += 1;
        let Mark::Late(late) = mark else {
            self.told.unreadable += 1;
            return;
        };
        let lag = at.since(late.done.unwrap_or(late.woke));
        if lag > MARK_LAG || lag < TraceSpan(-1_000_000) {
            self.told.apart += 1;
            return;
        }
        let thread = late.pid.map_or(writer, |pid| Thread { pid, ..writer });
        if self.question.thread.as_deref().is_some_and(|wanted| names.get(thread.name) != wanted) {
            return;
        }
        // Without an end of its own, the work goes on at least until the mark was written.
        self.late(thread, late, at, Some(late.done.unwrap_or(at)));
    }

    /// A block that says of itself that it was late.
    fn late(&mut self, thread: Thread, mark: LateMark, seen: Instant, done: Option<Instant>) {
        let period = self.question.period.or(mark.period);
        let by_deadline = mark.done.is_some() && mark.deadline.is_some();
        let end = if by_deadline { mark.done.unwrap_or(mark.woke) } else { mark.woke };
        let took = end.since(mark.due);
        let allowed = match (mark.deadline, by_deadline) {
            (Some(deadline), true) => deadline.since(mark.due),
            _ => self.allowed(period),
        };
        // It says that it was late: then at most half of that was allowed.
        let allowed = if allowed < took { allowed } else { TraceSpan(took.0 / 2) };
        self.pending.push_back(Pending { seen, thread, mark, end, done, allowed, by_deadline });
    }

    fn allowed(&self, period: Option<TraceSpan>) -> TraceSpan {
        let of_period = period.map(|p| TraceSpan(p.0 / LATE_SHARE));
        self.question.allowed.or(of_period).unwrap_or(LATE_WITHOUT_PERIOD)
    }

    /// Looks at all that are still to be looked at.
    fn settle_all(&mut self, names: &Names) {
        while let Some(pending) = self.pending.pop_front() {
            self.settle(Some(pending), names);
        }
    }

    fn settle(&mut self, pending: Option<Pending>, names: &Names) {
        let Some(Pending { thread, mark, end, done, allowed, by_deadline, .. }) = pending else { return };
        self.told.late_count += 1;
        if self.told.late.len() >= TOLD {
            return;
        }
        let from = mark.due.before(BEFORE);
        let events = &self.kept;
        let first = events.partition_point(|e| e.at < from);
        let scene = Scene::new(&events[first..], names);
        let (way, core) = scene.way(thread.pid, mark.due, mark.woke);
        let way = BlockStages { done, ..way };
        let mut holders = scene.holders(&BlameQuery { thread, way, end, work: mark.work });
        if let Some(clock) = self.cores.slow(core) {
            own_work_by_clock(&mut holders, clock);
        }
        let lost = scene.hole(thread.pid, mark.due, end);
        let mut block = LateBlock {
            thread,
            core,
            way,
            took: end.since(mark.due),
            allowed,
            by_deadline,
            grew: grew(&way, mark.work),
            holders,
            thief: Who { kind: HolderKind::Unknown, name: String::new() },
            lost,
            noticed: None,
            lanes: Vec::new(),
        };
        if self.question.lanes && self.told.late.len() < LANES {
            let (from, to) = shown_around(mark.due, end);
            block.lanes = scene.lanes(from, to);
        }
        block.thief = thief(&block);
        self.told.late.push(block);
    }

    /// A thread goes and another comes: those that are followed begin and end their blocks.
    fn switch(&mut self, at: Instant, (from, to, left): (Thread, Thread, Left), names: &Names) {
        let Some(wanted) = self.question.thread.as_deref() else { return };
        let is = |t: Thread| t.pid != Pid::IDLE && names.get(t.name) == wanted;
        let (goes, comes) = (is(from), is(to));
        if goes && let Some(block) = self.paced.goes(at, from, left) {
            self.told.blocks += 1;
            self.judge(from, block, at);
        }
        if comes {
            self.paced.comes(at, to);
        }
    }

    /// Whether a block without a mark was late.
    fn judge(&mut self, thread: Thread, block: LateMark, seen: Instant) {
        let ran_late = block.woke.since(block.due) > self.allowed(block.period);
        if block.deadline.is_some() || ran_late {
            self.late(thread, block, seen, block.done);
        }
    }

    /// The late blocks so far; whatever was to be waited for does not come.
    pub fn so_far(&mut self, names: &Names) -> &[LateBlock] {
        self.settle_all(names);
        &self.told.late
    }

    /// The end: everything that was told.
    #[must_use]
    pub fn told(mut self, names: &Names) -> TraceSummary {
        // Blocks that the trace does not see to their end.
        for (thread, block) in self.paced.unfinished() {
            self.judge(thread, block, block.woke);
        }
        self.settle_all(names);
        let noticed = std::mem::take(&mut self.told.noticed);
        for block in &mut self.told.late {
            let after = noticed.iter().find(|n| n.0 >= block.way.due && n.0.since(block.way.due) < MARK_LAG);
            block.noticed = after.map(|n| n.1);
        }
        self.told.noticed = noticed;
        self.told.ranking = rank(&self.told.late);
        let mut candidates: Vec<_> = self.woken.into_values().collect();
        candidates.sort_by_key(|c| (std::cmp::Reverse(c.1), c.0.pid));
        self.told.candidates = candidates;
        self.told
    }
}

/// Our own work took longer than usual on a core whose clock was low: the clock is to blame for what is too much.
fn own_work_by_clock(holders: &mut Vec<Holder>, (now, most): (u32, u32)) {
    let Some(own) = holders.iter_mut().find(|h| h.who.kind == HolderKind::OwnWork && h.extra.0 > 0) else {
        return;
    };
    // No more than the slower clock explains.
    let explained = (own.took.0 as f64 * (1.0 - f64::from(now) / f64::from(most.max(1)))) as i64;
    let taken = TraceSpan(own.extra.0.min(explained));
    (own.took, own.extra) = (TraceSpan(own.took.0 - taken.0), TraceSpan(own.extra.0 - taken.0));
    let name = format!("its clock at {} of {} MHz", now / 1000, most / 1000);
    holders.push(Holder { who: Who { kind: HolderKind::Idle, name }, took: taken, extra: taken });
    holders.retain(|h| h.took.0 > 0);
    Holder::sort(holders);
}

/// The step that took most; of the work only what goes beyond its usual time.
fn grew(way: &BlockStages, work: Option<TraceSpan>) -> BlockStage {
    let mut most = (BlockStage::DueToInterrupt, i64::MIN);
    for (stage, span) in BlockStage::ALL.into_iter().zip(way.stages()) {
        let Some(span) = span else { continue };
        let usual = if stage == BlockStage::RunningToDone { work.map_or(span.0, |w| w.0) } else { 0 };
        if span.0 - usual > most.1 {
            most = (stage, span.0 - usual);
        }
    }
    most.0
}

/// Who is to blame: whoever took most of what was too much. Where events are missing, nobody is named on the rest.
fn thief(block: &LateBlock) -> Who {
    let most = block.holders.iter().max_by(|a, b| a.extra.cmp(&b.extra).then_with(|| b.who.cmp(&a.who)));
    let enough = fewest(block);
    match most {
        _ if block.lost => Who { kind: HolderKind::Unknown, name: "events that were lost".into() },
        Some(most) => enough
            .first()
            .filter(|_| most.who.kind != HolderKind::Unknown)
            .map_or_else(|| most.who.clone(), |w| (*w).clone()),
        None => Who { kind: HolderKind::Unknown, name: "the trace shows nothing of this block".into() },
    }
}
