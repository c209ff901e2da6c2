//! Dropouts in every possible rig. An arrangement and the state that remedies leave come in; the rate of every rig goes out.
//! A rate depends on three things only (how dear the work is, how late the thread wakes, how many blocks the
//! device holds), so it is worked out at a few points of each, and taken from between them by its logarithm.

use super::block_times::BlockTimes;
use super::block_times::Worked;
use super::block_work::BlockWork;
use super::evaluation::Evaluation;
use super::quantile_point::QuantilePoint;
use crate::doubt::{Cause, SpreadShape, lean, lean_at};
use crate::load::WorkSpread;
use crate::plan::quantile_point::WAKE_POINTS;
use crate::plan::taken::RemediesTaken;
use crate::risk::{BlockMix, RiskModel, WakeSet};
use std::sync::Arc;
use swiftloop_units::{Blocks, Factor, Micros, Ms, PerHour, Range};
/// The same of the device's blocks.
const BLOCK_POINTS: [f64; 3] = [-0.9, 0.0, 0.9];
/// Shares of rigs whose work is lighter, at the points between the lightest and the heaviest.
const WORK_POINTS: [f64; 2] = [0.5, 0.9];
/// So many times what is allowed, or that part of it, is all the same.
const CLEAR: f64 = 30.0;
/// Below this rate nothing counts.
const NEVER: f64 = 1e-12;

