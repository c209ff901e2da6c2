//! The thread that sends at the pace of sound: nothing but waiting, the clock and one system call for each packet.

use super::clock::{steady_ns, wall_ns};
use crate::soak::{no_slack, now_ns, realtime, sleep_until};
use std::net::UdpSocket;
use std::sync::atomic::{AtomicBool, AtomicI64, AtomicUsize, Ordering};
use swiftloop_measure::link::stamp::{ErrorEstimate, Stamp, StampKey, StampRequest, TimeFormat};

/// What the sender and who listens share.
#[derive(Debug)]
pub(super) struct SenderShared {
    /// When each packet was sent, by the steady clock; none of them before its turn.
    pub sent: Box<[AtomicI64]>,
    /// The time of day that each names, in nanoseconds since 1970: an answer has to name the same.
    pub named: Box<[AtomicI64]>,
    /// How many were sent.
    pub count: AtomicUsize,
    /// No more are to be sent.
    pub stop: AtomicBool,
    /// Nobody answers: one a second, to see whether somebody does again.
    pub slow: AtomicBool,
    /// The thread goes ahead of all others.
    pub real_time: AtomicBool,
    /// The system could not take a packet.
    pub not_taken: AtomicUsize,
}

impl SenderShared {
    pub(super) fn for_packets(most: usize) -> Self {
        Self {
            named: (0..most).map(|_| AtomicI64::new(0)).collect(),
            sent: (0..most).map(|_| AtomicI64::new(0)).collect(),
            count: AtomicUsize::new(0),
            stop: AtomicBool::new(false),
            slow: AtomicBool::new(false),
            real_time: AtomicBool::new(false),
            not_taken: AtomicUsize::new(0),
        }
    }
}

/// What is sent, and how often.
pub(super) struct PacketPlan<'a> {
    pub socket: &'a UdpSocket,
    pub key: Option<&'a StampKey>,
    pub bytes: usize,
    pub session: u16,
    pub every_ns: u64,
}

/// The stamp of a probe that is sent now.
pub(super) fn probe(sequence: u32, session: u16) -> StampRequest {
    probe_at(sequence, session, wall_ns())
}

fn probe_at(sequence: u32, session: u16, wall: i64) -> StampRequest {
    // What the RFC takes where nothing else was agreed on.
    let format = TimeFormat::Ntp;
    let error = ErrorEstimate::unsynchronised(format);
    StampRequest { sequence, sent: Stamp::from_unix_ns(wall, format), error, session }
}

impl PacketPlan<'_> {
    /// Sends until told to stop, or until all are sent. A packet that is late by more than its time is left out, and does not
    /// go out together with the next.
    pub(super) fn send(&self, shared: &SenderShared) {
        const SLOW_NS: u64 = 1_000_000_000;
        shared.real_time.store(realtime().is_ok(), Ordering::Relaxed);
        no_slack();
        let mut packet = probe(0, self.session).bytes(self.bytes, self.key);
        let mut due = now_ns() + 2_000_000;
        for (k, sent) in shared.sent.iter().enumerate() {
            sleep_until(due);
            if shared.stop.load(Ordering::Relaxed) {
                return;
            }
            let wall = wall_ns();
            shared.named[k].store(wall, Ordering::Relaxed);
            probe_at(k as u32, self.session, wall).write(&mut packet, self.key);
            sent.store(steady_ns(), Ordering::Relaxed);
            if self.socket.send(&packet).is_err() {
                shared.not_taken.fetch_add(1, Ordering::Relaxed);
            }
            shared.count.store(k + 1, Ordering::Release);
            due += if shared.slow.load(Ordering::Relaxed) { SLOW_NS } else { self.every_ns };
            if due < now_ns() {
                due = now_ns() + self.every_ns;
            }
        }
    }
}
