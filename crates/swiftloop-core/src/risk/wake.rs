//! Wake-up delays: the chance that the audio thread starts later than so many microseconds after it should.
//! Below the threshold the measured histogram (or, for a class of machine, an exponential through its median
//! and its threshold); above it the generalised Pareto tail.

use super::pace::{DelayLaw, Pace};
use super::remembered::RiskKey;
use crate::rig::{PaceBin, PowerPlan, Rig, WakeProfile};
use crate::tables::MachineRow;
use swiftloop_units::stats::Pareto;
use swiftloop_units::{Origin, Range};

/// Wake-up delays with one set of figures.
#[derive(Debug, Clone)]
pub struct Wake {
    /// Rising delays with the logarithm of the share of wake-ups later than each; the last is the threshold.
    pub(super) body: Vec<(f64, f64)>,
    pub(super) threshold: f64,
    tail_share: f64,
    pub(super) log_tail_share: f64,
    pub(super) tail: Pareto,
    /// How long work takes beside undisturbed work.
    pub pace: Pace,
    /// Interruptions of work that no pace shows: only where something was measured.
    pub(super) unseen: Option<Unseen>,
    /// Late blocks in one hiccup.
    pub cluster: f64,
}

/// What measured paces leave open.
#[derive(Debug, Clone, Copy)]
pub(super) struct Unseen {
    /// The slowest pace that was seen: up to there the paces themselves tell.
    longest: f64,
    /// Share of blocks that may be slower still.
    at_most: f64,
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

impl DelayLaw for Wake {
    fn log_later_than(&self, us: f64) -> f64 {
        if us < 0.0 {
            return 0.0;
        }
        if us >= self.threshold {
            return self.log_tail_share + self.tail.log_survival(us - self.threshold);
        }
        let (x0, y0, x1, y1) = self.around(us);
        // Straight in the logarithm between the known points: exponential in between.
        y0 + (y1 - y0) * (us - x0) / (x1 - x0)
    }

    fn fall(&self, us: f64) -> f64 {
        if us >= self.threshold {
            return 1.0 / self.scale_at(us - self.threshold);
        }
        let (x0, y0, x1, y1) = self.around(us);
        (y0 - y1) / (x1 - x0)
    }

    fn longest(&self) -> Option<f64> {
        (self.tail.shape < 0.0).then(|| self.threshold - self.tail.scale / self.tail.shape)
    }

    fn kinks(&self) -> impl Iterator<Item = f64> {
        // A histogram has many; they hardly differ from one to the next.
        let few = self.body.len() <= 3;
        let inner = self.body.iter().map(|b| b.0).filter(move |x| few || *x >= self.threshold);
        std::iter::once(0.0).chain(inner)
    }
}

impl Wake {
    /// A part of the way to another of the same kind: what is known to a factor by factors, the shape of the tail evenly.
    fn between(&self, other: &Self, part: f64) -> Self {
        let by_factor =
            |a: f64, b: f64| if a > 0.0 && b > 0.0 { a * (b / a).powf(part) } else { a + (b - a) * part };
        let evenly = |a: f64, b: f64| a + (b - a) * part;
        let point = |(a, b): (&(f64, f64), &(f64, f64))| (by_factor(a.0, b.0), evenly(a.1, b.1));
        let pace = match (&self.pace, &other.pace) {
            (Pace::LogNormal(a), Pace::LogNormal(b)) => Pace::LogNormal(by_factor(*a, *b)),
            (Pace::Seen(a), Pace::Seen(b)) => {
                Pace::Seen(a.iter().zip(b).map(|(a, b)| (a.0, by_factor(a.1, b.1))).collect())
            }
            (Pace::LogNormal(_), Pace::Seen(_)) | (Pace::Seen(_), Pace::LogNormal(_)) => self.pace.clone(),
        };
        let unseen = self.unseen.zip(other.unseen).map(|(a, b)| Unseen {
            longest: evenly(a.longest, b.longest),
            at_most: evenly(a.at_most, b.at_most),
        });
        Self {
            body: self.body.iter().zip(&other.body).map(point).collect(),
            threshold: self.threshold,
            tail_share: by_factor(self.tail_share, other.tail_share),
            log_tail_share: evenly(self.log_tail_share, other.log_tail_share),
            tail: Pareto {
                shape: evenly(self.tail.shape, other.tail.shape),
                scale: by_factor(self.tail.scale, other.tail.scale),
            },
            pace,
            unseen,
            cluster: evenly(self.cluster, other.cluster),
        }
    }

