//! What a call costs and what a frame costs. Calls at several blocks come in; a line through what each block takes goes out, with
//! ranges that hold what was seen.

use super::{BurstFound, Timed, Yardsticks};
use swiftloop_units::stats::quantile;
use swiftloop_units::{Nanos, Range};

/// Fewer undisturbed calls are no answer for a block.
const FEWEST: usize = 12;

/// What a processor costs.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ProcessorCostFound {
    pub per_call: Range<Nanos>,
    pub per_frame: Range<Nanos>,
    /// Share of all calls that were undisturbed.
    pub undisturbed: f64,
}

/// One block: what it takes in the mean, and the spread of that.
#[derive(Clone, Copy)]
struct BlockTime {
    frames: f64,
    ns: f64,
    low: f64,
    high: f64,
}

/// The line `call + frames × per frame` through what blocks take, least squares of the relative errors, neither figure below
/// zero. `known_floor` is the least that the yardsticks ever took on this machine, where that is known. What it takes in bursts
/// is no part of it: blocks in which there is one in every call count only where there are no others. Low and high are those of
/// lines through all the low and all the high figures, and of lines without one of the blocks each (a jackknife).
/// Nothing when fewer than two blocks were called often enough.
#[must_use]
pub fn weighed(
    all: &[Timed],
    known_floor: Option<Yardsticks>,
    burst: Option<BurstFound>,
) -> Option<ProcessorCostFound> {
    let is_bare = |t: &&Timed| burst.is_none_or(|b| t.block < b.frames);
    let enough = all.iter().filter(is_bare).count() > 1;
    let used = all.iter().filter(|t| !enough || is_bare(t));
    let all: Vec<Timed> = used.map(|t| t.clone().between(burst)).collect();
    let floor = all.iter().map(Timed::floor).fold(known_floor.unwrap_or(Yardsticks::NONE), Yardsticks::least);
    let kept: Vec<(u32, Vec<f64>)> = all.iter().map(|t| (t.block, t.undisturbed(floor))).collect();
    let calls: usize = all.iter().map(|t| t.calls.len()).sum();
    let undisturbed = kept.iter().map(|k| k.1.len()).sum::<usize>() as f64 / calls.max(1) as f64;
    let points: Vec<BlockTime> = all
        .iter()
        .zip(&kept)
        .filter_map(
            |(timed, (block, ns))| {
                if ns.len() >= FEWEST { Some(point(*block, ns)) } else { calmest(timed, floor) }
            },
        )
        .collect();
    if points.len() < 2 {
        return None;
    }
    let line_of = |pick: fn(&BlockTime) -> f64, without: Option<usize>| {
        let used = points.iter().enumerate().filter(|(i, _)| Some(*i) != without);
        line(&used.map(|(_, p)| (p.frames, pick(p))).collect::<Vec<_>>())
    };
    let typical = line_of(|p| p.ns, None);
    let mut lines = vec![line_of(|p| p.low, None), line_of(|p| p.high, None)];
    if points.len() > 2 {
        lines.extend((0..points.len()).map(|i| line_of(|p| p.ns, Some(i))));
    }
    let range = |pick: fn(&(f64, f64)) -> f64| {
        let edge = |f: fn(f64, f64) -> f64| lines.iter().map(pick).fold(pick(&typical), f);
        Range::spanning(Nanos::new(edge(f64::min)), Nanos::new(pick(&typical)), Nanos::new(edge(f64::max)))
    };
    Some(ProcessorCostFound { per_call: range(|l| l.0), per_frame: range(|l| l.1), undisturbed })
}

/// What calls take as the machine is, whatever disturbed them: lines through the quarter, the half and three quarters of the calls at
/// each block. Nothing for fewer than two blocks.
#[must_use]
pub fn as_it_is(all: &[Timed], burst: Option<BurstFound>) -> Option<ProcessorCostFound> {
    let all: Vec<Timed> =
        all.iter().map(|t| t.clone().between(burst)).filter(|t| t.calls.len() >= FEWEST).collect();
    if all.len() < 2 {
        return None;
    }
    let line_at = |q: f64| {
        let at = |t: &Timed| (f64::from(t.block), quantile(t.calls.iter().map(|c| c.ns), q));
        line(&all.iter().map(at).collect::<Vec<_>>())
    };
    let [low, typical, high] = [0.25, 0.5, 0.75].map(line_at);
    let range = |pick: fn((f64, f64)) -> f64| {
        Range::spanning(Nanos::new(pick(low)), Nanos::new(pick(typical)), Nanos::new(pick(high)))
    };
    Some(ProcessorCostFound { per_call: range(|l| l.0), per_frame: range(|l| l.1), undisturbed: 1.0 })
}

