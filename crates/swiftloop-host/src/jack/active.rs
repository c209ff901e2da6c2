//! Taking part in a server: whatever a client does in each block comes in, and is done on the server's thread while the client
//! takes part. What the library's threads share with ours is atomic; what the process callback works on is its own until
//! it can run no more, and only then looked at.

use super::server::{Server, ServerError};
use std::cell::UnsafeCell;
use std::ffi::{c_int, c_void};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed, Ordering::SeqCst};
use std::time::{Duration, Instant};

/// How long a callback of a dying server is waited for.
const LAST_BLOCK: Duration = Duration::from_secs(2);

/// What a client does in each block: no allocation, no lock, no system call but the clock.
pub(super) trait BlockTask {
    /// It works at all: who only listens is not woken in every block, where the server can do without.
    const WORKS: bool = true;
    /// So many frames are due.
    fn block(&mut self, frames: u32);
}

/// What all threads see.
pub(super) struct ClientShared<'a> {
    pub xruns: AtomicU64,
    /// Told of every xrun, on a thread of the library's.
    missed: &'a (dyn Fn() + Sync),
    gone: Arc<AtomicBool>,
    /// The process callback is at work.
    inside: AtomicBool,
    /// From now on it does nothing any more.
    closed: AtomicBool,
}

/// What our callbacks are called with.
pub(super) struct CallbackState<'a, W> {
    pub shared: ClientShared<'a>,
    /// Only the process callback looks in here while [`ClientShared::closed`] is false; nobody else before it has left.
    work: UnsafeCell<W>,
}

impl<'a, W: BlockTask> CallbackState<'a, W> {
    pub fn new(gone: &Arc<AtomicBool>, missed: &'a (dyn Fn() + Sync), work: W) -> Box<Self> {
        Box::new(Self {
            shared: ClientShared {
                xruns: AtomicU64::new(0),
                missed,
                gone: Arc::clone(gone),
                inside: AtomicBool::new(false),
                closed: AtomicBool::new(false),
            },
            work: UnsafeCell::new(work),
        })
    }

    /// The work, when no callback can be at it any more.
    pub fn into_work(self) -> W {
        self.work.into_inner()
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
    unsafe fn new<W: BlockTask>(server: &'s Server, state: &CallbackState<'_, W>) -> Option<Self> {
        // As a number, for the thread that asks.
        let address = std::ptr::from_ref(state).cast::<c_void>().expose_provenance();
        // SAFETY: the client is open; the caller keeps the state in place.
        let activated = server.ask(move |api, client| unsafe {
            let pointer = std::ptr::with_exposed_provenance_mut(address);
            if W::WORKS {
                (api.on_process)(client, process::<W>, pointer);
            }
            (api.on_xrun)(client, xrun::<W>, pointer);
            (api.on_shutdown)(client, shutdown::<W>, pointer);
            (api.activate)(client) == 0
        });
        // A server that will not have a client that it opened is no more.
        activated.filter(|yes| *yes).map(|_| Self { server })
    }
}

impl Drop for Active<'_> {
    fn drop(&mut self) {
        // SAFETY: the client is open; once inactive, no callback runs any more.
        self.server.ask(|api, client| unsafe { (api.deactivate)(client) });
    }
}

/// What came of taking part.
pub(super) struct Took<W> {
    pub work: W,
    pub xruns: u64,
    /// The server went away meanwhile.
    pub lost: bool,
}

/// Takes part for as long as `while_active` runs. BlockTask is handed back as it is after the last block; a copy of it when the server
/// went away, whose threads may still come with our pointer: what it points to stays for good then.
pub(super) fn take_part<W: BlockTask + Clone, R>(
    server: &Server,
    missed: &(dyn Fn() + Sync),
    work: W,
    while_active: impl FnOnce() -> R,
) -> Result<(Took<W>, R), ServerError> {
    let state = CallbackState::new(server.gone(), missed, work);
    // SAFETY: the box is kept until the guard is dropped, and leaked below when the server goes.
    let active = unsafe { Active::new(server, &state) };
    if active.is_none() {
        server.gone().store(true, SeqCst);
    }
    let answer = while_active();
    // While the server lives this ends the callbacks; if it is gone they end themselves.
    drop(active);
    let lost = server.gone().load(SeqCst);
    let Some(state) = closed(state) else { return Err(ServerError::Gone) };
    let xruns = state.shared.xruns.load(Relaxed);
    let work = if lost {
        // SAFETY: no callback is at work, and none will be.
        let work = unsafe { (*state.work.get()).clone() };
        std::mem::forget(state);
        work
    } else {
        (*state).into_work()
    };
    Ok((Took { work, xruns, lost }, answer))
}