    /// All that a chance over it depends on.
    pub(super) fn ask(&self, question: &mut RiskKey) {
        // A field that comes to this type has to be asked, too.
        let Self { body, threshold, tail_share, log_tail_share, tail, pace, unseen, cluster } = self;
        let points = |question: &mut RiskKey, all: &[(f64, f64)]| {
            question.count(all.len());
            for (a, b) in all {
                question.number(*a);
                question.number(*b);
            }
        };
        points(question, body);
        for x in [*threshold, *tail_share, *log_tail_share, tail.shape, tail.scale, *cluster] {
            question.number(x);
        }
        match pace {
            Pace::LogNormal(sd) => points(question, &[(*sd, -1.0)]),
            Pace::Seen(paces) => points(question, paces),
        }
        let unseen = unseen.as_ref().map(|u| (u.longest, u.at_most));
        points(question, unseen.as_slice());
    }

    /// The known points of the body around a delay below the threshold.
    fn around(&self, us: f64) -> (f64, f64, f64, f64) {
        let next = self.body.partition_point(|b| b.0 <= us);
        let (x1, y1) = self.body.get(next).copied().unwrap_or((self.threshold, log_share(self.tail_share)));
        let (x0, y0) = if next == 0 { (0.0, 0.0) } else { self.body[next - 1] };
        (x0, y0, x1, y1)
    }

    /// The same of a block whose thread is still busy with the one before: it does not wake up late again, but what
    /// interrupts it does so still, as often as a wake-up is later than the threshold and as long. (Where paces were
    /// measured they hold most interruptions already.)
    pub(super) fn busy(&self, work: f64, us: f64) -> f64 {
        match self.unseen {
            _ if us < 0.0 => 1.0,
            None => {
                let two = self.two_in_a_period().map_or(0.0, |law| law.later_than(us));
                (self.later_than(us.max(self.threshold)) + two).min(1.0)
            }
            Some(_) => self.struck(us, work).min(1.0),
        }
    }

    /// P(`work` × pace > `t`): late whatever wakes it.
    #[must_use]
    pub fn late_by_pace(&self, work: f64, t: f64) -> f64 {
        self.pace.longer_than(work, t)
    }

    /// The same for laws on a grid of so many steps in a period: a grid splits each time between two of its points, which
    /// adds a sixth of a step squared to its variance; so much is taken from that of the pace.
    pub(super) fn steadied(&self, work_in_periods: f64, steps: usize) -> Self {
        let step = 1.0 / (steps as f64 * work_in_periods.max(1e-9));
        Self { pace: self.pace.less(step * step / 6.0), ..self.clone() }
    }
}

impl Wake {
    /// P(an interruption of `work_us` of work takes longer than `slack_us`, and longer than any that the paces show).
    ///
    /// Interruptions that come at rate λ and last L delay a wake-up by more than s with `W(s) = λ·∫ₛ P(L > x) dx` (they
    /// must be under way, with more than s to go); so those longer than s come at the rate `−W′(s)`, and strike work
    /// of length w with `−W′(s)·w`. Below the threshold, where delays are those of waking, the rate at the threshold. Not
    /// all that delays a wake-up interrupts work: the paces that were seen say how often at the most.
    #[must_use]
    pub fn struck(&self, slack_us: f64, work_us: f64) -> f64 {
        let Some(unseen) = self.unseen else { return 0.0 };
        let longer_than = slack_us.max((unseen.longest - 1.0) * work_us);
        let beyond = (longer_than - self.threshold).max(0.0);
        let slope = self.tail.scale + self.tail.shape * beyond;
        if slope <= 0.0 {
            return 0.0;
        }
        let rate = self.tail_share * self.tail.survival(beyond) / slope;
        (rate * work_us).min(unseen.at_most)
    }
}

impl WakeSet {
    /// The wake-up delays of the machine of `rig` under `power`: its measured profile if it was measured under that
    /// power plan, else its class.
    #[must_use]
    pub fn of(rig: &Rig, power: PowerPlan) -> Self {
        match &rig.machine.wake {
            Some(profile) if power == profile.power.unwrap_or(rig.machine.power) => Self::measured(profile),
            _ => Self::of_class(rig.class().under(power)),
        }
    }

