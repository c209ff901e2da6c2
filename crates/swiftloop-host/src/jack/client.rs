//! A soak as a client of the server: the server wakes us, its xruns count.

use super::active::{BlockTask, take_part};
use super::library::{CallbackClock, Client};
use super::server::{Server, ServerError};
use crate::soak::{Filters, Permission, Record, Schedule, SoakMeter, Task, WorkerRecord};
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::{Relaxed, SeqCst};
use std::time::Duration;
use swiftloop_measure::trace::{Instant, LateLine, LateMark, TraceSpan};

/// How long a server may take to change its block.
const PATIENCE_S: f64 = 3.0;

/// What the process callback works on.
#[derive(Clone)]
struct Soaking<'a> {
    clocks: CallbackClock,
    client: *mut Client,
    meter: &'a SoakMeter,
    schedule: Schedule,
    frame_ns: f64,
    record: WorkerRecord,
    filters: Filters,
    block: u64,
    late: u64,
    first_us: Option<u64>,
    /// Only blocks of so many frames count: a server may take a moment to change.
    frames: u32,
}

impl<'a> Soaking<'a> {
    fn new(
        (clocks, client): (CallbackClock, *mut Client),
        frames: u32,
        task: &Task,
        record: WorkerRecord,
        meter: &'a SoakMeter,
    ) -> Self {
        Self {
            clocks,
            client,
            meter,
            schedule: Schedule::new(task, 1),
            frame_ns: task.frame_ns,
            record,
            filters: Filters::default(),
            block: 0,
            late: 0,
            first_us: None,
            frames,
        }
    }
}

impl BlockTask for Soaking<'_> {
    fn block(&mut self, frames: u32) {
        if frames != self.frames {
            return;
        }
        let (mut frame, mut due, mut next, mut period) = (0u32, 0u64, 0u64, 0f32);
        // SAFETY: called from the process callback, as the header asks, with places for the answers; the client is open.
        let (known, woke) = unsafe {
            let answer = (self.clocks.cycle_times)(
                self.client,
                &raw mut frame,
                &raw mut due,
                &raw mut next,
                &raw mut period,
            );
            (answer == 0, (self.clocks.time)())
        };
        let from = crate::soak::now_ns();
        self.block += 1;
        let frames = self.schedule.frames(self.block, 0);
        self.filters.run(frames);
        let exec = crate::soak::now_ns() - from;
        let wake = woke.saturating_sub(due) * 1000;
        let first = *self.first_us.get_or_insert(due);
        let second = due.saturating_sub(first) / 1_000_000;
        self.record.block(self.block, second, known.then_some(wake), exec, frames as f64 * self.frame_ns);
        self.meter.count(0, wake, exec);
        // SAFETY: a plain question.
        let done = unsafe { (self.clocks.time)() };
        if known && done > next {
            self.late += 1;
            let at = |us: u64| Instant(i64::try_from(us.saturating_mul(1000)).unwrap_or(i64::MAX));
            let mark = LateMark {
                due: at(due),
                woke: at(woke.max(due)),
                done: Some(at(done)),
                deadline: Some(at(next)),
                work: Some(TraceSpan((frames as f64 * self.frame_ns) as i64)),
                period: Some(TraceSpan((f64::from(period) * 1000.0) as i64)),
                pid: None,
            };
            self.meter.late(|| LateLine { mark, block: self.block });
        }
    }
}

