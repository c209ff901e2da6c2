//! The risk of one setting: patterns of work with their weights, against a deadline, through the wake-up
//! delays and the variation of execution time.

use super::backlog::{BacklogWalk, Rounded, Takes, dropouts_per_block};
use super::remembered::{RememberedRisk, RiskKey};
use super::{BlockMix, DelayLaw, Pace, StepMeter, Wake, WakeSet};
use serde::Serialize;
use swiftloop_units::{Blocks, Micros, PerHour, Range};

/// Dropouts per hour with their doubt.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Dropouts {
    /// Nine of ten rigs have no fewer.
    pub low: PerHour,
    /// With every figure as is typical.
    pub typical: PerHour,
    /// Nine of ten rigs have no more.
    pub high: PerHour,
}

impl Dropouts {
    pub const NONE: Self =
        Self { low: PerHour::new(0.0), typical: PerHour::new(0.0), high: PerHour::new(0.0) };

    /// The sum, bound by bound.
    #[must_use]
    pub fn plus(self, other: Self) -> Self {
        Self {
            low: self.low + other.low,
            typical: self.typical + other.typical,
            high: self.high + other.high,
        }
    }
}

/// Period, deadline and wake-up delays of one setting.
#[derive(Debug, Clone, Copy)]
pub struct RiskModel<'a> {
    pub period: Micros,
    /// By how many periods a block may be late; the more, the less it breaks.
    pub reserve: Range<Blocks>,
    pub wake: &'a WakeSet,
    /// Counts how much is worked out, and remembers it, where somebody wants to know.
    pub meter: Option<&'a StepMeter>,
}

const US_PER_HOUR: f64 = 3.6e9;
/// Steps of the backlog's grid in one period: no fewer and no more, and in all of the reserve.
const STEPS: (f64, f64) = (12.0, 96.0);
const MOST_STATES: f64 = 200.0;
/// Steps in one period where a tenth more or less does not matter.
const ROUGH_STEPS: f64 = 28.0;
/// Steps of a grid that only has to bound, in all of the reserve.
const COARSE: f64 = 48.0;
/// Periods that one late block may span: what is longer is rare, and changes nothing.
const LONGEST_SPAN: u32 = 256;
/// A reserve of no more than this is one of a single block: nothing carries over.
const SINGLE: f64 = 1.0 + 1e-9;
/// Share of a period, as standard deviation, below which a pace is as good as none.
const STEADY: f64 = 1e-4;

