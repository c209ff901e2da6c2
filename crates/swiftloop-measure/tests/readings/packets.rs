//! Packets, byte for byte as RFC 8762 draws them; and the reflector's manners.

use proptest::prelude::*;
use std::net::SocketAddr;
use swiftloop_measure::link::reflector::{Arrived, Reflector, SequenceMemory};
use swiftloop_measure::link::stamp::{
    ErrorEstimate, PLAIN, SIGNED, Stamp, StampKey, StampRefusal, StampReply, StampRequest, TimeFormat,
    bare_length,
};

fn probe() -> StampRequest {
    StampRequest {
        sequence: 0x0102_0304,
        sent: Stamp { seconds: 0xa1a2_a3a4, fraction: 0xb1b2_b3b4 },
        error: ErrorEstimate { synchronised: true, format: TimeFormat::Ptp, scale: 0x15, multiplier: 0x33 },
        session: 0x5152,
    }
}

fn echo() -> StampReply {
    StampReply {
        sequence: 0x0a0b_0c0d,
        sent: Stamp { seconds: 0xc1c2_c3c4, fraction: 0xd1d2_d3d4 },
        error: ErrorEstimate { synchronised: false, format: TimeFormat::Ntp, scale: 0x0a, multiplier: 0x01 },
        session: 0x5152,
        received: Stamp { seconds: 0xe1e2_e3e4, fraction: 0xf1f2_f3f4 },
        of_sequence: 0x0102_0304,
        of_sent: Stamp { seconds: 0xa1a2_a3a4, fraction: 0xb1b2_b3b4 },
        of_error: probe().error,
        of_ttl: 0xfe,
    }
}

/// Bytes from hexadecimal digits; spaces do not count.
fn bytes(hex: &str) -> Vec<u8> {
    let digits: Vec<u8> = hex.chars().filter_map(|c| c.to_digit(16)).map(|d| d as u8).collect();
    digits.chunks(2).map(|d| d[0] << 4 | d[1]).collect()
}

#[test]
fn a_plain_probe_is_figure_2() {
    let mut wanted = bytes("01020304 a1a2a3a4 b1b2b3b4 d533 5152");
    wanted.resize(PLAIN, 0);
    assert_eq!(probe().bytes(PLAIN, None), wanted);
    assert_eq!(StampRequest::read(&wanted, None), Ok(probe()));
}

#[test]
fn a_plain_echo_is_figure_4() {
    let wanted = bytes(
        "0a0b0c0d c1c2c3c4 d1d2d3d4 0a01 5152 e1e2e3e4 f1f2f3f4 01020304 a1a2a3a4 b1b2b3b4 d533 0000 fe 000000",
    );
    assert_eq!(wanted.len(), PLAIN);
    assert_eq!(echo().bytes(&probe().bytes(PLAIN, None), None), wanted);
    assert_eq!(StampReply::read(&wanted, None), Ok(echo()));
}

#[test]
fn signed_packets_are_figures_3_and_5_and_a_wrong_signature_is_refused() {
    let key = StampKey::new(b"boathouse").unwrap();
    let packet = probe().bytes(SIGNED, Some(&key));
    let mut wanted = bytes("01020304 000000000000000000000000 a1a2a3a4 b1b2b3b4 d533 5152");
    wanted.resize(SIGNED - 16, 0);
    assert_eq!(packet[..SIGNED - 16], wanted[..]);
    assert_eq!(StampRequest::read(&packet, Some(&key)), Ok(probe()));
    let answer = echo().bytes(&packet, Some(&key));
    let wanted = bytes(
        "0a0b0c0d 000000000000000000000000 c1c2c3c4 d1d2d3d4 0a01 5152 00000000 e1e2e3e4 f1f2f3f4 0000000000000000 \
         01020304 000000000000000000000000 a1a2a3a4 b1b2b3b4 d533 000000000000 fe 000000000000000000000000000000",
    );
    assert_eq!(answer[..SIGNED - 16], wanted[..]);
    assert_eq!(StampReply::read(&answer, Some(&key)), Ok(echo()));
    for at in 0..SIGNED {
        let mut other = packet.clone();
        other[at] ^= 0x40;
        assert_eq!(StampRequest::read(&other, Some(&key)), Err(StampRefusal::WrongSignature), "{at}");
    }
    let other = StampKey::new(b"boathouse ").unwrap();
    assert_eq!(StampRequest::read(&packet, Some(&other)), Err(StampRefusal::WrongSignature));
    assert!(StampKey::new(b"").is_none());
}

/// RFC 4231, test case 2: key "Jefe", data "what do ya want for nothing?". The signature of a packet is the same function of
/// its first 96 bytes; worked out with another program for a packet of zeros but for its error estimate.
#[test]
fn the_signature_is_hmac_sha_256_cut_to_128_bits() {
    let key = StampKey::new(b"Jefe").unwrap();
    let zero = StampRequest {
        sequence: 0,
        sent: Stamp::default(),
        error: ErrorEstimate { synchronised: false, format: TimeFormat::Ntp, scale: 0, multiplier: 1 },
        session: 0,
    };
    let packet = zero.bytes(SIGNED, Some(&key));
    assert_eq!(packet[SIGNED - 16..], bytes("ca447f1ecaedab66118f38a3bb2fdfd9")[..]);
}