    /// The wake-up delays that lean so far from what is typical: from −1, the low figures, to 1, the high ones. All three are
    /// the same then.
    #[must_use]
    pub fn leaning(&self, lean: f64) -> Self {
        let to = if lean < 0.0 { &self.low } else { &self.high };
        let at = self.typical.between(to, lean.abs());
        Self { low: at.clone(), high: at.clone(), typical: at, origin: self.origin }
    }

    /// Nothing about them is in doubt.
    #[must_use]
    pub fn is_exact(&self) -> bool {
        let same = |a: &Wake, b: &Wake| {
            a.body == b.body && a.tail == b.tail && a.tail_share == b.tail_share && a.pace == b.pace
        };
        same(&self.low, &self.typical) && same(&self.high, &self.typical)
    }

    /// The wake-up delays assumed for a class of machine.
    #[must_use]
    pub fn of_class(class: &MachineRow) -> Self {
        let pick = |which: fn(Range3) -> f64| {
            let share = which(raw(class.tail_share));
            let median = which(raw(class.median_us));
            Wake {
                body: vec![(median, log_share(0.5)), (class.threshold_us.raw(), log_share(share))],
                threshold: class.threshold_us.raw(),
                tail_share: share,
                log_tail_share: log_share(share),
                tail: Pareto { shape: which(raw(class.shape)), scale: which(raw(class.scale_us)) },
                pace: Pace::LogNormal(which(raw(class.variation))),
                unseen: None,
                cluster: 1.0,
            }
        };
        Self { low: pick(|r| r.0), typical: pick(|r| r.1), high: pick(|r| r.2), origin: Origin::Assumed }
    }

