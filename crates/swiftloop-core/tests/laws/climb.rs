//! Climbing on a machine that is not there: its delays and misses come from a seed, so what must come out is known.

use proptest::prelude::*;
use std::convert::Infallible;
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::risk::WakeSet;
use swiftloop_core::soak::{
    Climb, Climbed, Decision, End, Observed, Samples, SoakMachine, SoakStretch, SoakTest, StretchResult,
    ValueCounts, WorkPattern, quiet, smallest,
};
use swiftloop_units::{Block, Hz, PerHour, Seconds};

const RATE: Hz = Hz::new(48_000);

/// A machine with delays of an exponential law, whose mean depends on whether it is judged.
struct Simulated {
    random: fastrand::Rng,
    /// Mean delay in µs, when it is listened to and when it is judged.
    mean_us: [f64; 2],
    stretches: Vec<(u32, bool)>,
    /// After so many stretches it ends so.
    ends: Option<(usize, End)>,
}

impl Simulated {
    fn new(listened_us: f64, judged_us: f64) -> Self {
        let random = fastrand::Rng::with_seed(8);
        Self { random, mean_us: [listened_us, judged_us], stretches: Vec::new(), ends: None }
    }
}

impl SoakMachine for Simulated {
    type Error = Infallible;

    fn begin(&mut self, _: Block, _: Seconds) {}

    fn live(
        &mut self,
        stretch: SoakStretch<'_>,
        goes_on: &mut dyn FnMut(u64, Seconds) -> bool,
    ) -> Result<StretchResult, Infallible> {
        self.stretches.push((stretch.block.get(), stretch.judged));
        let period = stretch.block.period(RATE);
        let work = stretch.patterns[0].work[0].raw();
        let (mut wakes, mut late, mut blocks) = (Vec::new(), 0, 0);
        // A block is due at the end of each period; what does not fit into the stretch is not begun.
        while Seconds::from(period) * f64::from(blocks + 1) < stretch.length {
            blocks += 1;
            let delay = -self.mean_us[usize::from(stretch.judged)] * (1.0 - self.random.f64()).ln();
            wakes.push((delay, 1));
            late += u64::from(delay + work > period.raw());
            if blocks % 100 == 0 && !goes_on(late, Seconds::from(period) * f64::from(blocks)) {
                break;
            }
        }
        let blocks = u64::from(blocks as u32);
        let observed = Observed { blocks, late, runs: late, lasted: Seconds::from(period) * blocks as f64 };
        let heard = Samples {
            wakes: ValueCounts::new(wakes),
            slow: Vec::new(),
            pace: ValueCounts::new([(1.0, blocks)]),
            pace_by_second: vec![1.0; 3],
        };
        let end = self.ends.filter(|e| self.stretches.len() >= e.0).map_or(End::Whole, |e| e.1);
        Ok(StretchResult { observed, heard, exec_us: ValueCounts::new([(work, blocks)]), end })
    }
}

fn class() -> WakeSet {
    let class = crate::common::tables().machine_class("desktop").unwrap();
    WakeSet::of_class(class.under(PowerPlan::Balanced))
}

/// Half of each period is work.
fn climbed(machine: &mut Simulated, blocks: &[u32], seconds: f64, ladder: bool) -> Climbed {
    allowing(machine, blocks, seconds, ladder, 1.0)
}

/// The same, with so many misses an hour allowed.
fn allowing(machine: &mut Simulated, blocks: &[u32], seconds: f64, ladder: bool, allowed: f64) -> Climbed {
    let unknown = class();
    let work = |b: &u32| {
        (Block::new(*b), vec![WorkPattern { share: 1.0, work: vec![Block::new(*b).period(RATE) * 0.5] }])
    };
    let climb = Climb {
        rate: RATE,
        reserve: 1.0,
        blocks: blocks.iter().map(work).collect(),
        question: SoakTest { allowed: PerHour::new(allowed), error: 0.05 },
        length: Seconds::new(seconds),
        ladder,
        unknown: &unknown,
    };
    climb.up(machine).unwrap()
}

