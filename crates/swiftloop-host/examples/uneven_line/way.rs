//! One way of the line: what arrives waits in order of when it is due, and goes out then.

use crate::asked::Manner;
use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::net::{SocketAddr, UdpSocket};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};
use swiftloop_measure::link::stamp::{Stamp, StampReply};

/// Where a packet goes.
#[derive(Clone)]
pub enum To {
    Connected(Arc<UdpSocket>),
    Address(Arc<UdpSocket>, SocketAddr),
}

/// A clock that seems to run faster or slower than it does.
#[derive(Clone, Copy)]
pub struct Clock {
    pub begun: Instant,
    pub ppm: f64,
}

struct Packet {
    due: Instant,
    order: u64,
    came: Instant,
    bytes: Vec<u8>,
    to: To,
}

impl PartialEq for Packet {
    fn eq(&self, other: &Self) -> bool {
        self.order == other.order
    }
}
impl Eq for Packet {}
impl PartialOrd for Packet {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Packet {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        (self.due, self.order).cmp(&(other.due, other.order))
    }
}

struct State {
    waiting: BinaryHeap<Reverse<Packet>>,
    random: fastrand::Rng,
    losing: u32,
    order: u64,
    last_due: Option<Instant>,
    free_from: Option<Instant>,
}

pub struct Way {
    manner: Manner,
    name: &'static str,
    log: Arc<Mutex<Vec<String>>>,
    state: Mutex<State>,
    news: Condvar,
}

fn open<T>(lock: &Mutex<T>) -> MutexGuard<'_, T> {
    lock.lock().unwrap_or_else(PoisonError::into_inner)
}

/// This thread goes ahead of ordinary ones, where that may be had.
pub fn ahead_of_all() {
    #[cfg(target_os = "linux")]
    {
        let wish = libc::sched_param { sched_priority: 80 };
        // SAFETY: the thread is this one and `wish` is valid for the call.
        unsafe { libc::pthread_setschedparam(libc::pthread_self(), libc::SCHED_FIFO, &raw const wish) };
        let _ = rustix::thread::set_current_timer_slack(std::num::NonZeroU64::new(1));
    }
}

impl Way {
    pub fn new(manner: Manner, seed: u64, name: &'static str, log: Arc<Mutex<Vec<String>>>) -> Self {
        let state = State {
            waiting: BinaryHeap::new(),
            random: fastrand::Rng::with_seed(seed),
            losing: 0,
            order: 0,
            last_due: None,
            free_from: None,
        };
        Self { manner, name, log, state: Mutex::new(state), news: Condvar::new() }
    }

    pub fn take(&self, bytes: &[u8], came: Instant, to: To) {
        let m = self.manner;
        let mut state = open(&self.state);
        if state.losing == 0 && state.random.f64() < m.loss / f64::from(m.run.max(1)) {
            state.losing = m.run.max(1);
        }
        if state.losing > 0 {
            state.losing -= 1;
            self.note(bytes, None);
            return;
        }
        let exponential = |r: &mut fastrand::Rng, mean: f64| -mean * (1.0 - r.f64()).ln();
        let mut ms = m.floor_ms + exponential(&mut state.random, m.mean_ms);
        if state.random.f64() < m.heavy {
            ms += exponential(&mut state.random, m.heavy_ms);
        }
        let mut due = came + Duration::from_secs_f64(ms / 1e3);
        if m.kbit_s > 0.0 {
            // A token bucket with a queue of a fifth of a second.
            let takes = Duration::from_secs_f64((bytes.len() + 66) as f64 * 8.0 / m.kbit_s / 1e3);
            let free = state.free_from.map_or(came, |free| free.max(came));
            if free - came > Duration::from_millis(200) {
                self.note(bytes, None);
                return;
            }
            state.free_from = Some(free + takes);
            due = due.max(free + takes);
        }
        if !m.overtake {
            due = state.last_due.map_or(due, |last| due.max(last));
            state.last_due = Some(due);
        }
        let times = if state.random.f64() < m.twice { 2 } else { 1 };
        for _ in 0..times {
            let order = state.order;
            state.order += 1;
            state.waiting.push(Reverse(Packet { due, order, came, bytes: bytes.to_vec(), to: to.clone() }));
        }
        drop(state);
        self.news.notify_one();
    }