impl Evaluation<'_, '_> {
    /// Dropouts per hour in every rig after `applied`, whatever causes them. The evaluation has typical figures.
    pub(super) fn rates(&self, applied: &RemediesTaken, times: &BlockTimes) -> Vec<f64> {
        debug_assert!(self.design == QuantilePoint::TYPICAL, "rigs are drawn around typical figures");
        let rigs = self.problem.question.context.rigs;
        let points = &self.problem.question.machine(applied).points;
        let device = (self.arrangement.setting.interface, self.arrangement.setting.driver);
        let of_blocks = |block, worked: &[Worked], model: &RiskModel<'_>, work: &BlockMix| {
            let factors = self.spread(block, worked, applied).factors(rigs);
            let held = rigs.leans(Cause::Blocks(device.0, device.1));
            let woken = rigs.leans(Cause::WakeUps);
            Surface::of(self.problem.question.around, model, points, work, &factors, rigs)
                .over(&factors, &woken, &held)
        };
        let mut sum = of_blocks(
            &self.cue,
            &times.cue,
            &self.cue_risk(applied),
            &self.cue_work(&times.cue, |w| w.typical),
        );
        if let (Some(block), Some(roll)) = (&self.roll, &times.roll) {
            let model = self.roll_risk(roll.block, applied);
            let own = of_blocks(block, &roll.worked, &model, &BlockMix::mixed(&roll.responses));
            sum.iter_mut().zip(own).for_each(|(s, o)| *s += o);
        }
        self.add_stored(applied, &mut sum);
        sum
    }

    /// Whether there are few enough dropouts where work, wake-ups and blocks are all so bad that nine of ten rigs are better in
    /// all three (0.9655³): then there are in 9 of 10.
    pub(super) fn holds_at_a_glance(&self, applied: &RemediesTaken, times: &BlockTimes) -> bool {
        const ALL_THREE: f64 = 0.9655;
        let (rigs, target) = (self.problem.question.context.rigs, self.problem.question.target);
        let stored = self.stored_at(applied, lean(ALL_THREE));
        let woken = lean(ALL_THREE);
        let wake = self.problem.question.machine(applied).wake.leaning(woken);
        let most = |block, worked: &[Worked], model: RiskModel<'_>, work: &BlockMix| {
            let factors = self.spread(block, worked, applied).factors(rigs);
            let reserve = Range::exact(Blocks::new(lean_at(model.reserve, -woken, SpreadShape::Even)));
            let at = RiskModel { reserve, wake: &wake, ..model };
            let heavy = work.times(rigs.at_most(&factors, ALL_THREE));
            if reserve.typical() > Blocks::new(1.0) {
                return at.roughly(&heavy);
            }
            let (least, most) = at.typical_between(&heavy);
            if least > target || most <= target { most } else { at.typical(&heavy) }
        };
        let cue_work = self.cue_work(&times.cue, |w| w.typical);
        let mut all = stored + most(&self.cue, &times.cue, self.cue_risk(applied), &cue_work);
        if let (Some(block), Some(roll), true) = (&self.roll, &times.roll, all <= target) {
            let model = self.roll_risk(roll.block, applied);
            all += most(block, &roll.worked, model, &BlockMix::mixed(&roll.responses));
        }
        all <= target
    }

    /// The share of a block's time that could be added to its work before it breaks too often, with wake-ups somewhat worse than
    /// is typical. What leaves the work light may still leave no room: a small block is used up by late wake-ups.
    pub(super) fn room_to_grow(&self, applied: &RemediesTaken) -> f64 {
        const WORSE: f64 = 0.4;
        const HALVINGS: u32 = 7;
        let worked = self.worked(&self.cue, applied);
        let model = self.cue_risk(applied);
        let wake = self.problem.question.machine(applied).wake.leaning(WORSE);
        let at = RiskModel { wake: &wake, ..model };
        let work = self.cue_work(&worked, |w| w.typical);
        let deadline = model.period * model.reserve.typical().raw();
        let worst = worked.iter().map(|w| w.typical).fold(Micros::new(1e-3), Micros::max) / deadline;
        let (mut low, mut high) = (0.0, 1.0);
        for _ in 0..HALVINGS {
            let middle = (low + high) / 2.0;
            let holds = at.typical_between(&work.times(middle / worst)).1 <= self.problem.question.target;
            if holds { low = middle } else { high = middle }
        }
        low - worst
    }

    /// Adds what disk and memory break.
    fn add_stored(&self, applied: &RemediesTaken, sum: &mut [f64]) {
        let problem = self.problem;
        let (rigs, assume) = (problem.question.context.rigs, &problem.question.context.tables.assume);
        let (streams, ahead) = (problem.question.streams_after(applied), problem.question.read_ahead());
        let throughput = problem.question.context.rig.machine.disk_mb_per_s;
        let swapped = self.from_memory(applied).typical.raw();
        let rate = |lean: f64| {
            let stall = Ms::new(lean_at(assume.disk_stall_ms, lean, SpreadShape::Factor));
            crate::risk::disk_rate(streams, throughput, ahead, stall, assume).raw()
        };
        // Where even the longest stalls break next to nothing all rigs are the same.
        let still = rate(1.0) < problem.question.target.raw() * 1e-3;
        let steady = rate(0.0);
        let (disk, swapping) = (rigs.leans(Cause::Disk), rigs.leans(Cause::Swapping));
        for (i, sum) in sum.iter_mut().enumerate() {
            *sum += if still { steady } else { rate(disk[i]) };
            if swapped > 0.0 {
                *sum += swapped * assume.swap_doubt.raw().powf(swapping[i]);
            }
        }
    }

    /// How the work of a block spreads.
    pub(super) fn spread(&self, block: &BlockWork, worked: &[Worked], applied: &RemediesTaken) -> WorkSpread {
        let k = block.worst_index();
        let cost = block.node_costs(&self.problem.question, k, applied);
        let spread =
            WorkSpread::of(block.sums_after(&self.problem.question, applied), cost.iter().copied().sum())
                .paced(self.paced());
        let workers = self.arrangement.workers;
        let with_order = match worked.get(k).filter(|w| workers > 1 && w.typical.raw() > 0.0) {
            None => spread,
            Some(w) => {
                let beside = |t: Micros| Factor::new(t / w.typical);
                let (least, most) = (w.least.min(w.typical), w.most.max(w.typical));
                let order = Range::spanning(beside(least), Factor::new(1.0), beside(most));
                spread.and(Cause::Order, order, SpreadShape::Even)
            }
        };
        with_order.and(Cause::Speed, self.speed_doubt(), SpreadShape::Factor).and(
            Cause::Crowding,
            self.crowding(applied),
            SpreadShape::Even,
        )
    }

    /// Factors on all work: how well the speed of a core is known. A meter showed the work as this machine does it.
    fn speed_doubt(&self) -> Range<Factor> {
        if self.problem.question.context.session.is_metered {
            return Range::exact(Factor::new(1.0));
        }
        let (machine, assume) =
            (&self.problem.question.context.rig.machine, &self.problem.question.context.tables.assume);
        let off = if machine.measured_speed().is_some() {
            assume.measured_speed_doubt
        } else if machine.core_speed.is_some() {
            assume.declared_speed_doubt
        } else {
            assume.class_speed_doubt
        };
        Range::spanning(Factor::new(1.0 / off.raw()), Factor::new(1.0), off)
    }

    /// How much dearer what was measured alone is in a chain here.
    fn paced(&self) -> Range<Factor> {
        let context = self.problem.question.context;
        context.rig.machine.paced_cost.unwrap_or(context.tables.assume.paced_cost)
    }

    /// How much dearer a design takes all work than is typical: what so many rigs stay under, before any remedy.
    pub(super) fn dearer_at(&self, design: QuantilePoint) -> f64 {
        if design == QuantilePoint::TYPICAL {
            return 1.0;
        }
        let applied = self.problem.question.apply(&[], &[]);
        let of = |block: &Arc<BlockWork>| {
            // In which order the software works the point knows by itself.
            let at_all_points = || {
                let spread = WorkSpread::of(
                    block.sums_after(&self.problem.question, &applied),
                    block
                        .node_costs(&self.problem.question, block.worst_index(), &applied)
                        .iter()
                        .copied()
                        .sum(),
                );
                let rigs = self.problem.question.context.rigs;
                let factors = spread
                    .paced(self.paced())
                    .and(Cause::Speed, self.speed_doubt(), SpreadShape::Factor)
                    .and(Cause::Crowding, self.crowding(&applied), SpreadShape::Even)
                    .factors(rigs);
                QuantilePoint::all().map(|point| rigs.at_most(&factors, point.better())).collect()
            };
            self.problem.memory.heavier.get_or((block.block, block.nodes), at_all_points)[design.index()]
        };
        self.roll.as_ref().map_or(of(&self.cue), |roll| of(&self.cue).max(of(roll)))
    }
}

