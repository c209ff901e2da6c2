//! Crackles that were put in on purpose: all found, none invented, in music the detector was not tuned on
//! (`Playing::Concert`; tuning used `Playing::Rehearsal` only).
//! `cargo test --release -p swiftloop-core --test laws -- listen:: --ignored --nocapture` prints all tables.

use crate::finished::{Song, Treatment, mix, treated};
use swiftloop_host::simulated::{
    Damage, Instrument, Playing, SimulatedInterface, band, crackle, damage, play,
};
use swiftloop_measure::listen::against::Failed;
use swiftloop_measure::listen::{
    AgainstRefusal, Crackle, CrackleCause, CrackleKind, InMemory, compare, listen,
};
use swiftloop_measure::probe::tone;
use swiftloop_units::workers::OneByOne;
use swiftloop_units::{Block, Decibels, Hz, Ppm};

const RATE: Hz = Hz::new(48_000);
const STEP_24: f32 = 1.0 / 8_388_608.0;
const ALL: [Instrument; 4] = [Instrument::Plucked, Instrument::Drums, Instrument::Drone, Instrument::Voice];

fn rounded(channels: &[Vec<f32>], step: f32) -> Vec<Vec<f32>> {
    channels.iter().map(|c| c.iter().map(|x| (x / step).round() * step).collect()).collect()
}

fn heard(channels: &[Vec<f32>], step: f32) -> Vec<Crackle> {
    listen(&InMemory { channels, rate: RATE, step }, &OneByOne, |_| ()).unwrap().events
}

/// Events that are heard in finished music, which holds none, by song and treatment.
fn invented(song: Song, treatment: Treatment, seconds: usize, seed: u64) -> Vec<Crackle> {
    let channels = treated(mix(song, seconds, seed), treatment, seed);
    heard(&channels, treatment.step())
}

fn finished_table(seconds: usize, seeds: std::ops::Range<u64>) {
    let mut all = 0;
    for song in Song::ALL {
        for treatment in Treatment::ALL {
            let events: Vec<Crackle> =
                seeds.clone().flat_map(|s| invented(song, treatment, seconds, s)).collect();
            let kinds: Vec<String> = CrackleKind::ALL
                .into_iter()
                .map(|k| (k, events.iter().filter(|e| e.kind == k).count()))
                .filter(|(_, n)| *n > 0)
                .map(|(k, n)| format!("{n} {}", k.as_str()))
                .collect();
            all += events.len();
            if !events.is_empty() {
                println!("{song:?} {treatment:?}: {}", kinds.join(", "));
            }
        }
    }
    let minutes = (seconds * 32 * (seeds.end - seeds.start) as usize) as f64 / 60.0;
    println!("{all} invented in {minutes:.0} minutes");
}

/// What the detector was tuned on.
#[test]
#[ignore = "minutes"]
fn finished_tuning() {
    finished_table(20, 0..4);
}

/// A minute of each treatment, songs in turn: nothing may be heard in it.
#[test]
fn nothing_is_heard_in_finished_music() {
    for (i, treatment) in Treatment::ALL.into_iter().enumerate() {
        for (k, song) in Song::ALL.into_iter().enumerate() {
            let events = invented(song, treatment, 6, 40 + (i * 4 + k) as u64);
            assert!(events.is_empty(), "{song:?} {treatment:?}: {events:?}");
        }
    }
}

/// What it never saw.
#[test]
#[ignore = "minutes"]
fn finished_judging() {
    finished_table(20, 200..204);
}