/// Where the machine was hardly ever as fast as it can be: the calls in its calmest moments. Work is bound by latency, by throughput,
/// or by something of both, so it was slowed down no less than the one yardstick and no more than the other; to expect is
/// their geometric mean.
fn calmest(timed: &Timed, floor: Yardsticks) -> Option<BlockTime> {
    let mut order: Vec<(f64, [f64; 3])> =
        timed.calls.iter().map(|c| (c.ns, c.beside.beside(floor).map(|r| r.max(1.0)))).collect();
    order.sort_by(|a, b| a.1[1].total_cmp(&b.1[1]));
    let calm = order.get(..FEWEST)?;
    let [least, middle, most] = [0, 1, 2].map(|which| {
        let undone: Vec<f64> = calm.iter().map(|(ns, slowed)| ns / slowed[which]).collect();
        point(timed.block, &undone)
    });
    Some(BlockTime {
        ns: middle.ns,
        low: most.low.min(middle.low),
        high: least.high.max(middle.high),
        ..middle
    })
}

/// The mean, and what that may be off by.
fn point(block: u32, ns: &[f64]) -> BlockTime {
    let mut sorted = ns.to_vec();
    sorted.sort_by(f64::total_cmp);
    let n = sorted.len();
    // What struck a call itself, and neither yardstick beside it, is left out of it.
    let middle = sorted[n / 2];
    let outliers = sorted.iter().rev().take_while(|t| **t > 30.0 * middle.max(1.0)).count().min(n / 50);
    let used = &sorted[..n - outliers];
    let mean = used.iter().sum::<f64>() / used.len() as f64;
    // What the mean of so many calls may be off by, and no less than what clocks resolve.
    let variance = used.iter().map(|t| (t - mean).powi(2)).sum::<f64>() / used.len() as f64;
    let doubt = (2.0 * (variance / used.len() as f64).sqrt()).max(0.02 * mean);
    BlockTime { frames: f64::from(block), ns: mean, low: (mean - doubt).max(0.0), high: mean + doubt }
}

