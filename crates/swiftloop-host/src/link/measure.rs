//! Measuring a way: a greeting, then packets of the real size at the real pace, and beside them, if wanted, other traffic.

use super::clock::{steady_ns, wall_ahead, wall_ns};
use super::reflect::{RunningReflector, reflect};
use super::sender::{PacketPlan, SenderShared, probe};
use super::socket::{LinkError, Socket, Stamps};
use crate::soak::now_ns;
use std::net::SocketAddr;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use swiftloop_measure::link::exchange::{EchoedPacket, Exchange};
use swiftloop_measure::link::reflector::{Reflector, SequenceMemory};
use swiftloop_measure::link::stamp::{StampKey, StampReply, bare_length};

/// No more packets a second are sent, whatever is asked.
pub const MOST_PER_SECOND: f64 = 4000.0;
/// No more packets are sent in one measurement.
const MOST_PACKETS: f64 = 2e7;
/// Without an answer for so long only one packet a second is sent; and after so long none.
const SLOW_AFTER_NS: i64 = 3_000_000_000;
const STOP_AFTER_NS: i64 = 20_000_000_000;
/// What is sent last may come back for so long.
const LINGER: Duration = Duration::from_millis(1200);
/// How often is looked for what came.
const LOOK: Duration = Duration::from_millis(5);

#[derive(Debug, Clone)]
pub struct Ask {
    /// Where the reflector is.
    pub to: SocketAddr,
    /// One packet every so many nanoseconds.
    pub every_ns: u64,
    /// For so long at the most.
    pub lasts: Duration,
    /// Bytes behind the head of UDP.
    pub bytes: usize,
    /// How routers are asked to treat it (0 to 63).
    pub dscp: u8,
    pub key: Option<StampKey>,
    pub load: Option<TrafficPattern>,
}

/// Other traffic: on for so long, off for so long, and so on.
#[derive(Debug, Clone, Copy)]
pub struct TrafficPattern {
    pub kbit_s: f64,
    /// On and off for so long.
    pub turns: Duration,
}

/// What is known while it goes on.
#[derive(Debug, Clone, Copy)]
pub struct Progress {
    /// Packets that were sent.
    pub sent: usize,
    pub answered: usize,
    pub passed: Duration,
    /// The way of the last packet there and back, in nanoseconds.
    pub last_trip: i64,
}

/// A measurement as it was made.
#[derive(Debug)]
pub struct LineRun {
    /// What was sent and came back.
    pub exchange: Exchange,
    /// The kernel stamped packets.
    pub kernel_stamps: bool,
    /// The sender went ahead of all others.
    pub real_time: bool,
    /// The largest packet, with the head of IP, that goes there in one piece, as far as the system knows.
    pub largest_whole: Option<u32>,
    /// It was broken off: by whoever watched, or because nobody answered any more.
    pub broken_off: bool,
}

