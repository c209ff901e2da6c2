//! The one who answers. A packet's bytes, where it came from and when come in; the answer goes out, or nothing. Never more than was got, neither in bytes nor in number, and only so many a second: whatever arrives, nobody can be
//! hurt with what goes out.

use super::stamp::{ErrorEstimate, Stamp, StampKey, StampRefusal, StampReply, StampRequest, TimeFormat};
use std::collections::BTreeMap;
use std::net::SocketAddr;

/// Whether the reflector numbers what it answers (RFC 8762, 4.3).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SequenceMemory {
    /// It answers with the probe's number.
    Stateless,
    /// It counts what it answers, for each sender: then loss on the way there and on the way back can be told apart.
    Stateful,
}

/// Senders that are remembered at once; the one that was silent longest is forgotten.
const SENDERS: usize = 64;

/// What the reflector did with what it got.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct ReflectorTally {
    pub answered: u64,
    /// No packets of the standard.
    pub refused: u64,
    /// With a signature that does not fit.
    pub forged: u64,
    /// More than are answered in a second.
    pub over_limit: u64,
}

/// A packet that arrived.
#[derive(Debug, Clone, Copy)]
pub struct Arrived<'b> {
    /// Its bytes.
    pub bytes: &'b [u8],
    pub from: SocketAddr,
    /// When, in nanoseconds since 1970 by the reflector's clock.
    pub at: i64,
    /// Hops that it had left, where the system says so.
    pub ttl: Option<u8>,
}

/// The one who answers.
#[derive(Debug)]
pub struct Reflector {
    memory: SequenceMemory,
    key: Option<StampKey>,
    limit: RateLimit,
    senders: BTreeMap<(SocketAddr, u16), Sender>,
    tally: ReflectorTally,
}

#[derive(Debug)]
struct Sender {
    answered: u32,
    last: i64,
}

impl Reflector {
    /// One that answers at most `per_second` packets.
    #[must_use]
    pub fn new(memory: SequenceMemory, key: Option<StampKey>, per_second: u32) -> Self {
        let limit = RateLimit::new(f64::from(per_second.max(1)));
        Self { memory, key, limit, senders: BTreeMap::new(), tally: ReflectorTally::default() }
    }

    #[must_use]
    pub fn tally(&self) -> ReflectorTally {
        self.tally
    }

    /// How many senders it knows.
    #[must_use]
    pub fn senders(&self) -> usize {
        self.senders.len()
    }

    /// How long, in nanoseconds, nothing will be answered: nothing need be read until then. `now` is any clock that only
    /// goes forward.
    pub fn rests(&mut self, now: i64) -> Option<u64> {
        self.limit.empty_for(now)
    }

    /// The answer, if there is one; `now` is any clock that only goes forward, and `sent` the reflector's own at the last
    /// moment before the answer goes out.
    pub fn answer(&mut self, packet: &Arrived<'_>, now: i64, sent: impl FnOnce() -> i64) -> Option<Vec<u8>> {
        if !self.limit.take(now) {
            self.tally.over_limit += 1;
            return None;
        }
        let probe = match StampRequest::read(packet.bytes, self.key.as_ref()) {
            Ok(probe) => probe,
            Err(why) => {
                match why {
                    StampRefusal::WrongSignature => self.tally.forged += 1,
                    StampRefusal::TooShort | StampRefusal::NoError => self.tally.refused += 1,
                }
                return None;
            }
        };
        let sequence = match self.memory {
            SequenceMemory::Stateless => probe.sequence,
            SequenceMemory::Stateful => self.count((packet.from, probe.session), now),
        };
        // What the RFC takes where nothing else was agreed on.
        let format = TimeFormat::Ntp;
        let echo = StampReply {
            sequence,
            sent: Stamp::from_unix_ns(sent(), format),
            error: ErrorEstimate::unsynchronised(format),
            session: probe.session,
            received: Stamp::from_unix_ns(packet.at, format),
            of_sequence: probe.sequence,
            of_sent: probe.sent,
            of_error: probe.error,
            of_ttl: packet.ttl.unwrap_or(0),
        };
        self.tally.answered += 1;
        Some(echo.bytes(packet.bytes, self.key.as_ref()))
    }

    /// The next number for a sender.
    fn count(&mut self, who: (SocketAddr, u16), now: i64) -> u32 {
        if self.senders.len() >= SENDERS && !self.senders.contains_key(&who) {
            let oldest = self.senders.iter().min_by_key(|(_, s)| s.last).map(|(who, _)| *who);
            oldest.map(|who| self.senders.remove(&who));
        }
        let sender = self.senders.entry(who).or_insert(Sender { answered: 0, last: now });
        let number = sender.answered;
        sender.answered = sender.answered.wrapping_add(1);
        sender.last = now;
        number
    }
}

/// So many a second, and no more than a tenth of that at once.
#[derive(Debug)]
struct RateLimit {
    per_ns: f64,
    most: f64,
    left: f64,
    at: Option<i64>,
}

impl RateLimit {
    fn new(per_second: f64) -> Self {
        let most = (per_second / 10.0).max(1.0);
        Self { per_ns: per_second / 1e9, most, left: most, at: None }
    }

    fn fill(&mut self, now: i64) {
        let passed = self.at.map_or(0, |at| now.saturating_sub(at).max(0));
        self.left = (self.left + passed as f64 * self.per_ns).min(self.most);
        self.at = Some(now);
    }

    fn take(&mut self, now: i64) -> bool {
        self.fill(now);
        let free = self.left >= 1.0;
        if free {
            self.left -= 1.0;
        }
        free
    }

    fn empty_for(&mut self, now: i64) -> Option<u64> {
        self.fill(now);
        (self.left < 1.0).then(|| ((1.0 - self.left) / self.per_ns).ceil() as u64)
    }
}
