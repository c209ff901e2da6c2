//! The soak itself: one thread a worker, all waking at the same instants, each with its share of the block's work. A
//! worker that is late skips to the next period, as a device does after an xrun; a block is late when any worker was.

use super::clock::{now_ns, sleep_until};
use super::meter::SoakMeter;
use super::permission::{Permission, no_slack, permission, realtime};
use super::record::{Record, WorkerRecord};
use super::schedule::Schedule;
use super::task::Task;
use super::work::Filters;
use std::sync::atomic::Ordering::Relaxed;
use std::sync::atomic::{AtomicBool, AtomicU64};
use std::time::{Duration, SystemTime};
use swiftloop_measure::trace::{Instant, LateLine, LateMark, TraceSpan};

/// Blocks whose lateness is remembered at a time; an unbroken run of more is cut.
const RING: u64 = 4096;
/// Before the first block: all threads are up by then.
const LEAD_NS: u64 = 20_000_000;
/// Stack of a worker: it is locked into memory, so no more than it needs.
const STACK: usize = 256 * 1024;

/// Why nothing could be soaked.
#[derive(Debug, thiserror::Error)]
pub enum SoakError {
    /// Nothing asked for is possible here.
    #[error("the threads cannot be started: {0}")]
    Threads(#[from] std::io::Error),
    /// The histogram refused its bounds.
    #[error("the histogram cannot be made: {0}")]
    Histogram(#[from] hdrhistogram::CreationError),
    #[error("a worker died")]
    Died,
}

/// Room for the numbers of late blocks, none of them a block yet: not even block 0, which is never played.
fn no_block_late() -> Vec<AtomicU64> {
    (0..RING).map(|_| AtomicU64::new(u64::MAX)).collect()
}

struct SoakShared<'a> {
    task: &'a Task,
    schedule: Schedule,
    start_ns: u64,
    stop: &'a AtomicBool,
    over: AtomicBool,
    ring: Vec<AtomicU64>,
    late: AtomicU64,
    meter: &'a SoakMeter,
}

impl<'a> SoakShared<'a> {
    fn new(task: &'a Task, workers: usize, meter: &'a SoakMeter, stop: &'a AtomicBool) -> Self {
        Self {
            task,
            schedule: Schedule::new(task, workers),
            start_ns: now_ns() + LEAD_NS,
            stop,
            over: AtomicBool::new(false),
            ring: no_block_late(),
            late: AtomicU64::new(0),
            meter,
        }
    }

    fn due(&self, block: u64) -> u64 {
        self.start_ns + (block as f64 * self.task.period_ns) as u64
    }

    fn goes_on(&self) -> bool {
        !self.stop.load(Relaxed) && !self.over.load(Relaxed)
    }

    /// Marks a block; whether it was the first worker to do so.
    fn mark(&self, block: u64) -> bool {
        self.ring[(block % RING) as usize].swap(block, Relaxed) != block
    }