/// Measures. A few times a second `watch` is told how far it is, with all that came so far, and says whether to go on.
///
/// # Errors
/// [`LinkError`]: nobody answers, or not as it should; nothing but a greeting was sent then.
pub fn measure(
    ask: &Ask,
    stop: &AtomicBool,
    mut watch: impl FnMut(&Progress, &dyn Fn() -> Exchange) -> bool,
) -> Result<LineRun, LinkError> {
    let socket = Socket::connected(ask.to, Stamps::Both)?;
    socket.set_dscp(ask.to.is_ipv6(), ask.dscp);
    let mut greeted = Greeting { socket: &socket, ask, sent: 0 };
    let counts = greeted.greet()?;
    let before = greeted.sent;
    let every_ns = ask.every_ns.max((1e9 / MOST_PER_SECOND) as u64);
    let most = (ask.lasts.as_nanos() as f64 / every_ns as f64).ceil().clamp(1.0, MOST_PACKETS) as usize;
    let shared = SenderShared::for_packets(most);
    let session = 1 + (wall_ns() / 1_000_000 % 30_000) as u16 * 2;
    let stream =
        PacketPlan { socket: &socket.udp, key: ask.key.as_ref(), bytes: ask.bytes, session, every_ns };
    let turns = Mutex::new(Vec::new());
    let mut came = Came { ahead: wall_ahead(), ..Came::default() };
    let mut broken_off = false;
    std::thread::scope(|threads| {
        let sending = threads.spawn(|| stream.send(&shared));
        let loading = ask.load.map(|load| {
            let (stop, turns) = (&shared.stop, &turns);
            threads.spawn(move || send_load(ask, load, stop, turns))
        });
        let begun = steady_ns();
        let mut told = begun;
        while !sending.is_finished() {
            came.look(&socket, ask, session, &shared, before);
            let now = steady_ns();
            let silent = now - came.answers.last().map_or(begun, |a: &EchoedPacket| a.back.max(begun));
            shared.slow.store(silent > SLOW_AFTER_NS, Ordering::Relaxed);
            let given_up = silent > STOP_AFTER_NS;
            if now - told > 200_000_000 || given_up {
                told = now;
                let progress = came.progress(&shared, begun);
                let goes_on = watch(&progress, &|| came.exchange(&shared, &turns, counts));
                broken_off |= stop.load(Ordering::Relaxed) || given_up;
                if broken_off || !goes_on {
                    shared.stop.store(true, Ordering::Relaxed);
                }
            }
            std::thread::sleep(LOOK);
        }
        shared.stop.store(true, Ordering::Relaxed);
        drop(loading);
        let end = now_ns() + LINGER.as_nanos() as u64;
        while now_ns() < end && came.answers.len() < shared.count.load(Ordering::Acquire) {
            came.look(&socket, ask, session, &shared, before);
            std::thread::sleep(LOOK);
        }
    });
    Ok(LineRun {
        exchange: came.exchange(&shared, &turns, counts),
        kernel_stamps: socket.stamps && came.stamped > 0,
        real_time: shared.real_time.load(Ordering::Relaxed),
        largest_whole: socket.largest_whole(),
        broken_off,
    })
}

/// What came so far.
#[derive(Default)]
struct Came {
    answers: Vec<EchoedPacket>,
    strays: u64,
    /// When packets went by the kernel's word, where it said so: packet, moment.
    went: Vec<(usize, i64)>,
    stamped: usize,
    ahead: i64,
}

impl Came {
    /// Everything that has come since.
    fn look(&mut self, socket: &Socket, ask: &Ask, session: u16, shared: &SenderShared, before: u32) {
        let mut buffer = [0u8; 2048];
        self.ahead = wall_ahead();
        loop {
            match socket.receive(&mut buffer, false) {
                Ok(Some(got)) => {
                    let back = got.stamp.map_or_else(steady_ns, |wall| wall - self.ahead);
                    self.stamped += usize::from(got.stamp.is_some());
                    let bytes = &buffer[..got.length.min(buffer.len())];
                    match StampReply::read(bytes, ask.key.as_ref()) {
                        Ok(echo) if echo.session == session || echo.session == 0 => {
                            self.note(&echo, back, shared)
                        }
                        Ok(_) | Err(_) => self.strays += 1,
                    }
                }
                Ok(None) => break,
                // What the network says of a packet before (nobody listens there any more): silence tells it as well.
                Err(_) => break,
            }
        }
        while let Some((which, wall)) = socket.next_sent() {
            if let Some(k) = which.checked_sub(before).map(|k| k as usize).filter(|k| *k < shared.sent.len())
            {
                self.went.push((k, wall - self.ahead));
            }
        }
    }

