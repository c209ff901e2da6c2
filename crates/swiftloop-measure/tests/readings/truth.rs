//! What is said of a line, beside what it is.

use super::lines::{CALM, LINE, Line, Manner};
use swiftloop_measure::link::analyse::{LineMeasurement, analyse, share, spread};
use swiftloop_measure::link::exchange::{Exchange, PacketFate};
use swiftloop_measure::link::late::Lateness;
use swiftloop_measure::link::measured::{Carried, Measured, Own, Towards};
use swiftloop_measure::link::packet::Spare;
use swiftloop_measure::link::receive::with_spare;

fn said(exchange: &Exchange, every_ms: f64, allowed: f64) -> Measured {
    let packet = Carried { every_ms, bytes: 492, line_kbit_s: 1500.0, v6: false };
    analyse(exchange, LineMeasurement { packet, allowed_per_hour: allowed, load_kbit_s: 0.0 }, Own::default())
}

const JUMPY: Manner = Manner { floor_ms: 4.0, mean_ms: 0.8, heavy: (0.03, 4.0), loss: (0.004, 1) };
const BURSTY: Manner = Manner { floor_ms: 9.0, mean_ms: 0.4, heavy: (0.005, 8.0), loss: (0.01, 6) };

#[test]
fn floor_variation_loss_and_clocks_are_found() {
    let lines = [
        LINE,
        Line { forth: JUMPY, back: CALM, ppm: 31.0, step: None },
        Line { forth: CALM, back: JUMPY, ppm: -87.5, step: None },
        Line { forth: BURSTY, back: BURSTY, ppm: 4.0, step: Some((31.0, 140.0)) },
        Line { forth: JUMPY, back: BURSTY, ppm: 12.0, step: Some((20.2, -3.0)) },
    ];
    for (n, line) in lines.iter().enumerate() {
        let truth = line.play(24_000, 2.5, 11 + n as u64);
        let found = said(&truth.exchange, 2.5, 12.0);
        let floor = line.forth.floor_ms + line.back.floor_ms;
        assert!((found.round_trip_ms.floor - floor).abs() < 0.1, "{n}: {:?}", found.round_trip_ms);
        assert!((found.clock_ppm.typical - line.ppm).abs() < 1.0, "{n}: {:?}", found.clock_ppm);
        let slack = 0.3;
        assert!(found.clock_ppm.low - slack <= line.ppm && line.ppm <= found.clock_ppm.high + slack, "{n}");
        assert!(found.clock_ppm.high - found.clock_ppm.low < 2.0, "{n}: {:?}", found.clock_ppm);
        assert_eq!(found.clock_steps, u64::from(line.step.is_some()), "{n}");
        for (own, seen) in [(&truth.forth, found.variation_ms.forth), (&truth.back, found.variation_ms.back)]
        {
            let own = spread(own);
            for (a, b) in [(own.p50, seen.p50), (own.p99, seen.p99), (own.p999, seen.p999)] {
                // A tenth, or the twentieth of a millisecond by which the quickest packet is not at the floor.
                assert!((a - b).abs() <= 0.1 * a + 0.05, "{n}: {own:?} {seen:?}");
            }
        }
        let by_way = found.loss_by_way.expect("the reflector counts");
        let lost = |all: &[f64]| all.iter().filter(|l| l.is_infinite()).count() as f64 / all.len() as f64;
        let near = |said: f64, is: f64| (said - is).abs() < 1e-3;
        assert!(near(by_way.forth.typical, lost(&truth.forth)), "{n}: {by_way:?} {}", lost(&truth.forth));
        assert!(near(by_way.back.typical, lost(&truth.back)), "{n}: {by_way:?} {}", lost(&truth.back));
        let all = 1.0 - (1.0 - line.forth.loss.0) * (1.0 - line.back.loss.0);
        assert!(found.loss.low <= all && all <= found.loss.high, "{n}: {:?} {all}", found.loss);
        assert!(found.carries_it, "{n}");
        assert!(found.fault().is_none(), "{n}: {:?}", found.fault());
    }
}

/// The recommended buffer is set, and ten more minutes of the same line are played: what comes late lies within what was
/// stated in 9 of 10 runs.
#[test]
fn ten_fresh_minutes_show_what_was_stated() {
    let mut within = 0;
    let mut runs = 0;
    let mut longest = 0.0f64;
    for (n, manner) in
        [CALM, JUMPY, BURSTY, Manner { heavy: (0.0, 1.0), ..CALM }, Manner { mean_ms: 0.05, ..CALM }]
            .into_iter()
            .enumerate()
    {
        for seed in 0..16u64 {
            let line = Line { forth: manner, back: manner, ..LINE };
            // What is lost is late whatever the buffer: the allowance is above it.
            let allowed = 30.0 + manner.loss.0 * 2.0 * 1.44e6;
            let first = said(&line.play(24_000, 2.5, 1000 * n as u64 + seed).exchange, 2.5, allowed);
            let Some(buffer) = first.recommended_ms else { continue };
            let stated = first.late(Towards::Us, Spare::None, buffer, false);
            let fresh = line.play(240_000, 2.5, 77_777 + 1000 * n as u64 + seed);
            let late = fresh.back.iter().filter(|l| **l > buffer).count() as f64 * 6.0;
            runs += 1;
            if !(stated.low <= late && late <= stated.high) {
                println!("{n} {seed} {buffer} {stated:?} {late} {allowed} crowd {}", first.crowd);
            }
            within += usize::from(stated.low <= late && late <= stated.high);
            println!("{n} {seed} buffer {buffer} {stated:?} {late}");
            longest = longest.max(buffer / (manner.mean_ms + manner.heavy.1));
        }
    }
    assert!(runs >= 70, "{runs}");
    assert!(within * 10 >= runs * 9, "{within} of {runs}");
    assert!(longest < 60.0, "{longest}");
}

