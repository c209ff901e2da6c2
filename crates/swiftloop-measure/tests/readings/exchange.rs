//! Who lost what: beside what is known of every packet, in every small case and in random ones.

use proptest::prelude::*;
use swiftloop_measure::link::exchange::{EchoedPacket, Exchange, PacketFate};

/// What becomes of a packet.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Is {
    Back,
    LostForth,
    LostBack,
}

/// Packets sent a millisecond apart; the reflector has counted so many of ours before.
fn exchange(all: &[Is], counted_before: u32) -> Exchange {
    let mut made = Exchange { counts: Some(true), ..Exchange::default() };
    let mut counted = counted_before;
    for (k, is) in all.iter().enumerate() {
        let sent = k as i64 * 1_000_000;
        made.sent.push(sent);
        if *is == Is::LostForth {
            continue;
        }
        if *is == Is::Back {
            let (there, back) = (sent + 300_000, sent + 900_000);
            made.answers.push(EchoedPacket { number: k as u64, counted, there, left: there + 1000, back });
        }
        counted = counted.wrapping_add(1);
    }
    made
}

fn count(fates: &[PacketFate], wanted: PacketFate) -> usize {
    fates.iter().filter(|f| **f == wanted).count()
}

#[test]
fn every_fate_of_seven_packets_is_counted_by_its_way() {
    for code in 0..3usize.pow(7) {
        let digit = |k: u32| [Is::Back, Is::LostForth, Is::LostBack][code / 3usize.pow(k) % 3];
        // Answers at both ends say what lies between them; and a minute later nothing is under way any more.
        let mut all = vec![Is::Back];
        all.extend((0..7).map(digit));
        all.push(Is::Back);
        for before in [0, 5, u32::MAX - 3] {
            let sorted = exchange(&all, before).sorted();
            assert!(sorted.seen.told_apart);
            let of = |is: Is| all.iter().filter(|i| **i == is).count();
            assert_eq!(count(&sorted.fate, PacketFate::LostForth), of(Is::LostForth), "{all:?} {before}");
            assert_eq!(count(&sorted.fate, PacketFate::LostBack), of(Is::LostBack), "{all:?} {before}");
            assert_eq!(count(&sorted.fate, PacketFate::Lost), 0);
        }
    }
}

proptest! {
    #[test]
    fn whatever_arrives_in_whatever_order_no_packet_is_counted_twice(
        numbers in prop::collection::vec((0u64..80, 0u32..90, -2_000_000_000i64..4_000_000_000), 0..200), sent in 0usize..80,
    ) {
        let made = Exchange {
            sent: (0..sent as i64).map(|k| k * 1_000_000).collect(),
            answers: numbers
                .iter()
                .map(|&(number, counted, back)| EchoedPacket { number, counted, there: back / 2, left: back / 2, back })
                .collect(),
            ..Exchange::default()
        };
        let sorted = made.sorted();
        prop_assert!(sorted.fate.len() <= sent && sorted.fate.len() == sorted.at.len());
        let back = sorted.fate.iter().filter(|f| matches!(f, PacketFate::Back { .. })).count() as u64;
        // Each answer is one that came back, a second one to the same packet, or none of ours.
        prop_assert_eq!(back + sorted.seen.duplicates + sorted.seen.strays, numbers.len() as u64);
        for fate in &sorted.fate {
            if let PacketFate::Back { back, .. } = fate {
                prop_assert!(back.abs() < 4_000_000_000);
            }
        }
    }
}

/// An answer that is overtaken by more than 65 536 others is overtaken, not lost.
#[test]
fn an_answer_that_comes_very_late_is_late_and_not_lost() {
    let all = vec![Is::Back; 70_000];
    let mut made = exchange(&all, 0);
    let mut first = made.answers.remove(10);
    first.back = made.answers.last().unwrap().back + 5;
    made.answers.push(first);
    let sorted = made.sorted();
    assert_eq!(
        (
            sorted.seen.reordered,
            count(&sorted.fate, PacketFate::LostBack),
            count(&sorted.fate, PacketFate::LostForth)
        ),
        (1, 0, 0)
    );
}
