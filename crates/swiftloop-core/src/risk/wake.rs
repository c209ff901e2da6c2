//! Wake-up delays: the chance that the audio thread starts later than so many microseconds after it should.
//! Below the threshold the measured histogram (or, for a class of machine, an exponential through its median
//! and its threshold); above it the generalised Pareto tail.

use crate::rig::{Machine, Power, WakeProfile};
use crate::stats::Pareto;
use crate::tables::Tables;
use crate::units::{Origin, Range};

/// Wake-up delays with one set of figures.
#[derive(Debug, Clone)]
pub struct Wake {
    /// Rising delays with the logarithm of the share of wake-ups later than each; the last is the threshold.
    body: Vec<(f64, f64)>,
    threshold: f64,
    tail_share: f64,
    tail: Pareto,
    /// Standard deviation of the logarithm of execution time.
    pub variation: f64,
    /// Late blocks in one hiccup.
    pub cluster: f64,
}

/// Wake-up delays of a machine: hopeful, typical and gloomy figures, and where they came from.
#[derive(Debug, Clone)]
pub struct WakeSet {
    /// With the low figures.
    pub low: Wake,
    /// With the typical figures.
    pub typical: Wake,
    /// With the high figures.
    pub high: Wake,
    /// Measured on this machine, or assumed for its class.
    pub origin: Origin,
}

impl Wake {
    /// P(wake-up delay > `us`).
    #[must_use]
    pub fn later_than(&self, us: f64) -> f64 {
        if us < 0.0 {
            return 1.0;
        }
        if us >= self.threshold {
            return self.tail_share * self.tail.survival(us - self.threshold);
        }
        let next = self.body.partition_point(|b| b.0 <= us);
        let (x1, y1) = self.body.get(next).copied().unwrap_or((self.threshold, log_share(self.tail_share)));
        let (x0, y0) = if next == 0 { (0.0, 0.0) } else { self.body[next - 1] };
        // Straight in the logarithm between the known points: exponential in between.
        let t = (us - x0) / (x1 - x0);
        (y0 + (y1 - y0) * t).exp()
    }
}

impl WakeSet {
    /// The wake-up delays of `machine` under `power`: its measured profile if it has one and the plan is the
    /// present one, else its class.
    #[must_use]
    pub fn of(machine: &Machine, power: Power, tables: &Tables) -> Self {
        match &machine.wake {
            Some(profile) if power == machine.power => Self::measured(profile),
            _ => Self::assumed(machine, power, tables),
        }
    }

    fn assumed(machine: &Machine, power: Power, tables: &Tables) -> Self {
        let class = tables.machine_class(&machine.class, power.word()).unwrap_or(&tables.machine[0]);
        let pick = |which: fn(Range3) -> f64| {
            let share = which(raw(class.tail_share));
            let median = which(raw(class.median_us));
            Wake {
                body: vec![(median, log_share(0.5)), (class.threshold_us.0, log_share(share))],
                threshold: class.threshold_us.0,
                tail_share: share,
                tail: Pareto { shape: which(raw(class.shape)), scale: which(raw(class.scale_us)) },
                variation: which(raw(class.variation)),
                cluster: 1.0,
            }
        };
        Self { low: pick(|r| r.0), typical: pick(|r| r.1), high: pick(|r| r.2), origin: Origin::Assumed }
    }

    fn measured(profile: &WakeProfile) -> Self {
        let total = profile.wakes as f64;
        let pick = |which: fn(Range3) -> f64| {
            let share = which(raw(profile.tail_share));
            let mut body = Vec::new();
            let mut later = total;
            for bin in &profile.bins {
                later -= bin.count as f64;
                if bin.up_to_us < profile.threshold_us {
                    body.push((bin.up_to_us.0, log_share((later / total).max(share))));
                }
            }
            body.push((profile.threshold_us.0, log_share(share)));
            Wake {
                body,
                threshold: profile.threshold_us.0,
                tail_share: share,
                tail: Pareto { shape: which(raw(profile.shape)), scale: which(raw(profile.scale_us)) },
                variation: profile.variation.map_or(0.05, |v| which(raw(v))),
                cluster: profile.cluster.map_or(1.0, |c| c.0.max(1.0)),
            }
        };
        Self { low: pick(|r| r.0), typical: pick(|r| r.1), high: pick(|r| r.2), origin: Origin::Measured }
    }
}

/// Logarithm of a share; a share of nothing is as good as never.
fn log_share(share: f64) -> f64 {
    share.max(1e-300).ln()
}

type Range3 = (f64, f64, f64);

fn raw<T: crate::units::Quantity>(r: Range<T>) -> Range3 {
    (r.low().raw(), r.typical().raw(), r.high().raw())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn wake(shape: f64) -> Wake {
        Wake {
            body: [(10.0, 0.5), (60.0, 0.01), (100.0, 0.001)]
                .map(|(us, share)| (us, log_share(share)))
                .to_vec(),
            threshold: 100.0,
            tail_share: 0.001,
            tail: Pareto { shape, scale: 30.0 },
            variation: 0.05,
            cluster: 1.0,
        }
    }

    proptest! {
        #[test]
        fn later_is_never_more_likely(shape in -0.3f64..0.5, a in 0.0f64..2000.0, b in 0.0f64..500.0) {
            let w = wake(shape);
            prop_assert!(w.later_than(a + b) <= w.later_than(a) * (1.0 + 1e-12));
            prop_assert!((0.0..=1.0).contains(&w.later_than(a)));
        }
    }

    #[test]
    fn the_known_points_are_met_and_the_tail_joins_without_a_step() {
        let w = wake(0.1);
        assert_eq!(w.later_than(-1.0), 1.0);
        for (us, share) in [(0.0, 1.0), (10.0, 0.5), (60.0, 0.01), (100.0, 0.001)] {
            assert!((w.later_than(us) - share).abs() < 1e-12, "{us}");
        }
        assert!((w.later_than(99.999) / w.later_than(100.001) - 1.0).abs() < 1e-3);
        // Halfway between two points, the geometric mean: exponential in between.
        assert!((w.later_than(35.0) - (0.5f64 * 0.01).sqrt()).abs() < 1e-12);
    }
}