#[test]
fn spare_packets_mend_what_they_can_and_no_more() {
    let never = f64::INFINITY;
    let late = [0.1, never, 0.2, 0.1, 0.3, never, never, 0.2, 0.1, 5.0, 0.1, 0.1, 0.2];
    let twice = with_spare(&late, 2.5, Spare::Twice);
    assert!((twice[1] - 2.7).abs() < 1e-9 && twice[5] == never && (twice[6] - 2.7).abs() < 1e-9);
    assert!((twice[9] - 2.6).abs() < 1e-9);
    let parity = with_spare(&late, 2.5, Spare::Parity);
    // Packet 1 is made from 0, 2, 3 and the packet of parity that goes with 4.
    assert!((parity[1] - (0.3 + 3.0 * 2.5)).abs() < 1e-9, "{parity:?}");
    assert!(parity[5] == never && parity[6] == never && parity[9] == 5.0);
    // Nothing is ever later with spare packets than without.
    assert!([twice, parity].iter().all(|spare| spare.iter().zip(&late).all(|(a, b)| a <= b)));
}

#[test]
fn a_longer_buffer_is_never_worse_and_counts_agree_with_sorting() {
    let truth = Line { forth: JUMPY, back: BURSTY, ..LINE }.play(30_000, 2.0, 5);
    let all = Lateness::of(&truth.back, 60.0 / 3600.0);
    for ms in [0.1, 0.5, 1.0, 4.0, 9.0, 20.0] {
        let own = truth.back.iter().filter(|l| **l > ms).count() as u64;
        assert_eq!(all.seen(ms), own, "{ms}");
        let said = all.per_hour(ms);
        assert!(said.is_sound());
        if own >= 200 {
            assert!((said.typical / (own as f64 * 60.0) - 1.0).abs() < 0.05, "{ms} {said:?} {own}");
        }
    }
    let found = said(&truth.exchange, 2.0, 12.0);
    for way in [Towards::Them, Towards::Us] {
        for spare in Spare::ALL {
            let rates: Vec<f64> =
                (0..400).map(|k| found.late(way, spare, f64::from(k) * 0.13, false).typical).collect();
            assert!(rates.windows(2).all(|w| w[1] <= w[0] + 1e-9), "{way:?} {spare:?}");
        }
    }
}

#[test]
fn overtaken_doubled_and_foreign_answers_are_counted_and_change_nothing() {
    let mut truth = LINE.play(5_000, 2.0, 9);
    let clean = said(&truth.exchange, 2.0, 12.0);
    let answers = &mut truth.exchange.answers;
    let doubled = answers[40];
    answers.push(doubled);
    let mut early = answers[100];
    early.number = 4_000_000_000;
    answers.push(early);
    answers.swap(200, 201);
    let mut before_it_was_sent = answers[300];
    before_it_was_sent.number += 1000;
    answers.push(before_it_was_sent);
    truth.exchange.strays = 3;
    let found = said(&truth.exchange, 2.0, 12.0);
    assert_eq!((found.duplicates, found.strays), (1, 5));
    assert!(found.reordered >= clean.reordered);
    assert_eq!((found.received, found.round_trip_ms), (clean.received, clean.round_trip_ms));
}

#[test]
fn what_was_under_way_while_this_computer_slept_is_not_called_lost() {
    let mut truth = LINE.play(6_000, 2.0, 3);
    // The second half is sent ten minutes later; twenty packets before that never came back.
    let pause = 600_000_000_000;
    for sent in &mut truth.exchange.sent[3000..] {
        *sent += pause;
    }
    truth.exchange.answers.retain(|a| !(2980..3000).contains(&a.number));
    for a in truth.exchange.answers.iter_mut().filter(|a| a.number >= 3000) {
        a.back += pause;
        a.there += pause;
        a.left += pause;
    }
    let found = said(&truth.exchange, 2.0, 12.0);
    assert_eq!((found.pauses, found.loss.typical), (1, 0.0));
    assert_eq!(found.sent, 5980);
}

#[test]
fn nothing_at_all_and_next_to_nothing_are_no_reason_to_fall_over() {
    let nothing = said(&Exchange::default(), 2.5, 12.0);
    assert_eq!((nothing.sent, nothing.received), (0, 0));
    for packets in 1..12 {
        let few = said(&LINE.play(packets, 2.5, 1).exchange, 2.5, 12.0);
        assert!(few.fault().is_none(), "{packets}");
    }
    let mut silent = LINE.play(100, 2.5, 1).exchange;
    silent.answers.clear();
    assert!(silent.sorted().fate.iter().all(|f| matches!(f, PacketFate::Lost)));
    assert_eq!(said(&silent, 2.5, 12.0).recommended_ms, None);
}

#[test]
fn the_interval_of_a_share_is_clopper_and_pearsons() {
    // 4 of 50: from 2.22 to 19.23 %.
    let found = share(4, 50, 1.0);
    assert!((found.low - 0.0222).abs() < 1e-3 && (found.high - 0.1923).abs() < 1e-3, "{found:?}");
    assert_eq!((share(0, 10, 1.0).low, share(10, 10, 1.0).high), (0.0, 1.0));
}