    fn note(&mut self, echo: &StampReply, back: i64, shared: &SenderShared) {
        let near = back + self.ahead;
        // An answer names the time at which its packet was sent: one that names another is none of ours.
        let named = shared.named.get(echo.of_sequence as usize).map(|n| n.load(Ordering::Relaxed));
        // Some hand it back through a figure of a little less than 64 bits.
        const HANDED_BACK_NS: u64 = 20_000;
        let differs = |named: i64| named.abs_diff(echo.of_sent.unix_ns(echo.of_error.format, named));
        if named.is_none_or(|named| named == 0 || differs(named) > HANDED_BACK_NS) {
            self.strays += 1;
            return;
        }
        self.answers.push(EchoedPacket {
            number: u64::from(echo.of_sequence),
            counted: echo.sequence,
            there: echo.received.unix_ns(echo.error.format, near),
            left: echo.sent.unix_ns(echo.error.format, near),
            back,
        });
    }

    fn progress(&self, shared: &SenderShared, begun: i64) -> Progress {
        let last = self.answers.last();
        let sent_of =
            |a: &EchoedPacket| shared.sent.get(a.number as usize).map(|s| s.load(Ordering::Relaxed));
        Progress {
            sent: shared.count.load(Ordering::Acquire),
            answered: self.answers.len(),
            passed: Duration::from_nanos((steady_ns() - begun).max(0) as u64),
            last_trip: last.and_then(|a| Some(a.back - sent_of(a)?)).unwrap_or(0),
        }
    }

    fn exchange(
        &self,
        shared: &SenderShared,
        turns: &Mutex<Vec<(i64, i64)>>,
        counts: Option<bool>,
    ) -> Exchange {
        let count = shared.count.load(Ordering::Acquire);
        let mut sent: Vec<i64> = shared.sent[..count].iter().map(|s| s.load(Ordering::Relaxed)).collect();
        for (k, at) in &self.went {
            // The kernel notes it after the program did, and soon.
            const SOON_NS: std::ops::Range<i64> = -20_000..50_000_000;
            if let Some(sent) = sent.get_mut(*k).filter(|s| SOON_NS.contains(&(at - **s))) {
                *sent = *at;
            }
        }
        let loaded = turns.lock().unwrap_or_else(std::sync::PoisonError::into_inner).clone();
        Exchange { sent, answers: self.answers.clone(), loaded, strays: self.strays, counts }
    }
}

struct Greeting<'a> {
    socket: &'a Socket,
    ask: &'a Ask,
    /// Packets that were sent on this socket.
    sent: u32,
}

/// The session of a greeting.
const GREETING: u16 = 0x5357;

impl Greeting<'_> {
    /// Short packets first, then some of the real size; and whether the reflector counts its answers.
    fn greet(&mut self) -> Result<Option<bool>, LinkError> {
        let short = bare_length(self.ask.key.as_ref());
        let mut heard = Greeted::Nothing;
        let mut first = None;
        for number in 0..5 {
            heard = heard.or(self.one(number, short, Duration::from_millis(600))?);
            if let Greeted::Echo(echo) = heard {
                first = Some(echo);
                break;
            }
        }
        let Some(first) = first else {
            return Err(if matches!(heard, Greeted::Other) {
                LinkError::Foreign(self.ask.to)
            } else {
                LinkError::Silent(self.ask.to)
            });
        };
        // The same packet once more: who counts gives another number.
        let again =
            (0..3).find_map(|_| match self.one(first.of_sequence, short, Duration::from_millis(600)) {
                Ok(Greeted::Echo(echo)) if echo.of_sequence == first.of_sequence => {
                    Some(echo.sequence != first.sequence)
                }
                Ok(_) | Err(_) => None,
            });
        let full = |number| self.one(number, self.ask.bytes, Duration::from_millis(600));
        let through = (10..16).map(full).any(|heard| matches!(heard, Ok(Greeted::Echo(_))));
        if !through {
            return Err(LinkError::TooLarge { at: self.ask.to, bytes: self.ask.bytes });
        }
        Ok(again)
    }

    /// Sends one packet, and waits so long for its answer.
    #[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
    fn one(&mut self, number: u32, bytes: usize, wait: Duration) -> Result<Greeted, LinkError> {
        let packet = probe(number, GREETING).bytes(bytes, self.ask.key.as_ref());
        let refused = |e: std::io::Error| match e.kind() {
            std::io::ErrorKind::ConnectionRefused => LinkError::Refused(self.ask.to),
            _ => LinkError::CannotSend(self.ask.to, e),
        };
        self.socket.udp.send(&packet).map_err(refused)?;
        self.sent += 1;
        let end = now_ns() + wait.as_nanos() as u64;
        let mut buffer = [0u8; 2048];
        let mut heard = Greeted::Nothing;
        while let Some(left) = end.checked_sub(now_ns()).filter(|l| *l > 0) {
            self.socket.wait_at_most(Duration::from_nanos(left));
            let Some(got) = self.socket.receive(&mut buffer, true).map_err(refused)? else { continue };
            match StampReply::read(&buffer[..got.length.min(buffer.len())], self.ask.key.as_ref()) {
                Ok(echo) if echo.of_sequence == number => return Ok(Greeted::Echo(echo)),
                Ok(_) => {}
                Err(_) => heard = Greeted::Other,
            }
        }
        Ok(heard)
    }
}

