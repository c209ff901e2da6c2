//! What is summed, held against small worlds that were written without looking at how the core sums it: the order of work,
//! blocks behind blocks, the ring, the disk, and a time line of interruptions.

use crate::common::tables;
use crate::simulate::{between, disk, ring, roll, scheduler, spread, timeline};
use swiftloop_core::load::{
    BlockGraph, BlockSequence, Graph, ScheduleRule, WorkShare, critical_path, first_ready_bound,
    graham_bound, least_bound, list_schedule, responses,
};
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::risk::{BlockMix, RiskModel, WakeSet, disk_dropouts};
use swiftloop_units::ids::NodeId;
use swiftloop_units::{Blocks, Factor, MegabytesPerSecond, Micros, Ms, Range, Share};
use typed_index_collections::TiVec;

#[test]
fn software_works_in_the_order_that_is_said() {
    let mut random = fastrand::Rng::with_seed(1);
    let mut shorter = 0;
    for _ in 0..400 {
        let block = scheduler::random_block(&mut random);
        let workers = random.u32(1..7);
        let ids = |to: &Vec<usize>| to.iter().map(|t| NodeId::from(*t)).collect();
        let count = block.takes.len();
        let to = block.feeds.iter().map(ids).collect();
        let order = (0..count).map(NodeId::from).collect();
        let cost: TiVec<NodeId, Micros> = block.takes.iter().map(|&us| Micros::new(us)).collect();
        let every: TiVec<NodeId, bool> = cost.iter().map(|_| true).collect();
        let graph = BlockGraph::of(&Graph { to, order }, &every);
        let typical = list_schedule(&graph, &cost, workers, ScheduleRule::FirstReady);
        let simulated = scheduler::done_at(&block, workers as usize);
        assert!((typical.raw() - simulated).abs() < 1e-6, "{} {simulated}", typical.raw());
        let (total, chain) = (cost.iter().copied().sum(), critical_path(&graph, &cost).0);
        let (most, least) = (graham_bound(total, chain, workers), least_bound(total, chain, workers));
        let best = ScheduleRule::ALL
            .map(|rule| list_schedule(&graph, &cost, workers, rule))
            .into_iter()
            .fold(typical, Micros::min);
        let (turn, longest) = first_ready_bound(&graph, &cost, workers);
        assert!((longest - chain).raw().abs() < 1e-9);
        assert!(least.raw() <= best.raw() + 1e-9 && best <= typical && typical.raw() <= most.raw() + 1e-9);
        assert!(turn.raw() <= typical.raw() + 1e-9, "{} {}", turn.raw(), typical.raw());
        shorter += usize::from(typical.raw() < 0.95 * most.raw());
    }
    // Graham's bound is no estimate: most blocks take clearly less.
    assert!(shorter > 200, "{shorter}");
}

#[test]
fn roll_blocks_wait_for_the_very_cue_blocks_that_fall_into_their_time() {
    let mut random = fastrand::Rng::with_seed(2);
    for case in 0..200 {
        let frames = 32 << random.u32(0..4);
        let times = [1, 2, 4, 8, 3][random.usize(0..5)];
        let us = 1e6 / 48_000.0;
        let period = f64::from(frames) * us;
        let cue: Vec<f64> =
            (0..random.usize(1..4)).map(|_| period * between(&mut random, 0.02, 0.6)).collect();
        let load = cue.iter().sum::<f64>() / cue.len() as f64 / period;
        let long = period * f64::from(times);
        let roll: Vec<f64> =
            (0..random.usize(1..3)).map(|_| long * (1.0 - load) * between(&mut random, 0.1, 0.8)).collect();
        let micros = |all: &[f64]| all.iter().map(|&us| Micros::new(us)).collect::<Vec<_>>();
        let (cue_work, roll_work) = (micros(&cue), micros(&roll));
        let said = responses(
            BlockSequence { frames, work: &cue_work },
            BlockSequence { frames: frames * times, work: &roll_work },
            us,
            Micros::new(long * 20.0),
        )
        .unwrap();
        let mut expected = Vec::new();
        for share in &said {
            // As many of each as its share of the cycle says.
            let count = (share.share * 24.0).round() as usize;
            expected.extend(std::iter::repeat_n(share.work.raw(), count));
        }
        let mut simulated = roll::responses(&cue, period, &roll, long, 24);
        simulated.sort_by(f64::total_cmp);
        assert_eq!(expected.len(), 24, "{case}");
        for (said, seen) in expected.iter().zip(&simulated) {
            assert!((said - seen).abs() < period * 0.004 + 0.002 * seen, "{case}: {said} {seen}");
        }
    }
}

#[test]
fn a_ring_of_blocks_gives_as_many_from_input_to_output_and_bears_one_less() {
    let mut random = fastrand::Rng::with_seed(8);
    for _ in 0..200 {
        let (block, blocks) = (random.usize(8..160), random.u32(2..9));
        let (frames, dry) = ring::trip(block, blocks as usize, 0);
        assert!(!dry);
        assert_eq!(frames, block * blocks as usize);
        assert_eq!(ring::bears(block, blocks as usize), block * (blocks as usize - 1));
        let alsa = tables().driver_model("alsa").unwrap();
        let out = alsa.way.blocks_out(blocks, alsa.blocks_out);
        let all = (alsa.blocks_in.typical() + out.typical()).raw();
        assert_eq!(all, f64::from(blocks));
        assert_eq!(alsa.way.bears(out).typical().raw(), f64::from(blocks - 1));
    }
    // Two halves that are switched are a ring of two.
    for model in ["alsa", "asio", "wasapi-exclusive", "core-audio"] {
        let row = tables().driver_model(model).unwrap();
        let all = row.blocks_in.typical() + row.blocks_out.typical();
        assert_eq!((all.raw(), row.way.bears(row.blocks_out).typical().raw()), (2.0, 1.0), "{model}");
    }
}

