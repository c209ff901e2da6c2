//! How many lines of the kernel's text are read a second: `cargo bench -p swiftloop-files --bench trace`.
#![allow(missing_docs, clippy::expect_used)]

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::path::Path;
use swiftloop_files::trace::trace_from;
use swiftloop_measure::trace::TraceQuery;

fn lines_a_second(c: &mut Criterion) {
    let mut group = c.benchmark_group("trace");
    group.sample_size(20);
    for name in ["net", "timers", "throttle"] {
        let path = format!("{}/tests/traces/{name}.trace.txt", env!("CARGO_MANIFEST_DIR"));
        let text = std::fs::read_to_string(path).expect("a capture");
        group.throughput(Throughput::Elements(text.lines().count() as u64));
        group.bench_function(name, |b| {
            b.iter(|| trace_from(text.as_bytes(), Path::new(name), &TraceQuery::default()).expect("a trace"));
        });
    }
    group.finish();
}

criterion_group!(benches, lines_a_second);
criterion_main!(benches);