/// Rates at a few points, as logarithms.
struct Surface {
    work: Vec<f64>,
    woken: Vec<f64>,
    held: Vec<f64>,
    /// By blocks, then wake-ups, then work.
    log_rates: Vec<f64>,
}

impl Surface {
    fn of(
        around: (PerHour, PerHour),
        model: &RiskModel<'_>,
        points: &[WakeSet],
        work: &BlockMix,
        factors: &[f64],
        rigs: &crate::doubt::Rigs,
    ) -> Self {
        let reserve = model.reserve;
        // Only on the side on which there is any doubt.
        let held = match (reserve.low() < reserve.typical(), reserve.typical() < reserve.high()) {
            (true, true) => &BLOCK_POINTS[..],
            (true, false) => &BLOCK_POINTS[..2],
            (false, true) => &BLOCK_POINTS[1..],
            (false, false) => &BLOCK_POINTS[1..2],
        };
        let woken: &[f64] = if points.len() > 1 { &WAKE_POINTS } else { &[0.0] };
        let rate = |factor: f64, wake: usize, held: f64| {
            let reserve = Range::exact(Blocks::new(lean_at(model.reserve, held, SpreadShape::Even)));
            let at = RiskModel { period: model.period, reserve, wake: &points[wake], meter: model.meter };
            let work = work.times(factor);
            at.roughly(&work).raw().max(NEVER).ln()
        };
        let edge = |pick: fn(f64, f64) -> f64, from: f64| factors.iter().copied().fold(from, pick);
        let (lightest, heaviest) = (edge(f64::min, f64::INFINITY), edge(f64::max, 0.0));
        let flat =
            |log: f64| Self { work: vec![0.0], woken: vec![0.0], held: vec![0.0], log_rates: vec![log] };
        let typical = points.len().min(2) - 1;
        let (log_low, log_high) = ((around.0.raw() / CLEAR).ln(), (around.1.raw() * CLEAR).ln());
        let worst = rate(heaviest, points.len() - 1, held[0]);
        if worst <= log_low {
            return flat(rate(1.0, typical, 0.0).min(worst));
        }
        let best = rate(lightest, 0, held[held.len() - 1]);
        if best >= log_high {
            return flat(rate(1.0, typical, 0.0).max(best));
        }
        let mut work_points = vec![lightest];
        work_points.extend(WORK_POINTS.iter().map(|q| rigs.at_most(factors, *q)));
        work_points.push(heaviest);
        work_points.dedup_by(|a, b| *a / *b < 1.0 + 1e-6);
        let size = (held.len(), woken.len(), work_points.len());
        let log_rates = monotone(size, (log_low, log_high), |(h, w, f)| rate(work_points[f], w, held[h]));
        Self {
            work: work_points.iter().map(|f| f.ln()).collect(),
            woken: woken.to_vec(),
            held: held.to_vec(),
            log_rates,
        }
    }