#[test]
fn a_disk_breaks_as_often_as_its_stalls_outlast_what_was_read_ahead() {
    let mut assume = tables().assume.clone();
    let mut ratios = Vec::new();
    let mut random = fastrand::Rng::with_seed(9);
    for _ in 0..200 {
        let stall = between(&mut random, 10.0, 300.0);
        let (ahead, used) = (stall * (1.0 + 3.5 * random.f64()), 0.01 + 0.94 * random.f64());
        let often = between(&mut random, 2.0, 90.0);
        assume.disk_stall_ms = Range::exact(Ms::new(stall));
        assume.disk_stalls_per_hour = often;
        let of = MegabytesPerSecond::new;
        let said = disk_dropouts(of(100.0 * used), of(100.0), Ms::new(ahead), &assume).typical.raw();
        let seen = disk::dropouts_per_hour(ahead, stall, used, often, 100_000.0 / often);
        ratios.push(said / seen);
    }
    let [low, _, high] = spread(ratios);
    assert!(low > 0.85 && high < 1.15, "{low} {high}");
}

/// A class of machine with these figures, all exact.
fn class(w: &timeline::World) -> WakeSet {
    let mut row = tables().machine_class("desktop").unwrap().under(PowerPlan::Performance).clone();
    row.median_us = Range::exact(Micros::new(w.median));
    row.threshold_us = Micros::new(w.threshold);
    row.tail_share = Range::exact(Share::new(w.share));
    row.shape = Range::exact(Factor::new(w.shape));
    row.scale_us = Range::exact(Micros::new(w.scale));
    row.variation = Range::exact(Factor::new(w.variation));
    WakeSet::of_class(&row)
}

fn said(w: &timeline::World) -> f64 {
    let wake = class(w);
    let reserve = Range::exact(Blocks::new(w.reserve));
    let model = RiskModel { period: Micros::new(w.period), reserve, wake: &wake, meter: None };
    let work = BlockMix::mixed(&[WorkShare { share: 1.0, work: Micros::new(w.work) }]);
    model.typical(&work).raw() / (3.6e9 / w.period)
}

fn world(random: &mut fastrand::Rng, blocks: u32) -> timeline::World {
    let period = [32.0, 64.0, 128.0, 256.0, 512.0][random.usize(0..5)] / 48_000.0 * 1e6;
    let median = between(random, 3.0, 60.0);
    timeline::World {
        period,
        work: period * (0.3 + 0.67 * random.f64().sqrt()),
        reserve: f64::from(blocks - 1),
        median,
        threshold: median * between(random, 3.0, 7.0),
        share: between(random, 1e-4, 6e-3),
        shape: random.f64() * 0.3 - 0.05,
        scale: between(random, 15.0, 120.0),
        variation: between(random, 0.01, 0.08),
    }
}

/// Said over seen, of settings that broke often enough to tell, with blocks in the ring from which to choose.
fn ratios(blocks: &[u32], settings: usize, long: u64, seed: u64) -> Vec<(f64, timeline::World)> {
    let mut random = fastrand::Rng::with_seed(seed);
    let mut all = Vec::new();
    while all.len() < settings {
        let n = blocks[random.usize(0..blocks.len())];
        let w = world(&mut random, n);
        // Where next to nothing breaks nothing can be counted.
        if said(&w) * (long as f64) < 60.0 {
            continue;
        }
        let seen = timeline::dropouts(&w, long, random.u64(..));
        if seen * (long as f64) >= 30.0 {
            all.push((said(&w) / seen, w));
        }
    }
    all
}

#[test]
fn two_blocks_break_as_often_as_on_a_time_line_of_interruptions() {
    let [low, middle, high] = spread(ratios(&[2], 200, 150_000, 3).into_iter().map(|r| r.0).collect());
    assert!(low > 0.75 && high < 1.35, "{low} {middle} {high}");
}

#[test]
fn more_blocks_break_as_often_as_on_a_time_line_of_interruptions() {
    let [low, middle, high] = spread(ratios(&[2, 3, 4], 200, 150_000, 4).into_iter().map(|r| r.0).collect());
    assert!(low > 0.7 && high < 1.4, "{low} {middle} {high}");
}

/// The table in the documents.
#[test]
#[ignore = "minutes: ten million blocks each"]
fn time_line_table() {
    for blocks in [2, 3, 4] {
        let [low, middle, high] = spread(
            ratios(&[blocks], 200, 10_000_000, 40 + u64::from(blocks)).into_iter().map(|r| r.0).collect(),
        );
        println!("{blocks} blocks: said over simulated {low:.2} to {high:.2}, in the middle {middle:.2}");
    }
}
