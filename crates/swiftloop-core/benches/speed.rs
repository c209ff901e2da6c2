//! How fast, and how it grows: makespan and risk of one block, the remedies of one setting, the whole plan.
//! `cargo bench -p swiftloop-core`. Compare within one run: machines differ, ratios less so.
#![allow(missing_docs, clippy::unwrap_used)]

#[allow(clippy::expect_used, clippy::panic, reason = "a bench may")]
#[path = "../tests/laws/common.rs"]
mod common;

use common::{rig, session, tables};
use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use std::hint::black_box;
use swiftloop_core::doubt::Rigs;
use swiftloop_core::load::{BlockGraph, Graph, ScheduleRule, WorkShare, critical_path, list_schedule};
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{Arrangement, Evaluation, PhaseProblem, candidates, plan, report};
use swiftloop_core::rig::{LinkSetting, Offered, Rig, Setting};
use swiftloop_core::risk::{BlockMix, RiskModel, WakeSet};
use swiftloop_core::session::Session;
use swiftloop_fixtures::sessions::{self, Size};
use swiftloop_units::ids::NodeId;
use swiftloop_units::workers::OneByOne;
use swiftloop_units::{Block, Blocks, Hz, Micros, Range};
use typed_index_collections::TiVec;

fn made(tracks: usize, interfaces: usize, phases: usize) -> (Rig, Session) {
    let size = Size { tracks, processors: 6, interfaces, phases, remedies: 40 };
    let rig = rig(&sessions::rig(size));
    let session = session(&sessions::session(size), &rig);
    (rig, session)
}

fn arrangement(block: u32) -> Arrangement {
    let setting = Setting {
        interface: 0.into(),
        driver: 0.into(),
        rate: Hz::new(48_000),
        buffer: Offered::plain(Block::new(block)),
    };
    Arrangement { setting, roll: None, workers: 8, link: LinkSetting::default() }
}

fn makespan(c: &mut Criterion) {
    let mut group = c.benchmark_group("makespan");
    for tracks in [50, 200, 1000] {
        let (_, session) = made(tracks, 1, 2);
        let nodes = session.routes().nodes.len();
        let cost: TiVec<NodeId, Micros> = (0..nodes).map(|n| Micros::new(1.0 + (n % 7) as f64)).collect();
        let every: TiVec<NodeId, bool> = (0..nodes).map(|_| true).collect();
        let graph = BlockGraph::of(&Graph::of(session.routes()), &every);
        group.throughput(Throughput::Elements(tracks as u64));
        group.bench_with_input(BenchmarkId::new("critical path", tracks), &cost, |b, cost| {
            b.iter(|| critical_path(&graph, black_box(cost)));
        });
        group.bench_with_input(BenchmarkId::new("list schedule", tracks), &cost, |b, cost| {
            b.iter(|| list_schedule(&graph, black_box(cost), 8, ScheduleRule::FirstReady));
        });
    }
    group.finish();
}

fn risk(c: &mut Criterion) {
    let (rig, _) = made(10, 1, 1);
    let wake = WakeSet::of(&rig, rig.machine.power);
    let of = |share, work| WorkShare { share, work: Micros::new(work) };
    let mut group = c.benchmark_group("risk");
    for reserve in [1.0, 3.0, 7.0] {
        let model = RiskModel {
            period: Micros::new(1333.0),
            reserve: Range::exact(Blocks::new(reserve)),
            wake: &wake,
            meter: None,
        };
        group.bench_function(BenchmarkId::new("dropouts, reserve", reserve), |b| {
            let work = BlockMix::mixed(&[of(0.75, 500.0), of(0.25, 800.0)]);
            b.iter(|| model.typical(black_box(&work)));
        });
    }
    group.finish();
}

fn choice(c: &mut Criterion) {
    let mut group = c.benchmark_group("choice");
    group.sample_size(10);
    for tracks in [50, 200, 500, 1000] {
        let (rig, session) = made(tracks, 4, 6);
        let context = Context { tables: tables(), rig: &rig, session: &session, rigs: &Rigs::default() };
        let problem = PhaseProblem::new(context, 0.into(), 0.into(), Hz::new(48_000));
        let evaluation = Evaluation::new(&problem, arrangement(128));
        group.throughput(Throughput::Elements(tracks as u64));
        group.bench_function(BenchmarkId::new("one report, tracks", tracks), |b| {
            b.iter(|| report(&evaluation, &[]))
        });
        group.bench_function(BenchmarkId::new("one phase, tracks", tracks), |b| {
            b.iter(|| candidates(&problem))
        });
        group.bench_function(BenchmarkId::new("plan of 4 × 6, one thread, tracks", tracks), |b| {
            b.iter(|| plan(context, &OneByOne));
        });
    }
    group.finish();
}

fn settings(c: &mut Criterion) {
    let mut group = c.benchmark_group("settings");
    group.sample_size(10);
    for interfaces in [1, 2, 4, 8] {
        let (rig, session) = made(200, interfaces, 6);
        let context = Context { tables: tables(), rig: &rig, session: &session, rigs: &Rigs::default() };
        let count: usize = (0..interfaces).map(|i| context.settings(i.into(), Hz::new(48_000)).len()).sum();
        group.throughput(Throughput::Elements(count as u64));
        group.bench_function(BenchmarkId::new("plan, settings", count), |b| {
            b.iter(|| plan(context, &OneByOne))
        });
    }
    group.finish();
}

criterion_group!(benches, makespan, risk, choice, settings);
criterion_main!(benches);
