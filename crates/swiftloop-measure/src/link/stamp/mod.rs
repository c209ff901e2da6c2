//! Test packets of RFC 8762 (simple two-way active measurement), unauthenticated and authenticated. Bytes come in, what they
//! say goes out, and the other way round. A packet is a table of places (the RFC's figures, one constant a
//! field), so that reading and writing cannot disagree, and what is not there was refused before anybody reads it.
//!
//! Figures 2 to 5 of the RFC give the places; RFC 8972 names the two bytes behind the error estimate (the session's
//! identifier) and the fields that may follow the packet.

mod extra;
mod time;

pub use extra::{EXTRA_PADDING, echoed_extras, padding};
pub use time::{ErrorEstimate, Stamp, TimeFormat};

use hmac::{Hmac, KeyInit, Mac};
use sha2::Sha256;

/// A key for authenticated packets: HMAC-SHA-256, of which the first 128 bits are sent (RFC 8762, 4.4).
#[derive(Clone)]
pub struct StampKey(Hmac<Sha256>);

impl std::fmt::Debug for StampKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("StampKey(…)")
    }
}

impl StampKey {
    /// A key from its bytes, as many as there are; nothing for none at all.
    #[must_use]
    pub fn new(bytes: &[u8]) -> Option<Self> {
        if bytes.is_empty() {
            return None;
        }
        Hmac::new_from_slice(bytes).ok().map(Self)
    }

    fn signature(&self, covered: &[u8]) -> [u8; HMAC] {
        let full = self.0.clone().chain_update(covered).finalize().into_bytes();
        let mut short = [0; HMAC];
        short.copy_from_slice(&full[..HMAC]);
        short
    }

    /// Compares in a time that tells nothing.
    fn fits(&self, covered: &[u8], signature: &[u8]) -> bool {
        self.0.clone().chain_update(covered).verify_truncated_left(signature).is_ok()
    }
}

/// Bytes of the signature.
const HMAC: usize = 16;
/// Bytes of a packet without signature, in both directions.
pub const PLAIN: usize = 44;
/// Bytes of a packet with signature, in both directions.
pub const SIGNED: usize = 112;

/// Where the fields lie.
struct Places {
    length: usize,
    timestamp: usize,
    error: usize,
    session: usize,
    received: usize,
    their_sequence: usize,
    their_timestamp: usize,
    their_error: usize,
    ttl: usize,
}

/// Figures 2 and 4 of RFC 8762.
const PLAIN_PLACES: Places = Places {
    length: PLAIN,
    timestamp: 4,
    error: 12,
    session: 14,
    received: 16,
    their_sequence: 24,
    their_timestamp: 28,
    their_error: 36,
    ttl: 40,
};
/// Figures 3 and 5 of RFC 8762.
const SIGNED_PLACES: Places = Places {
    length: SIGNED,
    timestamp: 16,
    error: 24,
    session: 26,
    received: 32,
    their_sequence: 48,
    their_timestamp: 64,
    their_error: 72,
    ttl: 80,
};

fn places(key: Option<&StampKey>) -> &'static Places {
    if key.is_some() { &SIGNED_PLACES } else { &PLAIN_PLACES }
}

/// Bytes of the bare packet.
#[must_use]
pub fn bare_length(key: Option<&StampKey>) -> usize {
    places(key).length
}

/// What the one who measures sends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StampRequest {
    pub sequence: u32,
    /// When it was sent, by the sender's clock.
    pub sent: Stamp,
    /// How good that clock is.
    pub error: ErrorEstimate,
    /// Which measurement it belongs to (RFC 8972, 3).
    pub session: u16,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StampReply {
    /// The reflector's own number, or the probe's where it keeps none.
    pub sequence: u32,
    /// When it was sent back, by the reflector's clock.
    pub sent: Stamp,
    /// How good that clock is.
    pub error: ErrorEstimate,
    /// Which measurement it belongs to.
    pub session: u16,
    /// When the probe arrived, by the reflector's clock.
    pub received: Stamp,
    /// The probe's number.
    pub of_sequence: u32,
    /// The probe's time.
    pub of_sent: Stamp,
    /// The probe's error estimate.
    pub of_error: ErrorEstimate,
    /// Hops that the probe had left, of 255.
    pub of_ttl: u8,
}

/// Why bytes are no packet that counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StampRefusal {
    /// Shorter than the bare packet.
    TooShort,
    /// The signature does not fit the key.
    WrongSignature,
    /// A clock's error has a multiplier of zero, which the RFC forbids.
    NoError,
}

fn u32_at(bytes: &[u8], at: usize) -> u32 {
    bytes[at..at + 4].iter().fold(0, |n, b| (n << 8) | u32::from(*b))
}

fn u16_at(bytes: &[u8], at: usize) -> u16 {
    u16::from_be_bytes([bytes[at], bytes[at + 1]])
}