    pub fn wake(&self) {
        self.news.notify_all();
    }

    fn note(&self, bytes: &[u8], delay: Option<Duration>) {
        // The number of the probe, which an answer names behind its own.
        let at = if self.name == "forth" { 0 } else { 24 };
        let number = bytes.get(at..at + 4).map_or(0, |b| u32::from_be_bytes([b[0], b[1], b[2], b[3]]));
        let session = bytes.get(14..16).map_or(0, |b| u16::from_be_bytes([b[0], b[1]]));
        let delay = delay.map_or(String::new(), |d| format!("{:.1}", d.as_secs_f64() * 1e6));
        open(&self.log).push(format!("{},{session},{number},{delay}", self.name));
    }

    /// The thread that lets packets go when they are due.
    pub fn deliver(self: &Arc<Self>, stop: Arc<AtomicBool>, clock: Option<Clock>) -> JoinHandle<()> {
        let way = Arc::clone(self);
        std::thread::spawn(move || {
            ahead_of_all();
            while let Some(mut packet) = way.next(&stop) {
                if let Some(clock) = clock.filter(|c| c.ppm != 0.0) {
                    packet.bytes = clock.skewed(&packet.bytes);
                }
                let sent = Instant::now();
                let _ = match &packet.to {
                    To::Connected(socket) => socket.send(&packet.bytes),
                    To::Address(socket, to) => socket.send_to(&packet.bytes, to),
                };
                way.note(&packet.bytes, Some(sent - packet.came));
            }
        })
    }

    /// The next packet that is due; none when it is time to stop.
    fn next(&self, stop: &AtomicBool) -> Option<Packet> {
        /// The last stretch is waited for awake.
        const AWAKE: Duration = Duration::from_micros(60);
        let mut state = open(&self.state);
        loop {
            if stop.load(Ordering::Relaxed) {
                return None;
            }
            let Some(Reverse(first)) = state.waiting.peek() else {
                state = self
                    .news
                    .wait_timeout(state, Duration::from_millis(50))
                    .unwrap_or_else(PoisonError::into_inner)
                    .0;
                continue;
            };
            let due = first.due;
            match due.checked_duration_since(Instant::now()) {
                Some(left) if left > AWAKE => {
                    let wait = (left - AWAKE).min(Duration::from_millis(50));
                    state = self.news.wait_timeout(state, wait).unwrap_or_else(PoisonError::into_inner).0;
                }
                Some(_) => {
                    drop(state);
                    while Instant::now() < due {
                        std::hint::spin_loop();
                    }
                    state = open(&self.state);
                    return state.waiting.pop().map(|p| p.0);
                }
                None => return state.waiting.pop().map(|p| p.0),
            }
        }
    }
}

impl Clock {
    /// An answer whose times are those of a clock that runs faster.
    fn skewed(&self, bytes: &[u8]) -> Vec<u8> {
        let Ok(echo) = StampReply::read(bytes, None) else { return bytes.to_vec() };
        let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap_or_default();
        let near = now.as_nanos() as i64;
        let since = self.begun.elapsed().as_nanos() as i64;
        let moved = |stamp: Stamp| {
            let at = stamp.unix_ns(echo.error.format, near);
            let after = (since - (near - at)) as f64;
            Stamp::from_unix_ns(at + (after * self.ppm * 1e-6) as i64, echo.error.format)
        };
        let changed = StampReply { sent: moved(echo.sent), received: moved(echo.received), ..echo };
        let mut out = changed.bytes(bytes, None);
        out.truncate(bytes.len());
        out
    }
}