/// Least squares of relative errors, neither coefficient below zero.
fn line(points: &[(f64, f64)]) -> (f64, f64) {
    let weight = |ns: f64| 1.0 / ns.max(1.0).powi(2);
    let sums = points.iter().fold([0.0; 5], |s, &(x, y)| {
        let w = weight(y);
        [s[0] + w, s[1] + w * x, s[2] + w * x * x, s[3] + w * y, s[4] + w * x * y]
    });
    let [w, wx, wxx, wy, wxy] = sums;
    let det = w * wxx - wx * wx;
    let (call, frame) = if det.abs() < 1e-12 * w * wxx {
        (0.0, wxy / wxx)
    } else {
        ((wxx * wy - wx * wxy) / det, (w * wxy - wx * wy) / det)
    };
    if call < 0.0 {
        (0.0, wxy / wxx)
    } else if frame < 0.0 {
        (wy / w, 0.0)
    } else {
        (call, frame)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::weigh::Call;

    fn yardsticks(times: f64) -> Yardsticks {
        let at = Yardsticks::REFERENCE;
        Yardsticks { latency_ns: times * at.latency_ns, throughput_ns: times * at.throughput_ns }
    }

    /// Calls on a machine that is disturbed now and then: everything takes longer then, the yardstick too.
    fn timed(random: &mut fastrand::Rng, block: u32, call: f64, frame: f64, disturbed: f64) -> Timed {
        let count = 200;
        let slow: Vec<f64> = (0..=count)
            .map(|_| if random.f64() < disturbed { 1.5 + 3.0 * random.f64() } else { 1.0 })
            .collect();
        let mut call = |i: usize| Call {
            ns: (call + frame * f64::from(block)) * slow[i].max(slow[i + 1]) * (1.0 + 0.01 * random.f64()),
            beside: yardsticks(slow[i].max(slow[i + 1]) * (1.0 + 0.02 * random.f64())),
        };
        Timed { block, calls: (0..count).map(&mut call).collect() }
    }

    #[test]
    fn call_and_frame_are_told_apart_however_disturbed_the_machine_is() {
        let mut random = fastrand::Rng::with_seed(11);
        for _ in 0..100 {
            let (call, frame) = (50.0 * 200f64.powf(random.f64()), 0.5 * 400f64.powf(random.f64()));
            let disturbed = 0.6 * random.f64();
            let all: Vec<Timed> =
                [32, 64, 128, 256, 512, 1024].map(|b| timed(&mut random, b, call, frame, disturbed)).into();
            let found = weighed(&all, None, None).expect("enough calls");
            for (said, truth, small) in
                [(found.per_call, call, frame * 32.0), (found.per_frame, frame, call / 1024.0)]
            {
                let off = (said.typical().raw() - truth).abs();
                assert!(off < 0.05 * truth + 0.03 * small, "{said:?} {truth}");
                assert!(said.low().raw() <= truth + off && truth - off <= said.high().raw());
            }
        }
    }

    #[test]
    fn one_block_or_a_handful_of_calls_is_no_answer() {
        let mut random = fastrand::Rng::with_seed(1);
        assert!(weighed(&[timed(&mut random, 64, 100.0, 1.0, 0.0)], None, None).is_none());
        let few = Timed { block: 64, calls: vec![Call { ns: 1.0, beside: yardsticks(1.0) }; 5] };
        assert!(weighed(&[few.clone(), Timed { block: 128, ..few }], None, None).is_none());
    }

    /// On a machine that is never as fast as it can be the range holds what work of any kind takes there at its best.
    #[test]
    fn the_range_holds_the_truth_when_no_moment_was_calm() {
        let mut random = fastrand::Rng::with_seed(2);
        let (call, frame) = (2_000.0, 20.0);
        let (latency, throughput) = (1.15, 2.0f64);
        for bound in [0.0, 0.3, 0.5, 1.0] {
            let slowed = f64::powf(latency, bound) * throughput.powf(1.0 - bound);
            let mut all: Vec<Timed> = [64, 256, 1024].map(|b| timed(&mut random, b, call, frame, 0.0)).into();
            for c in all.iter_mut().flat_map(|t| &mut t.calls) {
                c.ns *= slowed;
                c.beside.latency_ns *= latency;
                c.beside.throughput_ns *= throughput;
            }
            // Another day it was as fast as it can be.
            let found = weighed(&all, Some(yardsticks(1.0)), None).expect("an answer all the same");
            let (low, high) = (found.per_frame.low().raw(), found.per_frame.high().raw());
            assert!(low <= frame * 1.01 && frame <= high * 1.01, "{bound}: {found:?}");
            assert!(high > 1.5 * low, "{bound}: {found:?}");
            assert!(found.undisturbed < 0.01);
        }
    }

    /// As the machine is: whatever slowed it down is in it, and half of the calls lie between low and high.
    #[test]
    fn as_it_is_tells_what_calls_take_now() {
        let mut random = fastrand::Rng::with_seed(9);
        let (call, frame, slow) = (500.0, 8.0, 1.8);
        let mut all: Vec<Timed> = [64, 256, 1024].map(|b| timed(&mut random, b, call, frame, 0.0)).into();
        all.iter_mut().flat_map(|t| &mut t.calls).for_each(|c| c.ns *= slow);
        let found = as_it_is(&all, None).expect("enough calls");
        let at = |n: f64| found.per_call.typical().raw() + n * found.per_frame.typical().raw();
        for n in [64.0, 512.0] {
            let truth = slow * (call + n * frame);
            assert!((at(n) / truth - 1.0).abs() < 0.02, "{n}: {} {truth}", at(n));
        }
        assert!(found.per_frame.low() <= found.per_frame.typical());
        assert!(as_it_is(&all[..1], None).is_none());
    }

    #[test]
    fn the_calmest_calls_stand_in_for_undisturbed_ones() {
        let mut random = fastrand::Rng::with_seed(10);
        let mut timed = timed(&mut random, 64, 100.0, 1.0, 0.0);
        assert!(timed.calm(yardsticks(1.0), 8).len() > 100);
        for (i, c) in timed.calls.iter_mut().enumerate() {
            c.beside = yardsticks(2.0 + i as f64);
            c.ns = i as f64;
        }
        assert_eq!(timed.calm(yardsticks(1.0), 3), [0.0, 1.0, 2.0]);
    }

    /// What a call and a frame cost does not depend on how many bursts fell into the calls.
    #[test]
    fn bursts_are_no_part_of_a_frame() {
        let mut random = fastrand::Rng::with_seed(6);
        let (call, frame, own, ns) = (300.0, 4.0, 480u32, 90_000.0);
        for blocks in [&[32u32, 64, 128, 256, 512, 1024][..], &[512, 1024, 2048]] {
            let with_bursts = |block: &u32| {
                let mut timed = timed(&mut random, *block, call, frame, 0.2);
                for (i, c) in timed.calls.iter_mut().enumerate() {
                    let passed = |calls: usize| calls as u64 * u64::from(*block) / u64::from(own);
                    c.ns += ns * (passed(i + 1) - passed(i)) as f64;
                }
                timed
            };
            let all: Vec<Timed> = blocks.iter().map(with_bursts).collect();
            let found = weighed(&all, None, Some(BurstFound { frames: own, ns })).expect("enough calls");
            let at = |n: f64| found.per_call.typical().raw() + n * found.per_frame.typical().raw();
            let (said, truth) = (at(512.0), call + 512.0 * frame);
            // Where every call holds one, what is left beside it is only known as well as the burst is.
            let known = if blocks[0] < own { 0.05 * truth } else { 0.1 * ns };
            assert!((said - truth).abs() < known, "{blocks:?}: {said} {truth}");
        }
    }
}