/// Closes the door to the process callback and waits until it has left. Nothing when it does not: then the state stays
/// where it is for good.
pub(super) fn closed<'a, W>(state: Box<CallbackState<'a, W>>) -> Option<Box<CallbackState<'a, W>>> {
    state.shared.closed.store(true, SeqCst);
    let patience = Instant::now() + LAST_BLOCK;
    while state.shared.inside.load(SeqCst) {
        if Instant::now() > patience {
            std::mem::forget(state);
            return None;
        }
        std::thread::sleep(Duration::from_millis(1));
    }
    Some(state)
}

pub(super) unsafe extern "C" fn process<W: BlockTask>(frames: u32, state: *mut c_void) -> c_int {
    // SAFETY: the pointer is that of a state that stays in place while callbacks can come.
    let state = unsafe { &*state.cast::<CallbackState<'_, W>>() };
    state.shared.inside.store(true, SeqCst);
    if !state.shared.closed.load(SeqCst) && !state.shared.gone.load(SeqCst) {
        // SAFETY: the server calls this on one thread at a time, and the door is open: nobody else looks at the work.
        unsafe { (*state.work.get()).block(frames) };
    }
    state.shared.inside.store(false, SeqCst);
    0
}

unsafe extern "C" fn xrun<W>(state: *mut c_void) -> c_int {
    // SAFETY: as in `process`; only what is shared is touched.
    let shared = unsafe { &(*state.cast::<CallbackState<'_, W>>()).shared };
    shared.xruns.fetch_add(1, Relaxed);
    (shared.missed)();
    0
}

unsafe extern "C" fn shutdown<W>(state: *mut c_void) {
    // SAFETY: as in `process`; only what is shared is touched.
    unsafe { (*state.cast::<CallbackState<'_, W>>()).shared.gone.store(true, SeqCst) };
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;

    /// Calls the process callback as a server would; whether that asked for memory.
    pub fn call<W: BlockTask>(state: &CallbackState<'_, W>, blocks: &[u32]) -> bool {
        let pointer = std::ptr::from_ref(state).cast::<c_void>().cast_mut();
        let before = crate::counting::asked();
        for frames in blocks {
            // SAFETY: the pointer is that of a state, and this is the only thread.
            unsafe { process::<W>(*frames, pointer) };
        }
        crate::counting::asked() != before
    }

    struct Counting(u32);

    impl BlockTask for Counting {
        fn block(&mut self, frames: u32) {
            self.0 += frames;
        }
    }

    #[test]
    fn once_the_door_is_closed_or_the_server_gone_nothing_is_done_any_more() {
        for by_shutdown in [true, false] {
            let state = CallbackState::new(&Arc::default(), &|| (), Counting(0));
            assert!(!call(&state, &[64, 32]));
            let state = if by_shutdown {
                let pointer = std::ptr::from_ref(&*state).cast::<c_void>().cast_mut();
                // SAFETY: the pointer is that of a state.
                unsafe { shutdown::<Counting>(pointer) };
                state
            } else {
                closed(state).unwrap()
            };
            call(&state, &[64]);
            assert_eq!(state.work.into_inner().0, 96);
        }
    }

    #[test]
    fn xruns_are_counted_and_told() {
        let told = AtomicU64::new(0);
        let missed = || {
            told.fetch_add(1, Relaxed);
        };
        let state = CallbackState::new(&Arc::default(), &missed, Counting(0));
        // SAFETY: the pointer is that of a state.
        unsafe { xrun::<Counting>(std::ptr::from_ref(&*state).cast::<c_void>().cast_mut()) };
        assert_eq!((state.shared.xruns.load(Relaxed), told.load(Relaxed)), (1, 1));
    }
}
