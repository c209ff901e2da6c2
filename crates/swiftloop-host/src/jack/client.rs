//! A soak as a client of the server: the server wakes us, its xruns count. What the library's threads share with ours is
//! atomic; what the process callback works on is its own until it can run no more, and only then looked at.

use super::library::{Client, Clocks};
use super::server::{Server, ServerError};
use crate::soak::{Filters, Meter, Permission, Record, Schedule, Task, WorkerRecord};
use std::cell::UnsafeCell;
use std::ffi::{c_int, c_void};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed, Ordering::SeqCst};
use std::time::Duration;

/// How long a server may take to change its block.
const PATIENCE_S: f64 = 3.0;
/// How long a callback of a dying server is waited for.
const LAST_BLOCK: Duration = Duration::from_secs(2);

/// What our callbacks are called with.
struct State<'a> {
    shared: Shared<'a>,
    /// Only the process callback looks in here while [`Shared::closed`] is false; nobody else before it has left.
    work: UnsafeCell<Work>,
}

/// What all threads see.
struct Shared<'a> {
    meter: &'a Meter,
    xruns: AtomicU64,
    gone: Arc<AtomicBool>,
    /// The process callback is at work.
    inside: AtomicBool,
    /// From now on it does nothing any more.
    closed: AtomicBool,
}

/// What the process callback works on.
struct Work {
    clocks: Clocks,
    client: *mut Client,
    schedule: Schedule,
    section_ns: f64,
    record: WorkerRecord,
    filters: Filters,
    block: u64,
    late: u64,
    first_us: Option<u64>,
    /// Only blocks of so many frames count: a server may take a moment to change.
    frames: u32,
}

impl Work {
    fn new(clocks: Clocks, client: *mut Client, frames: u32, task: &Task, record: WorkerRecord) -> Self {
        Self {
            clocks,
            client,
            schedule: Schedule::new(task, 1),
            section_ns: task.section_ns,
            record,
            filters: Filters::default(),
            block: 0,
            late: 0,
            first_us: None,
            frames,
        }
    }

    /// One block: no allocation, no lock, no system call but the clock.
    fn block(&mut self, shared: &Shared<'_>) {
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
        self.record.block(self.block, second, known.then_some(wake), exec, frames as f64 * self.section_ns);
        shared.meter.count(0, wake, exec);
        // SAFETY: a plain question.
        if known && unsafe { (self.clocks.time)() } > next {
            self.late += 1;
        }
    }
}

/// The client takes part while this lives; when it goes, also in a panic, it takes part no more.
struct Active<'s> {
    server: &'s Server,
}

impl<'s> Active<'s> {
    /// Registers the callbacks and activates the client.
    ///
    /// # Safety
    /// `state` has to stay where it is until this is dropped, and for good when the server goes away meanwhile.
    unsafe fn new(server: &'s Server, state: &State<'_>) -> Option<Self> {
        let pointer = std::ptr::from_ref(state).cast::<c_void>().cast_mut();
        // SAFETY: the client is open; the caller keeps the state in place.
        let activated = server.call(|api, client| unsafe {
            (api.on_process)(client, process, pointer);
            (api.on_xrun)(client, xrun, pointer);
            (api.on_shutdown)(client, shutdown, pointer);
            (api.activate)(client) == 0
        });
        // A server that will not have a client that it opened is no more.
        activated.filter(|yes| *yes).map(|_| Self { server })
    }
}

impl Drop for Active<'_> {
    fn drop(&mut self) {
        // SAFETY: the client is open; once inactive, no callback runs any more.
        self.server.call(|api, client| unsafe { (api.deactivate)(client) });
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
    meter: &Meter,
    stop: &AtomicBool,
    mut watch: impl FnMut(&Meter, f64) -> bool,
) -> Result<(Record, Option<ServerError>), ServerError> {
    let server = &*server;
    let record = WorkerRecord::new().map_err(|e| ServerError::Refused(e.to_string()))?;
    let work = server.call(|api, client| Work::new(api.clocks, client, frames, task, record));
    let state = Box::new(State {
        shared: Shared {
            meter,
            xruns: AtomicU64::new(0),
            gone: Arc::clone(server.gone()),
            inside: AtomicBool::new(false),
            closed: AtomicBool::new(false),
        },
        work: UnsafeCell::new(work.ok_or(ServerError::Gone)?),
    });
    // SAFETY: a plain question.
    let realtime = server.call(|api, client| unsafe { (api.is_realtime)(client) != 0 }).unwrap_or(false);
    // SAFETY: the box is kept until the guard is dropped, and leaked below when the server goes.
    let active = unsafe { Active::new(server, &state) };
    if active.is_none() {
        server.gone().store(true, SeqCst);
    }
    let changed = wait(server, frames, task, meter, stop, &mut watch);
    // While the server lives this ends the callbacks; if it is gone they end themselves.
    drop(active);
    let lost = server.gone().load(SeqCst);
    let Some(state) = closed(state) else {
        return Err(ServerError::Gone);
    };
    if !lost && !changed {
        return Err(ServerError::Refused(format!("a buffer of {frames} frames")));
    }
    // SAFETY: no callback is at work, and none will be.
    let work = unsafe { &*state.work.get() };
    let refused =
        if realtime { vec![] } else { vec!["no real-time priority (the server runs without)".into()] };
    let record = Record {
        permission: Permission { realtime, locked: realtime, refused },
        blocks: work.block,
        late_blocks: work.late,
        runs: state.shared.xruns.load(Relaxed),
        workers: vec![work.record.clone()],
        seconds: work.block as f64 * task.period_ns / 1e9,
        stopped: stop.load(Relaxed),
        clock_step_s: 0.0,
    };
    if lost {
        // Its threads may still come with our pointer: what it points to stays for good.
        std::mem::forget(state);
    }
    Ok((record, lost.then_some(ServerError::Gone)))
}