impl RiskModel<'_> {
    /// Dropouts per hour, typical figures only.
    #[must_use]
    pub fn typical(&self, work: &BlockMix) -> PerHour {
        self.per_hour(&self.wake.typical, work, self.reserve.typical())
    }

    /// The same on a coarser grid, where lateness carries over: as good as a tenth or so, for what is interpolated anyway.
    #[must_use]
    pub fn roughly(&self, work: &BlockMix) -> PerHour {
        self.rate_on(&self.wake.typical, work, self.reserve.typical(), (ROUGH_STEPS, Rounded::Roughly))
    }

    /// Between which rates the typical figure lies, at a fraction of the price: at least what is too slow by its pace alone;
    /// at most what is slower than a very slow pace, or late at that pace.
    #[must_use]
    pub fn typical_between(&self, work: &BlockMix) -> (PerHour, PerHour) {
        self.between(&self.wake.typical, work, self.reserve.typical())
    }

    fn between(&self, wake: &Wake, work: &BlockMix, reserve: Blocks) -> (PerHour, PerHour) {
        /// Standard normal points at which a pace is very slow, and the chance of a slower one.
        const SLOW: [(f64, f64); 3] = [(4.0, 3.2e-5), (5.5, 1.9e-8), (7.0, 1.3e-12)];
        let blocks_per_hour = US_PER_HOUR / self.period.raw();
        let deadline = reserve.raw() * self.period.raw();
        let mut least = 0.0;
        let mut most = [0.0; SLOW.len()];
        for kind in work.kinds() {
            let us = kind.work.raw();
            least += kind.share * wake.late_by_pace(us, deadline);
            if let Pace::LogNormal(sd) = wake.pace {
                for (sum, (z, slower)) in most.iter_mut().zip(SLOW) {
                    let room = deadline - us * (sd * z).exp();
                    let late = wake.later_than(room)
                        + wake.more_than_one(us, room, self.period.raw())
                        + wake.struck(deadline - us, us);
                    *sum += kind.share * (slower + late);
                }
            } else {
                most = [f64::INFINITY; SLOW.len()];
            }
        }
        let most = if reserve.raw() > SINGLE {
            // Lateness carries over: a coarse grid that rounds up.
            let steps = (COARSE / reserve.raw()).clamp(8.0, COARSE / 2.0) as usize;
            self.known(1, (wake, work, reserve, &[]), || {
                self.walked(wake, work, (reserve.raw(), steps, Rounded::Up), false)
            })
        } else {
            most.into_iter().fold(f64::INFINITY, f64::min)
        };
        (PerHour::new(blocks_per_hour * least), PerHour::new(blocks_per_hour * most))
    }

    /// Dropouts per hour as a soak counts them: after a late block it goes on at the next period, so the periods that a
    /// late block spans bring no block of their own, `1 + Σⱼ P(longer than j periods)` of them for every block done.
    /// Unlike [`RiskModel::typical`] this falls again when blocks take many periods.
    #[must_use]
    pub fn counted(&self, work: &BlockMix) -> Dropouts {
        let one = |wake: &Wake| {
            let longer = |j: u32| {
                let t = f64::from(j) * self.period.raw();
                work.kinds()
                    .iter()
                    .map(|k| k.share * wake.late(k.work.raw(), t, self.period.raw()))
                    .sum::<f64>()
            };
            let spanned: f64 = (1..=LONGEST_SPAN).map(longer).take_while(|p| *p > 1e-9).sum();
            self.per_hour(wake, work, self.reserve.typical()) / (1.0 + spanned)
        };
        let all = [&self.wake.low, &self.wake.typical, &self.wake.high].map(one);
        Dropouts { low: all[0].min(all[1]), typical: all[1], high: all[2].max(all[1]) }
    }

    /// Late blocks come in hiccups, and a hiccup is one dropout; what is late because the work itself took too long comes
    /// by itself, and each counts.
    fn per_hour(&self, wake: &Wake, work: &BlockMix, reserve: Blocks) -> PerHour {
        self.rate_on(wake, work, reserve, (STEPS.1, Rounded::Evenly))
    }

    fn rate_on(&self, wake: &Wake, work: &BlockMix, reserve: Blocks, grid: (f64, Rounded)) -> PerHour {
        let blocks_per_hour = US_PER_HOUR / self.period.raw();
        let fineness = [grid.0, f64::from(grid.1 as u8)];
        let dropouts = self.known(0, (wake, work, reserve, &fineness), || {
            let RememberedRisk { value: all, steps } = self.broken(wake, work, (reserve.raw(), grid), false);
            if wake.cluster <= 1.0 || self.is_rarely_slow(wake, work, all) {
                return RememberedRisk { value: all / wake.cluster.max(1.0), steps };
            }
            let slow = self.broken(wake, work, (reserve.raw(), grid), true);
            let by_pace = slow.value.min(all);
            RememberedRisk { value: by_pace + (all - by_pace) / wake.cluster, steps: steps + slow.steps }
        });
        PerHour::new(blocks_per_hour * dropouts)
    }

    /// What `of` works out from these and the period, worked out once.
    fn known(
        &self,
        kind: u8,
        (wake, work, reserve, more): (&Wake, &BlockMix, Blocks, &[f64]),
        of: impl FnOnce() -> RememberedRisk,
    ) -> f64 {
        let Some(meter) = self.meter else { return of().value };
        let mut question = RiskKey::new(kind);
        question.number(self.period.raw());
        question.number(reserve.raw());
        more.iter().for_each(|x| question.number(*x));
        wake.ask(&mut question);
        work.ask(&mut question);
        meter.answer(&question, of)
    }

    /// Whether blocks that are slow by their pace alone are too few to count beside `all` that break: where lateness carries
    /// over nothing is late at all before some block takes longer than a period.
    fn is_rarely_slow(&self, wake: &Wake, work: &BlockMix, all: f64) -> bool {
        /// Of what is said.
        const LITTLE: f64 = 1e-3;
        let slow = work.kinds().iter().map(|k| k.share * wake.late_by_pace(k.work.raw(), self.period.raw()));
        slow.sum::<f64>() * wake.cluster < LITTLE * all
    }

    /// Share of blocks that break; `by_pace` when nothing wakes late.
    fn broken(
        &self,
        wake: &Wake,
        work: &BlockMix,
        (reserve, grid): (f64, (f64, Rounded)),
        by_pace: bool,
    ) -> RememberedRisk {
        let period = self.period.raw();
        let late =
            |us: f64, t: f64| if by_pace { wake.late_by_pace(us, t) } else { wake.late(us, t, period) };
        if reserve <= SINGLE {
            let each = work.kinds().iter().map(|k| k.share * late(k.work.raw(), reserve * period));
            return RememberedRisk { value: each.sum::<f64>().min(1.0), steps: 0 };
        }
        // As fine as the pace varies, so that the grid adds little to it; what it adds is taken off first.
        let heaviest = work.kinds().iter().map(|k| k.work.raw()).fold(0.0, f64::max) / period;
        let spread = (wake.pace.spread() * heaviest).max(STEADY);
        let steps = (1.25 / spread).clamp(STEPS.0, grid.0).min(MOST_STATES / (reserve - 1.0).max(0.25));
        let steps = steps.floor().max(2.0) as usize;
        let steadied = wake.steadied(heaviest, steps);
        self.walked(&steadied, work, (reserve, steps, grid.1), by_pace)
    }

    /// Share of blocks that break where lateness carries over; `by_pace` when nothing wakes late.
    fn walked(
        &self,
        wake: &Wake,
        work: &BlockMix,
        (reserve, steps, rounded): (f64, usize, Rounded),
        by_pace: bool,
    ) -> RememberedRisk {
        let period = self.period.raw();
        let prompt = |t: f64| f64::from(u8::from(t < 0.0));
        let laws: Vec<_> = work
            .kinds()
            .iter()
            .map(|k| {
                let us = k.work.raw();
                let alone = move |t: f64| wake.late_by_pace(us, t * period);
                let asleep =
                    move |t: f64| if by_pace { prompt(t) } else { wake.asleep(us, t * period, period) };
                let busy = move |t: f64| if by_pace { prompt(t) } else { wake.busy(us, t * period) };
                (k.share, alone, asleep, busy)
            })
            .collect();
        let kinds: Vec<Takes<'_>> = laws
            .iter()
            .map(|(share, work, asleep, busy)| Takes { share: *share, work, asleep, busy })
            .collect();
        let walk = BacklogWalk { reserve, steps, order: work.order(), rounded };
        let (value, steps) = dropouts_per_block(walk, &kinds);
        RememberedRisk { value, steps }
    }
}