#[test]
fn a_ladder_breaks_at_once_where_it_breaks_and_stops_where_nothing_speaks_against_it() {
    // Half a period of 16 frames is 167 µs, of 32 frames 333 µs, of 64 frames 667 µs: with a mean of 20 µs the delay is
    // longer in 2·10⁻⁴, 6·10⁻⁸ and 3·10⁻¹⁵ of all blocks.
    let mut machine = Simulated::new(20.0, 20.0);
    let found = climbed(&mut machine, &[16, 32, 64, 128], 20.0, true);
    let decisions: Vec<Decision> = found.rungs.iter().map(|r| r.decision).collect();
    // Twenty quiet seconds do not show that there is less than one miss an hour.
    assert_eq!(decisions, [Decision::Breaks, Decision::Open]);
    assert_eq!(smallest(&found.rungs), None);
    assert_eq!(quiet(&found.rungs).map(|r| r.block), Some(Block::new(32)));
    // They show that there are not a thousand.
    let found = allowing(&mut Simulated::new(20.0, 20.0), &[32, 64], 20.0, true, 1000.0);
    assert_eq!(smallest(&found.rungs), Some(Block::new(32)));
    assert!(quiet(&found.rungs).is_none());
    let found = climbed(&mut machine, &[16, 32, 64, 128], 20.0, true);
    // The first rung needed a stretch or two, the second all its seconds.
    assert!(found.rungs[0].observed.lasted.raw() < 8.0 && found.rungs[1].observed.lasted.raw() > 19.0);
    assert!(machine.stretches.iter().all(|s| s.0 <= 32));
}

#[test]
fn what_is_listened_to_and_what_is_judged_take_turns() {
    let mut machine = Simulated::new(20.0, 20.0);
    let found = climbed(&mut machine, &[64], 10.0, false);
    let turns: Vec<bool> = machine.stretches.iter().map(|s| s.1).collect();
    assert!(turns.len() >= 10 && turns.chunks(2).all(|t| t == [false, true]), "{turns:?}");
    let rung = &found.rungs[0];
    assert_eq!(rung.wake_us.total(), rung.observed.blocks);
    assert_eq!(found.judged.wakes.total(), rung.observed.blocks);
    let ratio = found.listened.wakes.total() as f64 / rung.observed.blocks as f64;
    assert!((0.9..1.1).contains(&ratio), "{ratio}");
}

#[test]
fn the_prediction_can_be_wrong_because_it_is_not_of_what_is_judged() {
    // Half a period of 64 frames is 667 µs.
    let mut honest = Simulated::new(120.0, 120.0);
    let found = climbed(&mut honest, &[64], 60.0, false);
    let off = found.rungs[0].off_by().expect("e^(−5.6) of 45,000 blocks are missed");
    assert!((0.5..2.0).contains(&off), "{off}");
    // A machine that misbehaves only when it is judged is not foreseen.
    let mut sly = Simulated::new(20.0, 120.0);
    let found = climbed(&mut sly, &[64], 60.0, false);
    assert!(found.rungs[0].observed.misses() > 50);
    assert!(found.rungs[0].predicted.typical < found.rungs[0].observed.per_hour().low / 100.0);
}

#[test]
fn what_a_dying_server_does_is_not_counted_but_a_stopped_stretch_is() {
    for (end, stretches, expected) in
        [(End::Gone, 2, 0), (End::Gone, 4, 1), (End::Stopped, 2, 1), (End::Stopped, 1, 0), (End::Gone, 3, 1)]
    {
        let mut machine = Simulated { ends: Some((stretches, end)), ..Simulated::new(20.0, 20.0) };
        let found = climbed(&mut machine, &[64, 128], 60.0, false);
        let judged: f64 = found.rungs.iter().map(|r| r.observed.lasted.raw()).sum();
        assert_eq!((judged / 2.0).round() as u32, expected, "{end:?} after {stretches}");
        assert_eq!((found.end, machine.stretches.len()), (end, stretches));
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever the block and the time: it comes to an end, and not without having judged a block.
    #[test]
    fn every_climb_comes_to_an_end(block in 1u32..65_536, seconds in 1.0f64..7.0, ladder in any::<bool>()) {
        let block = block.max(64);
        let mut machine = Simulated::new(5.0, 5.0);
        let found = climbed(&mut machine, &[block], seconds, ladder);
        let period_s = Seconds::from(Block::new(block).period(RATE)).raw();
        prop_assert!(found.rungs[0].observed.blocks > 0);
        let longest = (seconds * if ladder { 3.0 } else { 1.0 }).max(8.0 * period_s);
        prop_assert!(found.rungs[0].observed.lasted.raw() <= longest + 1e-9);
        prop_assert!(machine.stretches.len() <= 200, "{} stretches", machine.stretches.len());
    }
}