    /// A late block and those skipped after it: one run, unless the block before was late already.
    fn was_late(&self, block: u64, next: u64) {
        if self.mark(block) {
            self.late.fetch_add(1, Relaxed);
            if self.ring[((block - 1) % RING) as usize].load(Relaxed) != block - 1 {
                self.meter.miss();
            }
        }
        for skipped in block + 1..next.min(block + RING) {
            self.mark(skipped);
        }
    }
}

/// Soaks until the time is over, `stop` is set, or `watch` says no; `watch` is called a few times a second with the
/// meter and the seconds passed. The meter must have a counter for each worker.
///
/// # Errors
/// [`SoakError`]; missing permissions are no error, they are in the record.
pub fn soak(
    task: &Task,
    meter: &SoakMeter,
    stop: &AtomicBool,
    mut watch: impl FnMut(&SoakMeter, f64) -> bool,
) -> Result<Record, SoakError> {
    let workers = task.patterns.first().map_or(1, |p| p.work.len()).max(1);
    let granted = permission();
    let shared = SoakShared::new(task, workers, meter, stop);
    let records = (0..workers).map(|_| WorkerRecord::new()).collect::<Result<Vec<_>, _>>()?;
    let since = SoakBegan::now(meter);
    let done: Vec<(WorkerRecord, u64)> = std::thread::scope(|scope| {
        let mut threads = Vec::new();
        for (me, record) in records.into_iter().enumerate() {
            let (shared, realtime) = (&shared, granted.realtime);
            let name = format!("soak {me}");
            let builder = std::thread::Builder::new().name(name).stack_size(STACK);
            let life = move || {
                let mut filters = Filters::default();
                worker(shared, me, record, realtime, &mut |block| {
                    let frames = shared.schedule.frames(block, me);
                    filters.run(frames);
                    frames as f64 * shared.task.frame_ns
                })
            };
            match builder.spawn_scoped(scope, life) {
                Ok(thread) => threads.push(thread),
                Err(e) => {
                    shared.over.store(true, Relaxed);
                    return Err(SoakError::Threads(e));
                }
            }
        }
        let end = shared.start_ns + (task.seconds * 1e9) as u64;
        while shared.goes_on() {
            let now = now_ns();
            if now >= end || !watch(meter, now.saturating_sub(shared.start_ns) as f64 / 1e9) {
                shared.over.store(true, Relaxed);
                break;
            }
            std::thread::sleep(Duration::from_nanos((end - now).min(100_000_000)));
        }
        threads.into_iter().map(|t| t.join().map_err(|_| SoakError::Died)).collect::<Result<Vec<_>, _>>()
    })?;
    Ok(since.record(&shared, granted, done))
}

/// By how many seconds the wall clock was set while it walked so many and so many passed. Little is the ordinary
/// steering of a clock, or our own two looks not being at one instant: that is none.
fn step(walked: f64, passed: f64) -> f64 {
    let step = walked - passed;
    if step.abs() > 0.5 { step } else { 0.0 }
}

/// Soaks on this very thread, with work that is made elsewhere: it does a block and tells what that should take, in nanoseconds.
///
/// # Errors
/// [`SoakError`].
pub fn soak_here(
    task: &Task,
    meter: &SoakMeter,
    stop: &AtomicBool,
    work: &mut dyn FnMut(u64) -> f64,
) -> Result<Record, SoakError> {
    let granted = permission();
    let shared = SoakShared::new(task, 1, meter, stop);
    let since = SoakBegan::now(meter);
    let done = worker(&shared, 0, WorkerRecord::new()?, granted.realtime, work);
    Ok(since.record(&shared, granted, vec![done]))
}

/// When a soak began.
struct SoakBegan {
    wall: SystemTime,
    begun_ns: u64,
    missed: u64,
}

impl SoakBegan {
    fn now(meter: &SoakMeter) -> Self {
        Self { wall: SystemTime::now(), begun_ns: now_ns(), missed: meter.misses() }
    }

    /// What all workers did since then.
    fn record(&self, shared: &SoakShared<'_>, granted: Permission, done: Vec<(WorkerRecord, u64)>) -> Record {
        let passed = (now_ns() - self.begun_ns) as f64 / 1e9;
        let blocks = done.iter().map(|d| d.1).max().unwrap_or(0);
        let walked = self.wall.elapsed().map_or_else(|e| -e.duration().as_secs_f64(), |d| d.as_secs_f64());
        Record {
            permission: granted,
            workers: done.into_iter().map(|d| d.0).collect(),
            blocks,
            late_blocks: shared.late.load(Relaxed),
            runs: shared.meter.misses() - self.missed,
            seconds: blocks as f64 * shared.task.period_ns / 1e9,
            stopped: shared.stop.load(Relaxed),
            clock_step_s: step(walked, passed),
        }
    }
}

/// The same instant, as a trace has it.
fn at(ns: u64) -> Instant {
    Instant(i64::try_from(ns).unwrap_or(i64::MAX))
}

/// One worker from its first block to the end; its record and the number of the last block that fell due.
fn worker(
    shared: &SoakShared<'_>,
    me: usize,
    mut record: WorkerRecord,
    wants: bool,
    work: &mut dyn FnMut(u64) -> f64,
) -> (WorkerRecord, u64) {
    no_slack();
    if wants {
        // Just granted on another thread of ours; were it refused now, the wake-up delays would show it.
        let _ = realtime();
    }
    let end = shared.start_ns + (shared.task.seconds * 1e9) as u64;
    let reserve_ns = (shared.task.reserve * shared.task.period_ns) as u64;
    let mut block = 1u64;
    while shared.goes_on() {
        let due = shared.due(block);
        if due >= end {
            break;
        }
        let asleep = now_ns() < due;
        sleep_until(due);
        let woke = now_ns();
        let should_take = work(block);
        let done = now_ns();
        let (wake_ns, exec_ns) = (woke.saturating_sub(due), done - woke);
        record.block(
            block,
            (due - shared.start_ns) / 1_000_000_000,
            asleep.then_some(wake_ns),
            exec_ns,
            should_take,
        );
        shared.meter.count(me, if asleep { wake_ns } else { 0 }, exec_ns);
        let mut next = block + 1;
        if done > due + reserve_ns {
            next = ((done - shared.start_ns) as f64 / shared.task.period_ns) as u64 + 1;
            let mark = LateMark {
                due: at(due),
                woke: at(woke),
                done: Some(at(done)),
                deadline: Some(at(due + reserve_ns)),
                work: Some(TraceSpan(should_take as i64)),
                period: Some(TraceSpan(shared.task.period_ns as i64)),
                pid: None,
            };
            shared.meter.late(|| LateLine { mark, block });
            shared.was_late(block, next);
        }
        block = next;
    }
    (record, block - 1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use swiftloop_core::soak::WorkPattern;
    use swiftloop_units::Micros;

    fn shared<'a>(task: &'a Task, meter: &'a SoakMeter, stop: &'a AtomicBool) -> SoakShared<'a> {
        SoakShared {
            task,
            schedule: Schedule::new(task, 1),
            start_ns: now_ns(),
            stop,
            over: AtomicBool::new(false),
            ring: no_block_late(),
            late: AtomicU64::new(0),
            meter,
        }
    }

