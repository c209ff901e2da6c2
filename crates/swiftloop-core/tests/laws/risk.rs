//! Risk by its laws: it falls with the buffer and with measured figures, rises with work, and agrees with a
//! simulation that draws delays and carries lateness along.

use crate::common::{EXACT_RIG, HZ, arrangement, context, rig, session, singer};
use proptest::prelude::*;
use std::sync::Arc;
use swiftloop_core::load::WorkShare;
use swiftloop_core::plan::{Evaluation, PhaseProblem, report};
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::risk::{BlockMix, Remembered, RiskModel, StepMeter, WakeSet};
use swiftloop_units::{Blocks, Micros, Origin, PerHour, Range};

fn wake() -> WakeSet {
    WakeSet::of(&rig(EXACT_RIG), PowerPlan::Balanced)
}

/// Every block has this work.
fn all(work: f64) -> BlockMix {
    BlockMix::mixed(&[WorkShare { share: 1.0, work: Micros::new(work) }])
}

/// As late as that, exactly.
fn bears(periods: f64) -> Range<Blocks> {
    Range::exact(Blocks::new(periods))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn dropouts_rise_with_work_and_fall_with_reserve(work in 0.0f64..2500.0, more in 1.0f64..500.0, period in 300.0f64..5000.0) {
        let wake = wake();
        for reserve in [1.0, 2.0, 3.0] {
            let model = RiskModel { period: Micros::new(period), reserve: bears(reserve), wake: &wake, meter: None };
            let (a, b) = (model.typical(&all(work)), model.typical(&all(work + more)));
            prop_assert!(a <= b * 1.02 + PerHour::new(1e-12));
            // Earlier wake-ups break less, later ones more.
            let leaning = |lean| RiskModel { wake: &wake.leaning(lean), ..model }.typical(&all(work)).raw();
            prop_assert!(work > period * 0.8 || leaning(-0.5) <= a.raw() * 1.02 + 1e-12 && a.raw() <= leaning(0.5) * 1.02 + 1e-12);
            let deeper = RiskModel { reserve: bears(reserve + 1.0), ..model };
            // Lateness that carries over never makes a deeper reserve worse by more than the grid's rounding.
            prop_assert!(deeper.typical(&all(work)).raw() <= a.raw() * 1.02 + 1e-12 || work > period * 0.8);
        }
    }

    #[test]
    fn a_larger_buffer_breaks_less(heavy in 1usize..9) {
        let processors: Vec<String> = (0..heavy).map(|i| format!("{{ id = \"p{i}\", cost = \"heavy\" }}")).collect();
        let rig = rig(&EXACT_RIG.replace("\"performance\"", "\"balanced\""));
        let session = session(&singer(&processors.join(", "), ""), &rig);
        let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
        let mut last = f64::INFINITY;
        for block in [32, 64, 128, 256, 512, 1024, 2048] {
            let r = report(&Evaluation::new(&problem, arrangement(&problem, block, None, 4)), &[]);
            prop_assert!(r.dropouts.typical.raw() <= last * (1.0 + 1e-9), "{block}: {} after {last}", r.dropouts.typical.raw());
            last = r.dropouts.typical.raw();
        }
    }
}

#[test]
fn a_measured_profile_is_used_and_is_narrower_than_the_class() {
    let measured = EXACT_RIG.replace(
        "[[interface]]",
        "[machine.wake]\ndate = \"2026-11-20\"\nwakes = 1000000\nthreshold_us = 50\ntail_share = [0.00008, 0.0001, 0.00012]\n\
         shape = [0.02, 0.05, 0.08]\nscale_us = [23, 25, 27]\nvariation = [0.018, 0.02, 0.022]\n\
         bins = [{ up_to_us = 10, count = 600000 }, { up_to_us = 50, count = 399900 }, { up_to_us = 500, count = 100 }]\n[[interface]]",
    );
    let spread = |text: &str| {
        let rig = rig(text);
        let heavy =
            (0..12).map(|i| format!("{{ id = \"p{i}\", cost = \"heavy\" }}")).collect::<Vec<_>>().join(", ");
        let far = singer(&heavy, "").replace("deliver =", "engine = { read_ahead_ms = 9000 }\ndeliver =");
        let session = session(&far, &rig);
        let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
        let r = report(&Evaluation::new(&problem, arrangement(&problem, 64, None, 4)), &[]);
        (r.profile, (r.dropouts.high / r.dropouts.typical).log10())
    };
    let (class, wide) = spread(EXACT_RIG);
    let (own, narrow) = spread(&measured);
    assert_eq!((class, own), (Origin::Assumed, Origin::Measured));
    // What processors cost is as doubtful as before; of late wake-ups only what was measured is left.
    assert!(narrow < wide * 0.7, "{narrow} against {wide} decades");
}

