//! A long recording is listened to stretch by stretch, by several workers: what is found must not depend on where the
//! seams lie, nor on who looks first.

use swiftloop_host::simulated::{Instrument, Playing, damage, play};
use swiftloop_measure::listen::{Crackle, CrackleKind, InMemory, Levels, Scan, listen};
use swiftloop_units::Hz;
use swiftloop_units::workers::{OneByOne, Workers};

const RATE: Hz = Hz::new(48_000);
const STEP: f32 = 1.0 / 8_388_608.0;
/// Between the first two stretches.
const SEAM: usize = 1 << 18;

fn drone(frames: usize, seed: u64) -> Vec<Vec<f32>> {
    let round = |x: f32| (x / STEP).round() * STEP;
    play(Instrument::Drone, Playing::Concert, RATE, frames, seed)
        .into_iter()
        .map(|c| c.into_iter().map(round).collect())
        .collect()
}

fn found(channels: &[Vec<f32>], workers: &impl Workers) -> Scan {
    listen(&InMemory { channels, rate: RATE, step: STEP }, workers, |_| ()).unwrap()
}

/// Two threads, each of which takes the last that is left.
struct FromTheEnd;

impl Workers for FromTheEnd {
    fn map<T: Send, R: Send>(&self, items: Vec<T>, each: impl Fn(T) -> R + Sync + Send) -> Vec<R> {
        let left = std::sync::Mutex::new(items.into_iter().enumerate().collect::<Vec<_>>());
        let work = || {
            let mut done = Vec::new();
            loop {
                let Some((i, item)) = left.lock().unwrap().pop() else { return done };
                done.push((i, each(item)));
            }
        };
        let mut all = std::thread::scope(|scope| {
            let threads = [scope.spawn(work), scope.spawn(work)];
            threads.into_iter().flat_map(|t| t.join().unwrap()).collect::<Vec<_>>()
        });
        all.sort_by_key(|a| a.0);
        all.into_iter().map(|a| a.1).collect()
    }
}

#[test]
fn a_break_at_a_seam_is_found_once_and_whole() {
    let piece = drone(SEAM + 60_000, 61);
    assert_eq!(found(&piece, &OneByOne).events, []);
    let mut random = fastrand::Rng::with_seed(2);
    for kind in [CrackleKind::Gap, CrackleKind::Hold, CrackleKind::Repeat] {
        for before in [4000i64, 65, 64, 30, 1, 0, -1, -40] {
            let start = (SEAM as i64 - before) as usize;
            let mut channels = piece.clone();
            damage(&mut channels, kind, start, 64, &mut random);
            let events = found(&channels, &OneByOne).events;
            let [Crackle { start: at, length, kind: named, channels: on, .. }] = events.as_slice() else {
                panic!("{kind:?} {before}: {events:?}")
            };
            // A frame at the edge can be right by chance.
            assert!(
                at.abs_diff(start as u64) <= 1 && length.abs_diff(64) <= 2,
                "{kind:?} {before}: {events:?}"
            );
            assert_eq!((*named, on.as_slice()), (kind, &[0, 1][..]), "{before}");
        }
    }
    for before in [300i64, 12, 1, 0, -12, -300] {
        let start = (SEAM as i64 - before) as usize;
        let mut channels = piece.clone();
        damage(&mut channels, CrackleKind::Click, start, 3, &mut random);
        // A faint click is believed beside another crackle.
        damage(&mut channels, CrackleKind::Gap, 40_000, 64, &mut random);
        let mut events = found(&channels, &OneByOne).events;
        assert_eq!(events.remove(0).kind, CrackleKind::Gap);
        assert!(events.len() == 1 && events[0].start.abs_diff(start as u64) <= 12, "{before}: {events:?}");
    }
}

#[test]
fn who_looks_first_changes_nothing() {
    let mut channels = drone(3 * SEAM + 12_345, 62);
    let mut random = fastrand::Rng::with_seed(3);
    for (i, kind) in
        [CrackleKind::Gap, CrackleKind::Repeat, CrackleKind::Hold, CrackleKind::Skip, CrackleKind::Click]
            .into_iter()
            .enumerate()
    {
        damage(
            &mut channels,
            kind,
            90_000 + i * 130_000,
            5 + 40 * usize::from(kind != CrackleKind::Click),
            &mut random,
        );
    }
    let one = found(&channels, &OneByOne);
    assert!(one.events.len() >= 4, "{:?}", one.events);
    assert_eq!(one, found(&channels, &FromTheEnd));
}

#[test]
fn levels_are_those_of_the_whole() {
    let mut channels = drone(SEAM + 5_000, 63);
    channels[1].iter_mut().for_each(|x| *x = *x * 0.5 + 0.01);
    channels[0][SEAM + 4_000] = -0.75;
    let levels = found(&channels, &OneByOne).levels;
    for (got, samples) in levels.iter().zip(&channels) {
        let whole = Levels::of(samples);
        assert!((got.dc_offset - whole.dc_offset).abs() < 1e-9, "{got:?} {whole:?}");
        assert_eq!((got.peak, got.full_scale), (whole.peak, whole.full_scale));
    }
    assert_eq!(levels[0].peak, 0.75);
}