/// Breaks a fresh piece in `count` random places; returns it with the truth.
/// Breaks in silence (below −60 dB) are not made: nobody hears a gap between two words.
fn broken(
    piece: &[Vec<f32>],
    kind: CrackleKind,
    count: usize,
    lengths: (usize, usize),
    seed: u64,
) -> (Vec<Vec<f32>>, Vec<Damage>) {
    let mut random = fastrand::Rng::with_seed(seed);
    let mut channels = piece.to_vec();
    let room = channels[0].len() / (count + 1);
    let mut truth = Vec::new();
    // From the end to the beginning: lost frames do not move what is already known.
    for i in (1..=count).rev() {
        let start = i * room + random.usize(0..room / 2);
        let length = if kind == CrackleKind::Slip { 1 } else { random.usize(lengths.0..=lengths.1) };
        let loud = channels[0][start..start + length].iter().map(|x| x * x).sum::<f32>() / length as f32;
        if loud.sqrt() < 1e-3 {
            continue;
        }
        damage(&mut channels, kind, start, length, &mut random);
        for later in &mut truth {
            let later: &mut Damage = later;
            later.start -= if matches!(kind, CrackleKind::Skip | CrackleKind::Slip) { length } else { 0 };
        }
        truth.push(Damage { kind, start, length });
    }
    truth.reverse();
    (channels, truth)
}

/// How many true events were heard (at the right place), were heard as the right kind, and how many were invented.
fn score(events: &[Crackle], truth: &[Damage]) -> (usize, usize, usize) {
    let near = |e: &Crackle, d: &Damage| {
        e.start as usize + 12 >= d.start && e.start as usize <= d.start + d.length + 12
    };
    let found = truth.iter().filter(|d| events.iter().any(|e| near(e, d))).count();
    let named = truth.iter().filter(|d| events.iter().any(|e| near(e, d) && e.kind == d.kind)).count();
    let invented = events.iter().filter(|e| !truth.iter().any(|d| near(e, d))).count();
    (found, named, invented)
}

fn cases() -> [(CrackleKind, (usize, usize)); 6] {
    [
        (CrackleKind::Gap, (16, 1024)),
        (CrackleKind::Hold, (16, 1024)),
        (CrackleKind::Repeat, (16, 1024)),
        (CrackleKind::Skip, (16, 1024)),
        (CrackleKind::Click, (1, 8)),
        (CrackleKind::Slip, (1, 1)),
    ]
}