    fn over(&self, factors: &[f64], woken: &[f64], held: &[f64]) -> Vec<f64> {
        let one = |i: usize| {
            let (w, v, h) = (
                place(&self.work, factors[i].ln()),
                place(&self.woken, woken[i]),
                place(&self.held, held[i]),
            );
            let mut log = 0.0;
            for (hi, hs) in h {
                for (vi, vs) in v {
                    for (wi, ws) in w {
                        let share = hs * vs * ws;
                        if share > 0.0 {
                            log +=
                                share * self.log_rates[(hi * self.woken.len() + vi) * self.work.len() + wi];
                        }
                    }
                }
            }
            log.exp()
        };
        (0..factors.len()).map(one).collect()
    }
}

/// A table of what rises with its second and third index and falls with its first. Between the two bounds it is worked out;
/// beyond them a neighbour's figure will do.
fn monotone(
    (first, second, third): (usize, usize, usize),
    (low, high): (f64, f64),
    of: impl Fn((usize, usize, usize)) -> f64,
) -> Vec<f64> {
    let mut points: Vec<(usize, usize, usize)> =
        (0..first).flat_map(|h| (0..second).flat_map(move |w| (0..third).map(move |f| (h, w, f)))).collect();
    let from_middle = |&(h, w, f): &(usize, usize, usize)| {
        (2 * h).abs_diff(first - 1) + (2 * w).abs_diff(second - 1) + (2 * f).abs_diff(third - 1)
    };
    points.sort_by_key(from_middle);
    let mut known: Vec<((usize, usize, usize), f64)> = Vec::with_capacity(points.len());
    let mut table = vec![0.0; points.len()];
    for at in points {
        let worse = |&(a, _): &(_, f64)| no_better(a, at);
        let better = |&(a, _): &(_, f64)| no_better(at, a);
        let above = known.iter().filter(|k| worse(k)).map(|k| k.1).fold(f64::INFINITY, f64::min);
        let below = known.iter().filter(|k| better(k)).map(|k| k.1).fold(f64::NEG_INFINITY, f64::max);
        let value = if above <= low {
            above
        } else if below >= high {
            below
        } else {
            of(at)
        };
        known.push((at, value));
        table[(at.0 * second + at.1) * third + at.2] = value;
    }
    table
}

/// Fewer blocks, later wake-ups, dearer work, or the same.
fn no_better(a: (usize, usize, usize), b: (usize, usize, usize)) -> bool {
    a.0 <= b.0 && a.1 >= b.1 && a.2 >= b.2
}

/// The two points around `x`, each with its share.
fn place(points: &[f64], x: f64) -> [(usize, f64); 2] {
    let next = points.partition_point(|p| *p <= x).clamp(1, points.len().max(2) - 1);
    if points.len() < 2 {
        return [(0, 1.0), (0, 0.0)];
    }
    let (from, to) = (points[next - 1], points[next]);
    let share = ((x - from) / (to - from)).clamp(0.0, 1.0);
    [(next - 1, 1.0 - share), (next, share)]
}