    #[test]
    fn between_waking_and_being_done_nothing_is_allocated() {
        // Most blocks are light; one in a hundred takes longer than its period, so that late blocks are walked as well.
        let kind = |share, us| WorkPattern { share, work: vec![Micros::new(us)] };
        let patterns = vec![kind(0.99, 50.0), kind(0.01, 3000.0)];
        let frame_ns = super::super::work::speed(5).frame_ns;
        let task = Task { period_ns: 1e6, reserve: 1.0, seconds: 2.0, patterns, frame_ns };
        let (meter, stop) = (SoakMeter::new(1), AtomicBool::new(false));
        let (shared, record) = (shared(&task, &meter, &stop), WorkerRecord::new().unwrap());
        let mut filters = Filters::default();
        let before = crate::counting::asked();
        let (record, _) = worker(&shared, 0, record, false, &mut |block| {
            let frames = shared.schedule.frames(block, 0);
            filters.run(frames);
            frames as f64 * task.frame_ns
        });
        assert_eq!(crate::counting::asked(), before);
        assert!(record.exec.len() > 10 && meter.misses() > 0);
    }

    #[test]
    fn a_clock_that_is_set_is_told_and_one_that_is_steered_is_not() {
        assert!((step(3610.0, 10.0) - 3600.0).abs() < 1e-9);
        assert!((step(-50.0, 10.0) + 60.0).abs() < 1e-9);
        assert_eq!((step(10.1, 10.0), step(9.9, 10.0)), (0.0, 0.0));
    }

    #[test]
    fn a_run_of_late_blocks_counts_once() {
        let task = Task { period_ns: 1e6, reserve: 1.0, seconds: 1.0, patterns: vec![], frame_ns: 1.0 };
        let (meter, stop) = (SoakMeter::new(1), AtomicBool::new(false));
        let shared = shared(&task, &meter, &stop);
        shared.was_late(1, 2); // a run may begin with the very first
        assert_eq!((meter.misses(), shared.late.load(Relaxed)), (1, 1));
        shared.was_late(10, 14); // 10 late, 11 to 13 skipped
        shared.was_late(14, 15); // the run goes on
        shared.was_late(14, 15); // another worker, the same block
        assert_eq!((meter.misses(), shared.late.load(Relaxed)), (2, 3));
        shared.was_late(16, 17); // 15 was in time
        assert_eq!((meter.misses(), shared.late.load(Relaxed)), (3, 4));
    }

    #[test]
    fn more_work_than_time_is_late_and_none_is_not_late_always() {
        let (meter, stop) = (SoakMeter::new(1), AtomicBool::new(false));
        let task = Task {
            period_ns: 2e6,
            reserve: 1.0,
            seconds: 0.3,
            patterns: vec![WorkPattern { share: 1.0, work: vec![Micros::new(5000.0)] }],
            frame_ns: super::super::work::speed(5).frame_ns,
        };
        let record = soak(&task, &meter, &stop, |_, _| true).unwrap();
        // However slow or fast the machine is now, five milliseconds calibrated do not fit into two.
        assert!(record.late_blocks >= 1 && record.runs >= 1 && record.blocks >= record.late_blocks);
        assert_eq!(record.workers[0].exec.len(), meter.look()[0].blocks);
    }
}