fn table(style: Playing, minutes: usize, seeds: std::ops::Range<u64>, step: f32) {
    println!("| {style:?}, step 2^{} | kind | recall | right kind | invented |", step.log2());
    println!("| --- | --- | --- | --- | --- |");
    for instrument in ALL {
        let frames = 48_000 * 60 * minutes;
        let piece = rounded(&play(instrument, style, RATE, frames, seeds.start), step);
        let alarms = heard(&piece, step);
        println!(
            "| {instrument:?} | clean | | | {} in {minutes} min {:?} |",
            alarms.len(),
            alarms.iter().map(|e| (e.start, e.kind)).take(5).collect::<Vec<_>>()
        );
        let short = rounded(&play(instrument, style, RATE, 48_000 * 25, seeds.end), step);
        for (kind, lengths) in cases() {
            let (mut all, mut found, mut named, mut invented) = (0, 0, 0, 0);
            for seed in seeds.clone() {
                let (channels, truth) = broken(&short, kind, 25, lengths, seed);
                let events = heard(&channels, step);
                if std::env::var("SHOW").is_ok() {
                    for d in &truth {
                        let e = events.iter().find(|e| (e.start as i64 - d.start as i64).abs() < 40);
                        if e.is_none_or(|e| e.kind != kind) {
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
                "| {instrument:?} | {kind:?} | {:.3} | {:.3} | {invented} |",
                found as f64 / all as f64,
                named as f64 / all as f64
            );
        }
    }
}

#[test]
#[ignore = "minutes: the table that tuning looks at"]
fn tuning_table() {
    table(Playing::Rehearsal, 3, 1..5, STEP_24);
}

#[test]
#[ignore = "minutes: the table that judges"]
fn judging_table() {
    table(Playing::Concert, 10, 801..809, STEP_24);
    table(Playing::Concert, 10, 901..905, 1.0 / 32_768.0);
}

#[test]
fn stretches_that_break_off_stand_still_or_come_again_are_found_in_any_music() {
    for (i, instrument) in ALL.into_iter().enumerate() {
        let piece = rounded(&play(instrument, Playing::Concert, RATE, 48_000 * 10, 31 + i as u64), STEP_24);
        assert_eq!(heard(&piece, STEP_24), [], "{instrument:?} as it is");
        for kind in [CrackleKind::Gap, CrackleKind::Hold, CrackleKind::Repeat] {
            let (channels, truth) = broken(&piece, kind, 12, (16, 1024), 77);
            let (found, named, invented) = score(&heard(&channels, STEP_24), &truth);
            assert_eq!((found, named, invented), (truth.len(), truth.len(), 0), "{instrument:?} {kind:?}");
        }
    }
}

#[test]
fn skips_and_clicks_are_found_in_held_notes() {
    let piece = rounded(&play(Instrument::Drone, Playing::Concert, RATE, 48_000 * 20, 41), STEP_24);
    for (kind, lengths) in [(CrackleKind::Skip, (16, 1024)), (CrackleKind::Click, (1, 8))] {
        let (channels, truth) = broken(&piece, kind, 20, lengths, 78);
        let (found, named, invented) = score(&heard(&channels, STEP_24), &truth);
        assert!(found >= 18 && named >= 17 && invented == 0, "{kind:?}: {found}, {named}, {invented}");
    }
}

/// Share of runs with ten or more events in which the block is named.
fn blocks_named(runs: u64, blocks: &[usize]) -> (usize, usize) {
    let (mut right, mut all) = (0, 0);
    for seed in 0..runs {
        for &block in blocks {
            let instrument = ALL[seed as usize % 4];
            let mut channels =
                rounded(&play(instrument, Playing::Concert, RATE, 48_000 * 12, 700 + seed), STEP_24);
            let truth = crackle(&mut channels, block, 30_000, seed);
            let programme = InMemory { channels: &channels, rate: RATE, step: STEP_24 };
            let found = listen(&programme, &OneByOne, |_| ()).unwrap();
            if truth.len() >= 10 && found.events.len() >= 10 {
                all += 1;
                right += usize::from(found.attribution.block == Some(Block::new(block as u32)));
            }
        }
    }
    (right, all)
}

#[test]
fn the_block_behind_the_crackles_is_named() {
    let (right, all) = blocks_named(2, &[64, 256]);
    assert!(all >= 3 && right == all, "{right} of {all}");
}

#[test]
#[ignore = "minutes: part of the judging"]
fn block_table() {
    let (right, all) = blocks_named(20, &[32, 64, 128, 256, 480, 512, 1024]);
    println!(
        "| block named | {right} of {all} runs with ten events or more | {:.3} |",
        right as f64 / all as f64
    );
    assert!(right * 100 >= all * 95);
}

#[test]
fn two_clocks_are_told_from_a_buffer() {
    let mut channels = rounded(&play(Instrument::Drone, Playing::Concert, RATE, 48_000 * 12, 43), STEP_24);
    let mut random = fastrand::Rng::with_seed(1);
    for k in (1..16).rev() {
        damage(&mut channels, CrackleKind::Slip, k * 33_333, 1, &mut random);
    }
    let programme = InMemory { channels: &channels, rate: RATE, step: STEP_24 };
    let found = listen(&programme, &OneByOne, |_| ()).unwrap();
    assert_eq!(found.attribution.cause, CrackleCause::Clock, "{:?}", found.events);
    let drift = found.attribution.drift.map_or(0.0, |d| d.raw());
    assert!((drift.abs() - 30.0).abs() < 1.0, "{drift}");
}

/// `count` breaks of one kind against the original; returns how many were found, named and invented.
fn against(
    kind: CrackleKind,
    lengths: (usize, usize),
    count: usize,
    noisy: bool,
    seed: u64,
) -> (usize, usize, usize, usize) {
    let seconds = count / 3 + 3;
    let original = vec![tone(RATE, 48_000 * seconds, Decibels::new(-12.0))];
    let way = SimulatedInterface {
        noise: if noisy { Decibels::new(-80.0) } else { Decibels::new(-300.0) },
        gain: Decibels::new(if noisy { -3.0 } else { 0.0 }),
        fixed_frames: if noisy { 40.4 } else { 40.0 },
        ..SimulatedInterface::with_block(Block::new(64))
    };
    let recorded = vec![way.record(&original[0], seed).samples];
    let recorded = if noisy { recorded } else { rounded(&recorded, STEP_24) };
    let (channels, truth) = broken(&recorded, kind, count, lengths, seed);
    let original = rounded(&original, STEP_24);
    let one = InMemory { channels: &channels, rate: RATE, step: STEP_24 };
    let other = InMemory { channels: &original, rate: RATE, step: STEP_24 };
    let found = compare(&one, &other).expect("comparable");
    let (f, n, i) = score(&found.events, &truth);
    // None is told twice.
    let twice = found.events.len().saturating_sub(f + i);
    assert_eq!(twice, 0, "{kind:?}: {:?}", found.events);
    (truth.len(), f, n, i)
}

#[test]
fn a_skip_in_music_is_told_once() {
    let original = rounded(&band(RATE, 48_000 * 20, 77), STEP_24);
    for (noise, gain, fixed_frames) in [(-300.0, 0.0, 40.0), (-85.0, -3.0, 40.4)] {
        let way = SimulatedInterface {
            noise: Decibels::new(noise),
            gain: Decibels::new(gain),
            fixed_frames,
            ..SimulatedInterface::with_block(Block::new(64))
        };
        let recorded: Vec<Vec<f32>> = original.iter().map(|c| way.record(c, 3).samples).collect();
        let (channels, truth) = broken(&recorded, CrackleKind::Skip, 12, (16, 1024), 9);
        let one = InMemory { channels: &channels, rate: RATE, step: STEP_24 };
        let other = InMemory { channels: &original, rate: RATE, step: STEP_24 };
        let found = compare(&one, &other).expect("comparable");
        let skips = found.events.iter().filter(|e| e.kind == CrackleKind::Skip).count();
        assert_eq!(skips, truth.len(), "{noise}: {:?}\n{truth:?}", found.events);
        let shifts: Vec<i64> = found.events.iter().filter_map(|e| e.shift).filter(|s| *s != 0).collect();
        let lost: Vec<i64> = truth.iter().map(|d| -(d.length as i64)).collect();
        assert_eq!(shifts, lost);
    }
}

#[test]
fn against_the_original_every_frame_counts() {
    for (kind, _) in cases() {
        // One frame repeated is one frame held.
        let shortest = if kind == CrackleKind::Repeat || kind == CrackleKind::Skip { 2 } else { 1 };
        let (all, found, named, invented) = against(kind, (shortest, 600), 100, false, 5);
        assert_eq!((found, named, invented), (all, all, 0), "{kind:?} of {all}");
        assert!(all >= 98);
    }
}

#[test]
fn against_the_original_through_converters_and_noise() {
    for kind in [CrackleKind::Gap, CrackleKind::Repeat, CrackleKind::Skip] {
        let (all, found, named, invented) = against(kind, (16, 600), 20, true, 6);
        assert!(
            found == all && named + 1 >= all && invented == 0,
            "{kind:?}: {found} {named} {invented} of {all}"
        );
    }
}

#[test]
fn what_is_no_recording_of_the_original_is_refused() {
    let original = vec![tone(RATE, 48_000 * 4, Decibels::new(-12.0))];
    let other = band(RATE, 48_000 * 4, 9);
    let refused = |r: &[Vec<f32>]| {
        let one = InMemory { channels: r, rate: RATE, step: STEP_24 };
        let two = InMemory { channels: &original, rate: RATE, step: STEP_24 };
        match compare(&one, &two) {
            Err(Failed::Refused(why)) => Some(why),
            _ => None,
        }
    };
    assert_eq!(refused(&other[..1]), Some(AgainstRefusal::Unrelated));
    let fast =
        SimulatedInterface { drift: Ppm::new(400.0), ..SimulatedInterface::with_block(Block::new(64)) };
    let drifted = vec![fast.record(&original[0], 3).samples];
    assert!(
        matches!(refused(&drifted), Some(AgainstRefusal::Lost { .. } | AgainstRefusal::Unrelated)),
        "{:?}",
        refused(&drifted)
    );
}