/// What came of a greeting.
#[derive(Clone, Copy)]
enum Greeted {
    Nothing,
    Other,
    Echo(StampReply),
}

impl Greeted {
    fn or(self, other: Self) -> Self {
        match (self, other) {
            (Self::Other, Self::Nothing) => Self::Other,
            (_, other) => other,
        }
    }
}

/// Other traffic, to the same reflector from a socket of its own; each turn is noted. It ends when nothing of the first turn
/// comes back.
fn send_load(ask: &Ask, load: TrafficPattern, stop: &AtomicBool, turns: &Mutex<Vec<(i64, i64)>>) {
    const BYTES: usize = 1200;
    let Ok(socket) = Socket::connected(ask.to, Stamps::Arrivals) else { return };
    let every = (((BYTES + 66) * 8) as f64 / load.kbit_s.max(1.0) * 1e6) as u64;
    let packet = probe(0, GREETING).bytes(BYTES, ask.key.as_ref());
    let nap = |time: Duration| {
        let end = now_ns() + time.as_nanos() as u64;
        while now_ns() < end && !stop.load(Ordering::Relaxed) {
            std::thread::sleep(Duration::from_millis(20).min(Duration::from_nanos(end - now_ns().min(end))));
        }
    };
    let mut buffer = [0u8; 2048];
    while !stop.load(Ordering::Relaxed) {
        nap(load.turns);
        let (begun, end) = (steady_ns(), now_ns() + load.turns.as_nanos() as u64);
        let (mut due, mut heard) = (now_ns(), 0usize);
        while now_ns() < end && !stop.load(Ordering::Relaxed) {
            let _ = socket.udp.send(&packet);
            while let Ok(Some(_)) = socket.receive(&mut buffer, false) {
                heard += 1;
            }
            due = (due + every).max(now_ns().saturating_sub(5 * every));
            std::thread::sleep(Duration::from_nanos(due.saturating_sub(now_ns())));
        }
        turns.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push((begun, steady_ns()));
        if heard == 0 {
            return;
        }
    }
}

/// What this computer adds by itself: the same packets to a reflector within it, for a moment.
///
/// # Errors
/// [`LinkError`]: not even that can be had.
pub fn own(ask: &Ask, lasts: Duration) -> Result<LineRun, LinkError> {
    let here = if ask.to.is_ipv6() { "[::1]:0" } else { "127.0.0.1:0" };
    let here: SocketAddr = here.parse().map_err(|_| LinkError::NoSuchHost(here.into()))?;
    let mut listening =
        RunningReflector::on(here, Reflector::new(SequenceMemory::Stateful, ask.key.clone(), 10_000))?;
    let to = listening.address().map_err(|e| LinkError::CannotListen(here, e))?;
    let stop = AtomicBool::new(false);
    std::thread::scope(|threads| {
        threads.spawn(|| reflect(&mut listening, None, &stop, |_, _| {}));
        let made = measure(&Ask { to, lasts, load: None, ..ask.clone() }, &stop, |_, _| true);
        stop.store(true, Ordering::Relaxed);
        made
    })
}
