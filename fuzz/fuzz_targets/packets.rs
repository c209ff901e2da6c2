//! Packets from the network, into the reflector and into whoever measures.
#![no_main]
use std::net::SocketAddr;
use swiftloop_measure::link::reflector::{Arrived, SequenceMemory, Reflector};
use swiftloop_measure::link::stamp::{StampReply, StampKey, StampRequest};
use swiftloop_fuzz::choice;

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    let Some((how, mut rest)) = choice(data, 4) else { return };
    let key = if how & 2 == 2 { StampKey::new(b"a key that nobody knows") } else { None };
    let memory = if how & 1 == 1 { SequenceMemory::Stateful } else { SequenceMemory::Stateless };
    let mut reflector = Reflector::new(memory, key.clone(), 1000);
    let mut now = 0_i64;
    let mut answered = 0_u64;
    let mut got = 0_u64;
    // Two bytes say how long a packet is, one from whom, one how much later it came.
    while let Some(([high, low, who, later], more)) = rest.split_first_chunk::<4>() {
        let length = (usize::from(*high) << 8 | usize::from(*low)).min(more.len());
        let (packet, after) = more.split_at(length);
        rest = after;
        got += 1;
        now += i64::from(*later) * 100_000;
        let from = SocketAddr::from(([10, 0, 0, *who], 5000 + u16::from(*who)));
        let arrived = Arrived { bytes: packet, from, at: now, ttl: Some(*later) };
        if let Some(answer) = reflector.answer(&arrived, now, || now + 1000) {
            answered += 1;
            assert!(answer.len() <= packet.len(), "an answer is longer than what it answers");
        }
        let _ = StampRequest::read(packet, key.as_ref());
        let _ = StampReply::read(packet, key.as_ref());
    }
    let tally = reflector.tally();
    assert_eq!(tally.answered, answered);
    assert_eq!(tally.answered + tally.refused + tally.forged + tally.over_limit, got);
    // A full bucket, and what came in while they arrived.
    assert!(answered as f64 <= 1000.0 + now as f64 * 1e-9 * 1000.0 + 1.0, "{answered} in {now} ns");
    assert!(reflector.senders() <= 64);
});