fn arrived(bytes: &[u8], from: SocketAddr) -> Arrived<'_> {
    Arrived { bytes, from, at: 1_000, ttl: Some(61) }
}

fn host(n: u16) -> SocketAddr {
    SocketAddr::from(([192, 0, 2, 1], n))
}

proptest! {
    #[test]
    fn whatever_arrives_no_more_goes_back(
        content in prop::collection::vec(any::<u8>(), 0..400), keyed in any::<bool>(), stateful in any::<bool>(),
    ) {
        let key = keyed.then(|| StampKey::new(b"k").unwrap());
        let memory = if stateful { SequenceMemory::Stateful } else { SequenceMemory::Stateless };
        let mut reflector = Reflector::new(memory, key.clone(), 1000);
        let answer = reflector.answer(&arrived(&content, host(1)), 0, || 2_000);
        if let Some(answer) = answer {
            prop_assert_eq!(answer.len(), content.len());
            prop_assert!(StampReply::read(&answer, key.as_ref()).is_ok());
        } else {
            prop_assert!(content.len() < bare_length(key.as_ref()) || keyed || content[13] == 0);
        }
    }

    #[test]
    fn probes_of_every_length_are_read_again(length in 0usize..1600, sequence in any::<u32>(), keyed in any::<bool>()) {
        let key = keyed.then(|| StampKey::new(b"k").unwrap());
        let one = StampRequest { sequence, ..probe() };
        let packet = one.bytes(length, key.as_ref());
        let bare = bare_length(key.as_ref());
        prop_assert_eq!(packet.len(), if length >= bare + 4 { length } else { bare });
        prop_assert_eq!(StampRequest::read(&packet, key.as_ref()), Ok(one));
    }
}

#[test]
fn a_reflector_counts_each_sender_by_itself_and_forgets_the_oldest() {
    let mut reflector = Reflector::new(SequenceMemory::Stateful, None, 1_000_000);
    let packet = probe().bytes(60, None);
    let mut ask = |from: u16, now: i64| {
        let answer = reflector.answer(&arrived(&packet, host(from)), now, || 2_000).unwrap();
        StampReply::read(&answer, None).unwrap()
    };
    assert_eq!((ask(1, 0).sequence, ask(1, 1).sequence, ask(2, 2).sequence), (0, 1, 0));
    let last = ask(1, 3);
    assert_eq!((last.sequence, last.of_sequence, last.of_ttl, last.session), (2, 0x0102_0304, 61, 0x5152));
    assert_eq!((last.of_sent, last.of_error), (probe().sent, probe().error));
    for n in 0..100 {
        ask(1000 + n, 10 + i64::from(n));
    }
    assert_eq!(ask(1, 1000).sequence, 0);
    assert!(reflector.senders() <= 64);
    let mut stateless = Reflector::new(SequenceMemory::Stateless, None, 100);
    let answer = stateless.answer(&arrived(&packet, host(1)), 0, || 2_000).unwrap();
    assert_eq!(StampReply::read(&answer, None).unwrap().sequence, 0x0102_0304);
}

#[test]
fn a_flood_is_answered_no_more_often_than_the_limit_says() {
    let mut reflector = Reflector::new(SequenceMemory::Stateless, None, 500);
    let packet = probe().bytes(PLAIN, None);
    let mut answered = 0;
    for k in 0..200_000i64 {
        // A hundred thousand a second, for two seconds.
        answered += u32::from(reflector.answer(&arrived(&packet, host(1)), k * 10_000, || 0).is_some());
    }
    assert!((1000..=1051).contains(&answered), "{answered}");
    assert!(reflector.rests(199_999 * 10_000).is_some_and(|ns| ns <= 2_000_000));
    assert_eq!(reflector.tally().over_limit, 200_000 - u64::from(answered));
}

#[test]
fn where_no_receive_buffer_stays_clean_no_packet_is_the_earliest() {
    use swiftloop_measure::link::packet::{Coding, Spare, Stream, WhyNotPacket, choices};
    use swiftloop_units::{Block, Hz, Ms};
    let of = Stream {
        frames: Block::new(64),
        channels: 2,
        coding: Coding::Bits(16),
        rate: Hz::new(48_000),
        v6: false,
    };
    let told = |clean_from: u32| {
        choices(of, Spare::None, None, 1500, |s: &Stream| {
            Ms::new(if s.frames.get() >= clean_from { 5.0 } else { f64::INFINITY })
        })
    };
    let never = told(u32::MAX);
    assert!(never.iter().all(|c| c.why_not.is_some()), "{never:?}");
    assert_eq!(never[0].why_not, Some(WhyNotPacket::TooManyLost));
    let from_128 = told(128);
    for c in &from_128 {
        let lost = matches!(c.why_not, Some(WhyNotPacket::TooManyLost));
        assert_eq!(lost, c.stream.frames.get() < 128, "{c:?}");
    }
    assert_eq!(from_128.iter().find(|c| c.why_not.is_none()).map(|c| c.stream.frames.get()), Some(128));
}