/// Gets the server to its block, then waits until the soak is over; whether the server took the block.
fn wait(
    server: &Server,
    frames: u32,
    task: &Task,
    meter: &Meter,
    stop: &AtomicBool,
    watch: &mut impl FnMut(&Meter, f64) -> bool,
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

/// Closes the door to the process callback and waits until it has left. Nothing when it does not: then the state stays
/// where it is for good.
fn closed(state: Box<State<'_>>) -> Option<Box<State<'_>>> {
    state.shared.closed.store(true, SeqCst);
    let patience = std::time::Instant::now() + LAST_BLOCK;
    while state.shared.inside.load(SeqCst) {
        if std::time::Instant::now() > patience {
            std::mem::forget(state);
            return None;
        }
        std::thread::sleep(Duration::from_millis(1));
    }
    Some(state)
}

unsafe extern "C" fn process(frames: u32, state: *mut c_void) -> c_int {
    // SAFETY: the pointer is that of a state that stays in place while callbacks can come.
    let state = unsafe { &*state.cast::<State<'_>>() };
    state.shared.inside.store(true, SeqCst);
    if !state.shared.closed.load(SeqCst) && !state.shared.gone.load(SeqCst) {
        // SAFETY: the server calls this on one thread at a time, and the door is open: nobody else looks at the work.
        let work = unsafe { &mut *state.work.get() };
        if frames == work.frames {
            work.block(&state.shared);
        }
    }
    state.shared.inside.store(false, SeqCst);
    0
}

unsafe extern "C" fn xrun(state: *mut c_void) -> c_int {
    // SAFETY: as in `process`; only what is shared is touched.
    let shared = unsafe { &(*state.cast::<State<'_>>()).shared };
    shared.xruns.fetch_add(1, Relaxed);
    shared.meter.miss();
    0
}

unsafe extern "C" fn shutdown(state: *mut c_void) {
    // SAFETY: as in `process`; only what is shared is touched.
    unsafe { (*state.cast::<State<'_>>()).shared.gone.store(true, SeqCst) };
}

#[cfg(test)]
mod tests {
    use super::*;
    use swiftloop_core::soak::WorkPattern;
    use swiftloop_core::units::Micros;

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

    fn state<'a>(meter: &'a Meter) -> Box<State<'a>> {
        let task = Task {
            period_ns: 1_333_333.0,
            reserve: 1.0,
            seconds: 1.0,
            patterns: vec![WorkPattern { share: 1.0, work: vec![Micros::new(5.0)] }],
            section_ns: 3.0,
        };
        let clocks = Clocks { cycle_times, time };
        let work = Work::new(clocks, std::ptr::null_mut(), 64, &task, WorkerRecord::new().unwrap());
        Box::new(State {
            shared: Shared {
                meter,
                xruns: AtomicU64::new(0),
                gone: Arc::default(),
                inside: AtomicBool::new(false),
                closed: AtomicBool::new(false),
            },
            work: UnsafeCell::new(work),
        })
    }

    #[test]
    fn callbacks_allocate_nothing_and_count_what_they_see() {
        let meter = Meter::new(1);
        let state = state(&meter);
        let pointer = std::ptr::from_ref(&*state).cast::<c_void>().cast_mut();
        let before = crate::counting::asked();
        for _ in 0..200 {
            // SAFETY: the pointer is that of a state, and this is the only thread.
            unsafe { process(64, pointer) };
        }
        // SAFETY: as above.
        unsafe {
            process(128, pointer); // a block of another size does not count
            xrun(pointer);
        }
        assert_eq!(crate::counting::asked(), before);
        let state = closed(state).unwrap();
        // SAFETY: no callback is at work.
        let work = unsafe { &*state.work.get() };
        assert_eq!((work.block, work.record.exec.len(), state.shared.xruns.load(Relaxed)), (200, 200, 1));
        assert_eq!((meter.misses(), meter.look()[0].blocks), (1, 200));
    }

    #[test]
    fn once_the_door_is_closed_or_the_server_gone_nothing_is_done_any_more() {
        for by_shutdown in [true, false] {
            let meter = Meter::new(1);
            let state = state(&meter);
            let pointer = std::ptr::from_ref(&*state).cast::<c_void>().cast_mut();
            let state = if by_shutdown {
                // SAFETY: the pointer is that of a state.
                unsafe { shutdown(pointer) };
                state
            } else {
                closed(state).unwrap()
            };
            // SAFETY: as above.
            unsafe { process(64, pointer) };
            // SAFETY: no callback is at work.
            assert_eq!(unsafe { (*state.work.get()).block }, 0);
        }
    }
}