/// Blocks one after another, each with a drawn delay and the same work, going on at the next period after a late one.
#[test]
fn a_soak_counts_as_often_as_the_model_says_it_will() {
    let wake = wake();
    let class = crate::common::tables().machine_class("desktop").unwrap().under(PowerPlan::Balanced);
    let variation = class.variation.typical().raw();
    let mut random = fastrand::Rng::with_seed(21);
    let mut gauss =
        || (-2.0 * (1.0 - random.f64()).ln()).sqrt() * (std::f64::consts::TAU * random.f64()).cos();
    let period = 667.0;
    for work in [635.0, 660.0, 700.0, 1500.0] {
        let model = RiskModel { period: Micros::new(period), reserve: bears(1.0), wake: &wake, meter: None };
        let (mut at, mut misses) = (0.0f64, 0u32);
        let blocks = 200_000.0;
        while at < blocks {
            // Half of all wake-ups are later than the median: enough of a law where work alone nearly fills the period.
            let took = work * (variation * gauss()).exp() + class.median_us.typical().raw();
            let late = took > period;
            misses += u32::from(late);
            at += if late { (took / period).floor() + 1.0 } else { 1.0 };
        }
        let seen = f64::from(misses) / blocks * 3.6e9 / period;
        let ratio = model.counted(&all(work)).typical.raw() / seen;
        assert!((0.6..1.7).contains(&ratio), "work {work}: ratio {ratio:.2}");
    }
}

/// Each question differs from another in one thing only; from memory every answer is what it is without one, and costs what it cost.
#[test]
fn what_is_remembered_is_what_would_be_worked_out() {
    let usual = wake();
    let wakes = [usual.leaning(-0.5), usual.clone(), usual.leaning(0.5)];
    let kinds =
        |a: f64, b: f64| [a, b].map(|work| WorkShare { share: 0.5, work: Micros::new(work) }).to_vec();
    let works = [
        all(700.0),
        all(701.0),
        BlockMix::mixed(&kinds(600.0, 800.0)),
        BlockMix::in_order(kinds(600.0, 800.0), &[0, 1]),
        BlockMix::in_order(kinds(600.0, 800.0), &[0, 0, 1, 1]),
        BlockMix::in_order(kinds(600.0, 800.0), &[0, 1, 0, 1]),
        BlockMix::in_order(kinds(800.0, 600.0), &[0, 0, 1, 1]),
    ];
    let remembered = Arc::new(Remembered::default());
    let mut spent = Vec::new();
    for round in 0..2 {
        let meter = StepMeter::sharing(Arc::clone(&remembered));
        for (wake, work) in wakes.iter().flat_map(|wake| works.iter().map(move |work| (wake, work))) {
            for (period, reserve) in [(900.0, 1.0), (900.0, 2.0), (900.0, 2.5), (950.0, 2.0)] {
                let (period, reserve) = (Micros::new(period), bears(reserve));
                let alone = RiskModel { period, reserve, wake, meter: None };
                let knowing = RiskModel { meter: Some(&meter), ..alone };
                let of = |m: &RiskModel<'_>| (m.typical(work), m.roughly(work), m.typical_between(work));
                assert_eq!(of(&knowing), of(&alone), "round {round}: {alone:?} {work:?}");
            }
        }
        spent.push(meter.spent());
    }
    assert!(spent[0] > 0 && spent[0] == spent[1], "{spent:?}");
}
