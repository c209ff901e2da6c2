//! A soak as a client of the server: the server wakes us, its xruns count.

use super::server::{Server, ServerError};
use crate::soak::{Filters, Meter, Permission, Record, Schedule, Task, WorkerRecord};
use std::ffi::{c_int, c_void};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed};
use std::time::Duration;

/// What the callbacks work on; lives until the client is no longer active.
struct State<'a> {
    server: &'a Server,
    schedule: Schedule,
    section_ns: f64,
    record: WorkerRecord,
    filters: Filters,
    meter: &'a Meter,
    block: u64,
    late: u64,
    /// Told by other threads of the library.
    xruns: AtomicU64,
    gone: AtomicBool,
    first_us: Option<u64>,
    /// Only blocks of so many frames count: a server may take a moment to change.
    frames: u32,
}

/// How long a server may take to change its block.
const PATIENCE_S: f64 = 3.0;

/// Soaks as a client at a block of `frames` until the time is over, `stop` is set, or `watch` says no. The patterns of `task` belong to the
/// server's present block. One worker: the server calls each client on one thread.
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
    let refused = |what: &str| ServerError::Refused(what.into());
    let begun = crate::soak::now_ns();
    let record = WorkerRecord::new().map_err(|e| refused(&e.to_string()))?;
    let mut state = Box::new(State {
        server,
        schedule: Schedule::new(task, 1),
        section_ns: task.section_ns,
        record,
        filters: Filters::default(),
        meter,
        block: 0,
        late: 0,
        xruns: AtomicU64::new(0),
        gone: AtomicBool::new(false),
        first_us: None,
        frames,
    });
    let pointer: *mut c_void = (&raw mut *state).cast();
    let (api, client) = (&server.api, server.client);
    // SAFETY: a plain question.
    let realtime = unsafe { (api.is_realtime)(client) != 0 };
    // SAFETY: `state` stays in its box until the client is inactive (or the server gone, and with it its threads).
    unsafe {
        (api.on_process)(client, process, pointer);
        (api.on_xrun)(client, xrun, pointer);
        (api.on_shutdown)(client, shutdown, pointer);
    }
    // SAFETY: as above. A server that will not have a client that it opened is no more.
    let active = unsafe { (api.activate)(client) == 0 };
    // SAFETY: this thread and the library's only share what is atomic; the block itself is not looked at before the end.
    let gone = unsafe { &(*pointer.cast::<State<'_>>()).gone };
    if !active {
        gone.store(true, Relaxed);
    }
    let seconds = || (crate::soak::now_ns() - begun) as f64 / 1e9;
    // PipeWire listens only to a client that has taken part for a moment, so it is asked until it does.
    while server.buffer() != frames && seconds() < PATIENCE_S && !gone.load(Relaxed) {
        let _ = server.ask_buffer(frames);
        std::thread::sleep(Duration::from_millis(200));
    }
    let changed = server.buffer() == frames;
    let from = seconds();
    let passed = || seconds() - from;
    while changed
        && !stop.load(Relaxed)
        && !gone.load(Relaxed)
        && passed() < task.seconds
        && watch(meter, passed())
    {
        let left = (task.seconds - passed()).clamp(0.001, 0.1);
        std::thread::sleep(Duration::from_secs_f64(left));
    }
    let lost = gone.load(Relaxed);
    if !lost {
        // SAFETY: the client is open; once inactive, no callback runs any more.
        unsafe { (api.deactivate)(client) };
        if !changed {
            return Err(refused(&format!("a buffer of {frames} frames")));
        }
    }
    let seconds = state.block as f64 * task.period_ns / 1e9;
    let refused =
        if realtime { vec![] } else { vec!["no real-time priority (the server runs without)".into()] };
    let record = Record {
        permission: Permission { realtime, locked: realtime, refused },
        blocks: state.block,
        late_blocks: state.late,
        runs: state.xruns.load(Relaxed),
        workers: vec![state.record.clone()],
        seconds,
        stopped: stop.load(Relaxed),
        clock_step_s: 0.0,
    };
    if lost {
        // Its threads may still look at the state while they end: they get a moment, and it stays where it is.
        std::thread::sleep(Duration::from_millis(200));
        std::mem::forget(state);
    }
    server.gone = lost;
    Ok((record, lost.then_some(ServerError::Gone)))
}

unsafe extern "C" fn process(frames: u32, state: *mut c_void) -> c_int {
    // SAFETY: the pointer is that of the state, which only this thread changes while the client is active.
    let state = unsafe { &mut *state.cast::<State<'_>>() };
    if frames != state.frames {
        return 0;
    }
    let (api, client) = (&state.server.api, state.server.client);
    let (mut frame, mut due, mut next, mut period) = (0u32, 0u64, 0u64, 0f32);
    // SAFETY: called from the process callback, as the header asks, with places for the answers.
    let (known, woke) = unsafe {
        let known =
            (api.cycle_times)(client, &raw mut frame, &raw mut due, &raw mut next, &raw mut period) == 0;
        (known, (api.time)())
    };
    let from = crate::soak::now_ns();
    state.block += 1;
    let frames = state.schedule.frames(state.block, 0);
    state.filters.run(frames);
    let exec = crate::soak::now_ns() - from;
    let wake = woke.saturating_sub(due) * 1000;
    let first = *state.first_us.get_or_insert(due);
    let second = due.saturating_sub(first) / 1_000_000;
    state.record.block(state.block, second, known.then_some(wake), exec, frames as f64 * state.section_ns);
    state.meter.count(0, wake, exec);
    // SAFETY: a plain question.
    if known && unsafe { (api.time)() } > next {
        state.late += 1;
    }
    0
}

unsafe extern "C" fn xrun(state: *mut c_void) -> c_int {
    // SAFETY: only what is shared between threads is touched.
    let state = state.cast::<State<'_>>();
    unsafe {
        (*state).xruns.fetch_add(1, Relaxed);
        (*state).meter.miss();
    }
    0
}

unsafe extern "C" fn shutdown(state: *mut c_void) {
    // SAFETY: only what is shared between threads is touched.
    unsafe { (*state.cast::<State<'_>>()).gone.store(true, Relaxed) };
}