fn stamp_at(bytes: &[u8], at: usize) -> Stamp {
    Stamp { seconds: u32_at(bytes, at), fraction: u32_at(bytes, at + 4) }
}

fn put(bytes: &mut [u8], at: usize, what: &[u8]) {
    bytes[at..at + what.len()].copy_from_slice(what);
}

fn put_stamp(bytes: &mut [u8], at: usize, stamp: Stamp) {
    put(bytes, at, &stamp.seconds.to_be_bytes());
    put(bytes, at + 4, &stamp.fraction.to_be_bytes());
}

/// The bare packet, once its length and signature are right.
fn checked<'b>(bytes: &'b [u8], key: Option<&StampKey>) -> Result<&'b [u8], StampRefusal> {
    let bare = bytes.get(..places(key).length).ok_or(StampRefusal::TooShort)?;
    match key {
        Some(key) if !key.fits(&bare[..SIGNED - HMAC], &bare[SIGNED - HMAC..]) => {
            Err(StampRefusal::WrongSignature)
        }
        Some(_) | None => Ok(bare),
    }
}

fn sign(bytes: &mut [u8], key: Option<&StampKey>) {
    if let Some(key) = key {
        let signature = key.signature(&bytes[..SIGNED - HMAC]);
        put(bytes, SIGNED - HMAC, &signature);
    }
}

impl StampRequest {
    /// As bytes, `length` of them: what goes beyond the bare packet is padding that carries no meaning. A length that has no
    /// room for padding gives the bare packet.
    #[must_use]
    pub fn bytes(&self, length: usize, key: Option<&StampKey>) -> Vec<u8> {
        let mut bytes = vec![0; places(key).length];
        self.write(&mut bytes, key);
        bytes.extend(padding(length.saturating_sub(bytes.len())));
        bytes
    }

    /// Puts this probe into the packet that [`StampRequest::bytes`] made: nothing is allocated.
    pub fn write(&self, bytes: &mut [u8], key: Option<&StampKey>) {
        let p = places(key);
        put(bytes, 0, &self.sequence.to_be_bytes());
        put_stamp(bytes, p.timestamp, self.sent);
        put(bytes, p.error, &self.error.bits().to_be_bytes());
        put(bytes, p.session, &self.session.to_be_bytes());
        sign(bytes, key);
    }

    /// Reads one.
    ///
    /// # Errors
    /// [`StampRefusal`]: it is none.
    pub fn read(bytes: &[u8], key: Option<&StampKey>) -> Result<Self, StampRefusal> {
        let (bare, p) = (checked(bytes, key)?, places(key));
        Ok(Self {
            sequence: u32_at(bare, 0),
            sent: stamp_at(bare, p.timestamp),
            error: ErrorEstimate::read(u16_at(bare, p.error)).ok_or(StampRefusal::NoError)?,
            session: u16_at(bare, p.session),
        })
    }
}

impl StampReply {
    /// The answer to a probe's bytes: just as long as they are, with what followed the bare packet behind it.
    #[must_use]
    pub fn bytes(&self, probe: &[u8], key: Option<&StampKey>) -> Vec<u8> {
        let p = places(key);
        let mut bytes = vec![0; p.length];
        put(&mut bytes, 0, &self.sequence.to_be_bytes());
        put_stamp(&mut bytes, p.timestamp, self.sent);
        put(&mut bytes, p.error, &self.error.bits().to_be_bytes());
        put(&mut bytes, p.session, &self.session.to_be_bytes());
        put_stamp(&mut bytes, p.received, self.received);
        put(&mut bytes, p.their_sequence, &self.of_sequence.to_be_bytes());
        put_stamp(&mut bytes, p.their_timestamp, self.of_sent);
        put(&mut bytes, p.their_error, &self.of_error.bits().to_be_bytes());
        bytes[p.ttl] = self.of_ttl;
        sign(&mut bytes, key);
        bytes.extend(echoed_extras(probe.get(p.length..).unwrap_or_default()));
        bytes
    }

    /// Reads one.
    ///
    /// # Errors
    /// [`StampRefusal`]: it is none.
    pub fn read(bytes: &[u8], key: Option<&StampKey>) -> Result<Self, StampRefusal> {
        let (bare, p) = (checked(bytes, key)?, places(key));
        let error = |at| ErrorEstimate::read(u16_at(bare, at)).ok_or(StampRefusal::NoError);
        Ok(Self {
            sequence: u32_at(bare, 0),
            sent: stamp_at(bare, p.timestamp),
            error: error(p.error)?,
            session: u16_at(bare, p.session),
            received: stamp_at(bare, p.received),
            of_sequence: u32_at(bare, p.their_sequence),
            of_sent: stamp_at(bare, p.their_timestamp),
            of_error: error(p.their_error)?,
            of_ttl: bare[p.ttl],
        })
    }
}
