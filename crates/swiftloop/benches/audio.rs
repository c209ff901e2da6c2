//! How fast recordings are read and listened to, in bytes of 24-bit samples a second. `cargo bench -p swiftloop --bench audio`
#![allow(missing_docs, clippy::unwrap_used)]

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::hint::black_box;
use swiftloop_files::{Depth, Recording, wav_bytes};
use swiftloop_host::simulated::{SimulatedInterface, band};
use swiftloop_measure::listen::levels::Levels;
use swiftloop_measure::listen::{AudioSource, Grain, InMemory, compare, jumps, listen, repeats, runs};
use swiftloop_measure::probe::matched::Matched;
use swiftloop_measure::probe::{Recipe, read};
use swiftloop_units::workers::OneByOne;
use swiftloop_units::{Block, Hz};

const RATE: Hz = Hz::new(48_000);
const STEP: f32 = 1.0 / 8_388_608.0;

fn audio(c: &mut Criterion) {
    let music = band(RATE, 48_000 * 20, 3);
    let one = &music[0];
    let mut group = c.benchmark_group("one channel of 20 s");
    group.sample_size(10).throughput(Throughput::Bytes(one.len() as u64 * 3));
    group.bench_function("stand still", |b| {
        b.iter(|| runs::runs(black_box(one), &Grain::new(one, STEP), 48_000.0))
    });
    group.bench_function("come again", |b| {
        b.iter(|| repeats::repeats(black_box(one), &Grain::new(one, STEP)))
    });
    group.bench_function("jump", |b| b.iter(|| jumps::jumps(black_box(one), STEP, 48_000.0)));
    group.bench_function("levels", |b| b.iter(|| Levels::of(black_box(one))));
    let recipe = Recipe::new(RATE, 1, 8, -12).unwrap();
    group.bench_function("matched filter", |b| b.iter(|| Matched::new(black_box(one), &recipe)));
    group.finish();

    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("music.wav");
    std::fs::write(&path, wav_bytes(&music, RATE, Depth::Int24).unwrap()).unwrap();
    let file = Recording::open(&path).unwrap();
    let mut group = c.benchmark_group("stereo of 20 s");
    group.sample_size(10).throughput(Throughput::Bytes(music[0].len() as u64 * 6));
    group.bench_function("reading the file", |b| {
        b.iter(|| {
            // As listen does it: stretch by stretch.
            (0..file.frames())
                .step_by(1 << 17)
                .map(|n| file.fetch(n, (n + (1 << 17)).min(file.frames())).unwrap()[0][0])
                .sum::<f32>()
        });
    });
    group.bench_function("listen, one worker, from the file", |b| {
        b.iter(|| listen(&file, &OneByOne, |_| ()).unwrap())
    });
    let memory = InMemory { channels: &music, rate: RATE, step: STEP };
    group.bench_function("listen against", |b| b.iter(|| compare(&memory, &memory).unwrap()));
    group.finish();

    let mut played = recipe.render().swap_remove(0);
    played.resize(48_000 * 60, 0.0);
    let take = SimulatedInterface::with_block(Block::new(128)).record(&played, 1).samples;
    let both = vec![take.clone(), take];
    let mut group = c.benchmark_group("stereo minute with a probe");
    group.sample_size(10).throughput(Throughput::Bytes(both[0].len() as u64 * 6));
    group.bench_function("probe read, one worker", |b| {
        b.iter(|| read(black_box(&both), RATE, None, &OneByOne).unwrap())
    });
    group.finish();
}

criterion_group!(benches, audio);
criterion_main!(benches);
