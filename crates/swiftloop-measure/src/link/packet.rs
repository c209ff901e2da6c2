//! What a packet carries, and what that takes of the line. Frames, channels and coding come in; bytes, line rate and the time
//! that a packet waits to be full go out. Small packets are early and mostly headers, large ones are late and
//! cheap; all of them are laid side by side.

use serde::{Deserialize, Serialize};
use swiftloop_units::{Block, Frames, Hz, Ms, Quantity};

/// How samples are written.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Coding {
    /// So many bits a sample, nothing squeezed.
    Bits(u32),
    /// Squeezed to so many kilobits a second in all.
    KilobitsPerSecond(f64),
}

/// Bytes before the sound: RTP (RFC 3550), UDP (RFC 768).
const RTP_UDP: u32 = 12 + 8;
/// IP version 4 (RFC 791) and 6 (RFC 8200).
const IP4: u32 = 20;
const IP6: u32 = 40;
/// Ethernet's head and check, preamble and gap (IEEE 802.3).
const ETHERNET: u32 = 18 + 20;
/// What Ethernet carries in one piece.
pub const USUAL_MTU: u32 = 1500;

/// A stream of packets.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stream {
    /// Frames in a packet.
    pub frames: Block,
    pub rate: Hz,
    pub channels: u32,
    /// How samples are written.
    pub coding: Coding,
    /// Over IP version 6.
    pub v6: bool,
}

/// What a packet is protected with against loss.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Spare {
    None,
    /// Each packet carries the one before once more.
    Twice,
    /// After four packets comes one from which any one of them can be made again.
    Parity,
}

/// Packets that one of parity goes with.
pub const PARITY_GROUP: u32 = 4;

impl Spare {
    /// All of them, the cheapest first.
    pub const ALL: [Self; 3] = [Self::None, Self::Parity, Self::Twice];

    /// The word in files and outputs.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Twice => "twice",
            Self::Parity => "parity",
        }
    }

    /// Packets by which what was lost comes later: the buffer has to be so much longer to use it.
    #[must_use]
    pub fn packets_later(self) -> u32 {
        match self {
            Self::None => 0,
            Self::Twice => 1,
            Self::Parity => PARITY_GROUP,
        }
    }
}

impl Stream {
    /// How long a packet's sound lasts.
    #[must_use]
    pub fn period(&self) -> Ms {
        Ms::from(self.frames.period(self.rate))
    }

    #[must_use]
    pub fn per_second(&self) -> f64 {
        1000.0 / self.period().raw()
    }

    /// Bytes of sound in a packet.
    #[must_use]
    pub fn sound_bytes(&self) -> u32 {
        let bits = match self.coding {
            Coding::Bits(depth) => f64::from(self.frames.get()) * f64::from(self.channels) * f64::from(depth),
            Coding::KilobitsPerSecond(rate) => rate * self.period().raw(),
        };
        (bits / 8.0).ceil() as u32
    }

    /// Bytes behind the head of UDP, as a test packet of the same size has them.
    #[must_use]
    pub fn datagram_bytes(&self, spare: Spare) -> u32 {
        let sound = self.sound_bytes();
        let carried = if spare == Spare::Twice { 2 * sound } else { sound };
        carried + 12
    }

    /// Bytes of the packet with the head of IP: what a line's largest piece is measured by.
    #[must_use]
    pub fn ip_bytes(&self, spare: Spare) -> u32 {
        self.datagram_bytes(spare) - 12 + RTP_UDP + if self.v6 { IP6 } else { IP4 }
    }

    /// Kilobits a second on an Ethernet line, heads and gaps included.
    #[must_use]
    pub fn line_kbit_s(&self, spare: Spare) -> f64 {
        let more = if spare == Spare::Parity { 1.0 + 1.0 / f64::from(PARITY_GROUP) } else { 1.0 };
        f64::from(self.ip_bytes(spare) + ETHERNET) * 8.0 / self.period().raw() * more
    }

    /// How long one packet keeps a line of so many kilobits a second busy.
    #[must_use]
    pub fn sending(&self, spare: Spare, line_kbit_s: f64) -> Ms {
        Ms::new(f64::from(self.ip_bytes(spare) + ETHERNET) * 8.0 / line_kbit_s.max(1.0))
    }

    /// Share of the line rate that is not sound.
    #[must_use]
    pub fn heads(&self) -> f64 {
        let sound = f64::from(self.sound_bytes());
        1.0 - sound / (sound + f64::from(RTP_UDP + if self.v6 { IP6 } else { IP4 } + ETHERNET))
    }

    /// How long sound waits until its packet is full, once its block was captured: `P − gcd(P, N)` frames for packets of P and
    /// blocks of N.
    #[must_use]
    pub fn waits(&self, block: Block) -> Ms {
        let packet = self.frames.get();
        Frames::of(f64::from(packet - gcd(packet, block.get()))).at(self.rate)
    }
}

fn gcd(a: u32, b: u32) -> u32 {
    num_integer::gcd(a, b)
}

/// Why a size of packet is not taken.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum WhyNotPacket {
    /// The line does not carry it: it takes so many kilobits a second.
    LineTooSlow(f64),
    /// It is cut into pieces on the way: it has so many bytes, of which so many go in one piece.
    Cut(u32, u32),
    /// No receive buffer stays clean enough.
    TooManyLost,
    /// It takes so much longer in all.
    Later(Ms),
}

/// One size of packet.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PacketChoice {
    pub stream: Stream,
    /// Packet and receive buffer together.
    pub delay: Ms,
    /// The receive buffer that goes with it.
    pub buffer: Ms,
    pub line_kbit_s: f64,
    /// Why it is not the one; nothing for the best.
    pub why_not: Option<WhyNotPacket>,
}

/// Sizes that are laid side by side, in frames.
pub const SIZES: [u32; 6] = [32, 64, 128, 256, 512, 1024];

/// All sizes; `buffer` says for each the receive buffer that it needs, `line` what the line carries.
#[must_use]
pub fn choices(
    of: Stream,
    spare: Spare,
    line_kbit_s: Option<f64>,
    mtu: u32,
    buffer: impl Fn(&Stream) -> Ms,
) -> Vec<PacketChoice> {
    let mut all: Vec<PacketChoice> = SIZES
        .iter()
        .map(|&frames| {
            let stream = Stream { frames: Block::new(frames), ..of };
            let (line, bytes) = (stream.line_kbit_s(spare), stream.ip_bytes(spare));
            let buffer = buffer(&stream);
            let why_not = match line_kbit_s {
                _ if bytes > mtu => Some(WhyNotPacket::Cut(bytes, mtu)),
                Some(carries) if line > carries => Some(WhyNotPacket::LineTooSlow(line)),
                _ if !buffer.raw().is_finite() => Some(WhyNotPacket::TooManyLost),
                Some(_) | None => None,
            };
            PacketChoice { stream, delay: stream.period() + buffer, buffer, line_kbit_s: line, why_not }
        })
        .collect();
    let least =
        all.iter().filter(|c| c.why_not.is_none()).map(|c| c.delay.raw()).fold(f64::INFINITY, f64::min);
    let mut found = false;
    for c in all.iter_mut().filter(|c| c.why_not.is_none()) {
        if c.delay.raw() <= least && !found {
            found = true;
        } else {
            c.why_not = Some(WhyNotPacket::Later(Ms::new(c.delay.raw() - least)));
        }
    }
    all
}
