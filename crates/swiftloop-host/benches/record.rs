//! What recording a block costs: `cargo bench -p swiftloop-host --bench record`. At 64 frames and 48 kHz 750 blocks a
//! second are recorded; one percent of a core leaves 13.3 µs for each.
#![allow(missing_docs, clippy::unwrap_used)]

use criterion::{Criterion, criterion_group, criterion_main};
use std::hint::black_box;
use swiftloop_host::soak::{SoakMeter, WorkerRecord, now_ns};

fn record(c: &mut Criterion) {
    let (mut record, meter) = (WorkerRecord::new().unwrap(), SoakMeter::new(1));
    let mut block = 0u64;
    c.bench_function("record a block, three looks at the clock included", |b| {
        b.iter(|| {
            block += 1;
            let (due, woke, done) = (now_ns(), now_ns(), now_ns());
            // A value that wanders through the histogram's bins.
            let wake = 1000 + block * 7919 % 60_000 + (woke - due);
            record.block(block, block / 750, Some(wake), done - woke + wake, 20_000.0);
            meter.count(0, wake, done - woke);
        });
    });
    black_box(record.exec.len());
    c.bench_function("a look at the meter of one worker", |b| b.iter(|| black_box(meter.look())));
}

criterion_group!(benches, record);
criterion_main!(benches);