/// Soaks as a client at a block of `frames` until the time is over, `stop` is set, or `watch` says no. The patterns of
/// `task` belong to the server's present block. One worker: the server calls each client on one thread.
///
/// # Errors
/// [`ServerError`]; when the server goes away, what was seen until then comes with it.
pub fn soak_through(
    server: &mut Server,
    frames: u32,
    task: &Task,
    meter: &SoakMeter,
    stop: &AtomicBool,
    mut watch: impl FnMut(&SoakMeter, f64) -> bool,
) -> Result<(Record, Option<ServerError>), ServerError> {
    let server = &*server;
    let record = WorkerRecord::new().map_err(|e| ServerError::Refused(e.to_string()))?;
    let work = server.call(|api, client| Soaking::new((api.clocks, client), frames, task, record, meter));
    // SAFETY: a plain question.
    let realtime = server.call(|api, client| unsafe { (api.is_realtime)(client) != 0 }).unwrap_or(false);
    let (took, changed) = take_part(server, &|| meter.miss(), work.ok_or(ServerError::Gone)?, || {
        wait(server, frames, task, meter, stop, &mut watch)
    })?;
    if !took.lost && !changed {
        return Err(ServerError::Refused(format!("a buffer of {frames} frames")));
    }
    let refused =
        if realtime { vec![] } else { vec!["no real-time priority (the server runs without)".into()] };
    let work = took.work;
    let record = Record {
        permission: Permission { realtime, locked: realtime, refused },
        blocks: work.block,
        late_blocks: work.late,
        runs: took.xruns,
        seconds: work.block as f64 * task.period_ns / 1e9,
        workers: vec![work.record],
        stopped: stop.load(Relaxed),
        clock_step_s: 0.0,
    };
    Ok((record, took.lost.then_some(ServerError::Gone)))
}

/// Gets the server to its block, then waits until the soak is over; whether the server took the block.
fn wait(
    server: &Server,
    frames: u32,
    task: &Task,
    meter: &SoakMeter,
    stop: &AtomicBool,
    watch: &mut impl FnMut(&SoakMeter, f64) -> bool,
) -> bool {
    let begun = crate::soak::now_ns();
    let seconds = || (crate::soak::now_ns() - begun) as f64 / 1e9;
    let gone = || server.gone().load(SeqCst);
    // PipeWire listens only to a client that has taken part for a moment, so it is asked until it does.
    while server.buffer() != frames && seconds() < PATIENCE_S && !gone() {
        let _ = server.ask_buffer(frames);
        std::thread::sleep(Duration::from_millis(200));
    }
    let changed = server.buffer() == frames;
    let from = seconds();
    let passed = || seconds() - from;
    while changed && !stop.load(Relaxed) && !gone() && passed() < task.seconds && watch(meter, passed()) {
        let left = (task.seconds - passed()).clamp(0.001, 0.1);
        std::thread::sleep(Duration::from_secs_f64(left));
    }
    changed
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::jack::active::tests::call;
    use crate::jack::active::{CallbackState, closed};
    use std::ffi::c_int;
    use std::sync::Arc;
    use swiftloop_core::soak::WorkPattern;
    use swiftloop_units::Micros;

    extern "C" fn time() -> u64 {
        crate::soak::now_ns() / 1000
    }

    unsafe extern "C" fn cycle_times(
        _: *mut Client,
        frame: *mut u32,
        due: *mut u64,
        next: *mut u64,
        period: *mut f32,
    ) -> c_int {
        let now = time();
        // SAFETY: the caller gives places for the answers.
        unsafe { (*frame, *due, *next, *period) = (1, now.saturating_sub(20), now + 1300, 1333.0) };
        0
    }

    #[test]
    fn callbacks_allocate_nothing_and_count_what_they_see() {
        let meter = SoakMeter::new(1);
        let task = Task {
            period_ns: 1_333_333.0,
            reserve: 1.0,
            seconds: 1.0,
            patterns: vec![WorkPattern { share: 1.0, work: vec![Micros::new(5.0)] }],
            frame_ns: 3.0,
        };
        let clocks = (CallbackClock { cycle_times, time }, std::ptr::null_mut());
        let work = Soaking::new(clocks, 64, &task, WorkerRecord::new().unwrap(), &meter);
        let missed = || meter.miss();
        let state = CallbackState::new(&Arc::default(), &missed, work);
        assert!(!call(&state, &[64; 200]));
        // A block of another size does not count.
        call(&state, &[128]);
        let work = (*closed(state).unwrap()).into_work();
        assert_eq!((work.block, work.record.exec.len(), meter.look()[0].blocks), (200, 200, 200));
    }
}