    /// The wake-up delays of a measured profile.
    #[must_use]
    pub fn measured(profile: &WakeProfile) -> Self {
        let total = profile.wakes as f64;
        let pick = |which: fn(Range3) -> f64| {
            // An hour to come lies within what one second differs from another.
            let drift = profile.pace_drift.map_or(0.0, |d| 1.96 * d.raw());
            let (pace, unseen) = match profile.pace.as_slice() {
                [] => (
                    Pace::LogNormal(profile.variation.map_or(0.05, |v| which(raw(v)))),
                    Unseen { longest: 1.0, at_most: 1.0 },
                ),
                bins => {
                    let pace = pace_of(bins, which((-drift, 0.0, drift)).exp());
                    let longest = pace.last().map_or(1.0, |p| p.1);
                    let pace = Pace::Seen(pace);
                    let blocks = bins.iter().map(|b| b.count).sum::<u64>().max(1) as f64;
                    // What was not seen in n blocks comes in one of n, if need be in three (95 %: the rule of three).
                    (pace, Unseen { longest, at_most: which((0.0, 1.0, 3.0)) / blocks })
                }
            };
            let share = which(raw(profile.tail_share));
            let mut body = Vec::new();
            let mut later = total;
            for bin in &profile.bins {
                later -= bin.count as f64;
                if bin.up_to_us < profile.threshold_us {
                    body.push((bin.up_to_us.raw(), log_share((later / total).max(share))));
                }
            }
            body.push((profile.threshold_us.raw(), log_share(share)));
            Wake {
                body,
                threshold: profile.threshold_us.raw(),
                tail_share: share,
                log_tail_share: log_share(share),
                tail: Pareto { shape: which(raw(profile.shape)), scale: which(raw(profile.scale_us)) },
                pace,
                unseen: Some(unseen),
                cluster: profile.cluster.map_or(1.0, |c| c.raw().max(1.0)),
            }
        };
        Self { low: pick(|r| r.0), typical: pick(|r| r.1), high: pick(|r| r.2), origin: Origin::Measured }
    }
}

/// The measured pace, all of it times `factor`: the middle of each bin, but the upper end of the last.
fn pace_of(bins: &[PaceBin], factor: f64) -> Vec<(f64, f64)> {
    let total: u64 = bins.iter().map(|b| b.count).sum();
    let mut from = bins.first().map_or(1.0, |b| b.up_to.raw());
    let mut pace = Vec::with_capacity(bins.len());
    for (i, bin) in bins.iter().enumerate() {
        let to = bin.up_to.raw();
        let at = if i + 1 == bins.len() { to } else { (from + to) / 2.0 };
        pace.push((bin.count as f64 / total.max(1) as f64, at * factor));
        from = to;
    }
    pace
}

/// Logarithm of a share; a share of nothing is as good as never.
fn log_share(share: f64) -> f64 {
    share.max(1e-300).ln()
}

type Range3 = (f64, f64, f64);

fn raw<T: swiftloop_units::Quantity>(r: Range<T>) -> Range3 {
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
            log_tail_share: log_share(0.001),
            tail: Pareto { shape, scale: 30.0 },
            pace: Pace::LogNormal(0.05),
            unseen: Some(Unseen { longest: 1.0, at_most: 1.0 }),
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

    /// Interruptions from a seed, on a time line: how often waking alone, and waking and working, are delayed.
    #[test]
    fn interruptions_strike_work_as_often_as_the_formula_says() {
        let mut random = fastrand::Rng::with_seed(11);
        let (every, mean, work) = (20_000.0, 150.0, 700.0);
        let (mut now, mut hits, mut wakes, mut wake_hits) = (0.0, 0u32, 0u32, 0u32);
        let slack = 200.0;
        let mut stalls = Vec::new();
        while now < 4e9 {
            now -= every * random.f64().ln();
            stalls.push((now, -mean * random.f64().ln()));
        }
        let mut next = 0;
        for block in 1..2_600_000u32 {
            let due = f64::from(block) * 1500.0;
            while next < stalls.len() && stalls[next].0 + stalls[next].1 < due {
                next += 1;
            }
            let mut left = work;
            let (mut at, mut i) = (due, next);
            let mut woke = due;
            while i < stalls.len() && stalls[i].0 < at + left {
                let (from, long) = stalls[i];
                if from <= due {
                    woke = from + long;
                    at = woke;
                } else {
                    left -= from - at;
                    at = from + long;
                }
                i += 1;
            }
            wakes += 1;
            wake_hits += u32::from(woke - due > slack);
            hits += u32::from(at + left - due > slack + work);
        }
        let measured = f64::from(wake_hits) / f64::from(wakes);
        let truth = f64::from(hits) / f64::from(wakes);
        // Exponential interruptions: W(s) = mean/every · exp(−s/mean), threshold 0.
        let wake = Wake {
            body: vec![],
            threshold: 0.0,
            tail_share: mean / every,
            log_tail_share: log_share(mean / every),
            tail: Pareto { shape: 0.0, scale: mean },
            pace: Pace::LogNormal(0.0),
            unseen: Some(Unseen { longest: 1.0, at_most: 1.0 }),
            cluster: 1.0,
        };
        assert!((wake.later_than(slack) / measured - 1.0).abs() < 0.1, "{measured}");
        let said = wake.later_than(slack) + wake.struck(slack, work);
        assert!((said / truth - 1.0).abs() < 0.1, "{said} {truth}");
        // Had 10,000 blocks been seen without one that was struck, it would come in one of 10,000 at the most.
        let seen = Wake { unseen: Some(Unseen { longest: 1.1, at_most: 1e-4 }), ..wake };
        assert!(seen.struck(slack, work) <= 1e-4);
        // And what the paces show themselves, up to 70 µs here, is not told twice.
        let known = Wake { unseen: Some(Unseen { longest: 1.1, at_most: 1.0 }), ..seen };
        assert!(known.struck(10.0, work) == known.struck(70.0, work));
        assert!(known.struck(70.0, work) > known.struck(90.0, work));
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
