//! Crackles that were put in on purpose: all found, none invented, in music the detector was not tuned on
//! (`Style::Concert`; tuning used `Style::Rehearsal` only).
//! `cargo test --release -p swiftloop-core --test listen -- --ignored --nocapture` prints the whole table.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod sounds;

use swiftloop_core::OneByOne;
use swiftloop_core::listen::{AgainstRefusal, Cause, Event, InMemory, Kind, against::Failed, compare, listen};
use swiftloop_core::probe::tone;
use swiftloop_core::units::{Block, Decibels, Hz, Ppm};
use swiftloop_host::simulated::{Damage, Fault, Instrument, Interface, Style, band, crackle, damage, play};

const RATE: Hz = Hz(48_000);
const STEP_24: f32 = 1.0 / 8_388_608.0;
const ALL: [Instrument; 4] = [Instrument::Plucked, Instrument::Drums, Instrument::Drone, Instrument::Voice];

fn rounded(channels: &[Vec<f32>], step: f32) -> Vec<Vec<f32>> {
    channels.iter().map(|c| c.iter().map(|x| (x / step).round() * step).collect()).collect()
}

fn heard(channels: &[Vec<f32>], step: f32) -> Vec<Event> {
    listen(&InMemory { channels, rate: RATE, step }, &OneByOne, |_| ()).unwrap().events
}

fn kind_of(fault: Fault) -> Kind {
    match fault {
        Fault::Gap => Kind::Gap,
        Fault::Hold => Kind::Hold,
        Fault::Repeat => Kind::Repeat,
        Fault::Skip => Kind::Skip,
        Fault::Click => Kind::Click,
        Fault::Slip => Kind::Slip,
    }
}

/// Breaks a fresh piece in `count` random places; returns it with the truth.
/// Breaks in silence (below −60 dB) are not made: nobody hears a gap between two words.
fn broken(piece: &[Vec<f32>], fault: Fault, count: usize, lengths: (usize, usize), seed: u64) -> (Vec<Vec<f32>>, Vec<Damage>) {
    let mut random = fastrand::Rng::with_seed(seed);
    let mut channels = piece.to_vec();
    let room = channels[0].len() / (count + 1);
    let mut truth = Vec::new();
    // From the end to the beginning: lost frames do not move what is already known.
    for i in (1..=count).rev() {
        let start = i * room + random.usize(0..room / 2);
        let length = if fault == Fault::Slip { 1 } else { random.usize(lengths.0..=lengths.1) };
        let loud = channels[0][start..start + length].iter().map(|x| x * x).sum::<f32>() / length as f32;
        if loud.sqrt() < 1e-3 {
            continue;
        }
        damage(&mut channels, fault, start, length, &mut random);
        for later in &mut truth {
            let later: &mut Damage = later;
            later.start -= if matches!(fault, Fault::Skip | Fault::Slip) { length } else { 0 };
        }
        truth.push(Damage { fault, start, length });
    }
    truth.reverse();
    (channels, truth)
}

/// How many true events were heard (at the right place), were heard as the right kind, and how many were invented.
fn score(events: &[Event], truth: &[Damage]) -> (usize, usize, usize) {
    let near = |e: &Event, d: &Damage| {
        e.start as usize + 12 >= d.start && e.start as usize <= d.start + d.length + 12
    };
    let found = truth.iter().filter(|d| events.iter().any(|e| near(e, d))).count();
    let named = truth.iter().filter(|d| events.iter().any(|e| near(e, d) && e.kind == kind_of(d.fault))).count();
    let invented = events.iter().filter(|e| !truth.iter().any(|d| near(e, d))).count();
    (found, named, invented)
}

fn cases() -> [(Fault, (usize, usize)); 6] {
    [
        (Fault::Gap, (16, 1024)),
        (Fault::Hold, (16, 1024)),
        (Fault::Repeat, (16, 1024)),
        (Fault::Skip, (16, 1024)),
        (Fault::Click, (1, 8)),
        (Fault::Slip, (1, 1)),
    ]
}

fn table(style: Style, minutes: usize, seeds: std::ops::Range<u64>, step: f32) {
    println!("| {style:?}, step 2^{} | kind | recall | right kind | invented |", step.log2());
    println!("| --- | --- | --- | --- | --- |");
    for instrument in ALL {
        let frames = 48_000 * 60 * minutes;
        let piece = rounded(&play(instrument, style, RATE, frames, seeds.start), step);
        let alarms = heard(&piece, step);
        println!("| {instrument:?} | clean | | | {} in {minutes} min {:?} |", alarms.len(), alarms.iter().map(|e| (e.start, e.kind)).take(5).collect::<Vec<_>>());
        let short = rounded(&play(instrument, style, RATE, 48_000 * 25, seeds.end), step);
        for (fault, lengths) in cases() {
            let (mut all, mut found, mut named, mut invented) = (0, 0, 0, 0);
            for seed in seeds.clone() {
                let (channels, truth) = broken(&short, fault, 25, lengths, seed);
                let events = heard(&channels, step);
                if std::env::var("SHOW").is_ok() {
                    for d in &truth {
                        let e = events.iter().find(|e| (e.start as i64 - d.start as i64).abs() < 40);
                        if e.is_none_or(|e| e.kind != kind_of(fault)) {
                            println!("  {seed} {d:?} {e:?} {:?}", &channels[0][d.start - 3..d.start + 3]);
                        }
                    }
                }
                let (f, n, i) = score(&events, &truth);
                all += truth.len();
                found += f;
                named += n;
                invented += i;
            }
            println!(
                "| {instrument:?} | {fault:?} | {:.3} | {:.3} | {invented} |",
                found as f64 / all as f64,
                named as f64 / all as f64
            );
        }
    }
}

#[test]
#[ignore = "minutes: the table that tuning looks at"]
fn tuning_table() {
    table(Style::Rehearsal, 3, 1..5, STEP_24);
}

#[test]
#[ignore = "minutes: the table that judges"]
fn judging_table() {
    table(Style::Concert, 10, 101..109, STEP_24);
    table(Style::Concert, 10, 201..205, 1.0 / 32_768.0);
}

