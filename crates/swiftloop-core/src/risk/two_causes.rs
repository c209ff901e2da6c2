//! What two causes do to one block together: two interruptions, or one that comes while a block works that woke late. Wake-up
//! delays come in, laws of what they add to the delay of a single cause go out. Interruptions come at a steady
//! rate, so what counts is for how long a block can be struck; only where thresholds are high beside what lies
//! beyond them, or wake-ups are long beside it, is this worth a thought.

use super::{DelayLaw, Wake};
use std::f64::consts::LN_2;

/// As a share of what one does: less is nothing.
const LITTLE: f64 = 0.02;

/// Two interruptions of one block, whatever else delays it.
#[derive(Debug, Clone, Copy)]
pub(super) struct TwoInterruptions<'a> {
    wake: &'a Wake,
    /// How often, beside half the square of one.
    times: f64,
    /// How many of these come while the block works, on top of its wake-up.
    late: f64,
}

/// An interruption while a block works, with the wake-up before it: what that adds to the interruption alone.
#[derive(Debug, Clone, Copy)]
pub(super) struct AfterWaking<'a> {
    wake: &'a Wake,
    /// Share of a period in which the block works.
    working: f64,
}

/// Chances that something lasts longer, by itself and with a wake-up below the threshold before it.
#[derive(Debug, Clone, Copy)]
struct Longer {
    alone: f64,
    /// What a wake-up adds.
    added: f64,
}

impl Wake {
    /// How fast the chance of a longer delay falls so far beyond the threshold, as the length in which it falls to a third.
    pub(super) fn scale_at(&self, beyond: f64) -> f64 {
        (self.tail.scale + self.tail.shape * beyond.max(0.0)).max(1e-3)
    }

    /// The law of two interruptions of one block with so much `slack`, where a block is due every `period`.
    ///
    /// Of a block that sleeps for `v` of a period before its `u = 1 − v` of work, both come while it sleeps with `v²/2`; one
    /// while it sleeps and one between then and its end with `v(u + l)`, both while it works with `u²/2 + ul`, where `l` is
    /// how long the first holds it up: together `1/2 + l`. With two of equal length `l` is half of the slack. Those that come
    /// while it works come on top of its wake-up.
    pub(super) fn pair(&self, slack: f64, period: f64) -> Option<TwoInterruptions<'_>> {
        let held = (slack / period).max(0.0);
        let working = (1.0 - held).clamp(0.0, 1.0);
        self.two(1.0 + held, working * (working + held))
    }

    /// The same of a block that finds its thread busy.
    pub(super) fn two_in_a_period(&self) -> Option<TwoInterruptions<'_>> {
        self.two(1.0, 0.0)
    }

    fn two(&self, times: f64, late: f64) -> Option<TwoInterruptions<'_>> {
        let log = self.log_tail_share - LN_2 + self.threshold / self.tail.scale;
        (self.unseen.is_none() && log > LITTLE.ln()).then_some(TwoInterruptions { wake: self, times, late })
    }

    /// The law of an interruption of work that comes on top of its wake-up, for a block that works for such a share of a period.
    pub(super) fn after_waking(&self, slack: f64, working: f64) -> Option<AfterWaking<'_>> {
        let working = working.clamp(0.0, 1.0);
        let longer = self.with_waking((slack - self.threshold).max(0.0));
        let worth = self.unseen.is_none() && longer.added * working > LITTLE * longer.alone;
        worth.then_some(AfterWaking { wake: self, working })
    }

    /// Chances that a delay that falls like the tail lasts for more than `x` beyond where the tail begins, alone and with a
    /// wake-up `W` below the threshold before it: `E[S(x − W)]`, where `S` falls like an exponential of the scale that the
    /// tail has at `x`, and is one below zero. The body is exponential from point to point, so the integral has a closed
    /// form in each.
    fn with_waking(&self, x: f64) -> Longer {
        if x <= 0.0 {
            return Longer { alone: 1.0, added: 0.0 };
        }
        let fall = 1.0 / self.scale_at(x);
        let log = self.tail.log_survival(x);
        let alone = log.exp();
        let (mut shorter, mut x0, mut y0) = (0.0, 0.0, 0.0f64);
        for &(end, at_end) in &self.body {
            let whole = end - x0;
            let wide = (x - x0).min(whole);
            if wide <= 0.0 {
                break;
            }
            let rate = (y0 - at_end) / whole;
            let over = (rate - fall) * wide;
            let within = if over.abs() < 1e-9 { 1.0 } else { -(-over).exp_m1() / over };
            shorter += (y0 + (x0 * fall + log)).exp() * rate * wide * within;
            (x0, y0) = (end, at_end);
        }
        let by_waking = if x < self.threshold { self.later_than(x) } else { 0.0 };
        Longer { alone, added: (shorter + by_waking - alone).max(0.0) }
    }
}

impl TwoInterruptions<'_> {
    /// Beyond twice the threshold the sum of two excesses falls like that of two exponential ones, `(1 + Λ)·S` with
    /// `Λ = −ln S`.
    fn longer(&self, us: f64) -> (f64, Longer) {
        let beyond = us - 2.0 * self.wake.threshold;
        let passed = -self.wake.tail.log_survival(beyond);
        (1.0 + passed, self.wake.with_waking(beyond))
    }

    /// P(two interruptions of one block last longer than `us`). In a period come interruptions as often as a wake-up is later
    /// than the threshold, so two with half that squared.
    pub(super) fn later_than(&self, us: f64) -> f64 {
        let (times, longer) = self.longer(us);
        let chance = times * (self.times * longer.alone + self.late * longer.added);
        chance * (2.0 * self.wake.log_tail_share - LN_2).exp()
    }
}

impl AfterWaking<'_> {
    /// P(an interruption and the wake-up before it last longer than `us`, and neither does alone).
    pub(super) fn later_than(&self, us: f64) -> f64 {
        let added = self.wake.with_waking(us - self.wake.threshold).added;
        self.working * added * self.wake.log_tail_share.exp()
    }
}

/// All that delays a block that finds its thread asleep.
#[derive(Debug, Clone, Copy)]
pub(super) struct TwoCauses<'a> {
    wake: &'a Wake,
    pair: Option<TwoInterruptions<'a>>,
    after: Option<AfterWaking<'a>>,
}

impl<'a> TwoCauses<'a> {
    /// Of a block of so much `work` with so much `slack`, where one is due every `period`.
    pub(super) fn of(wake: &'a Wake, work: f64, slack: f64, period: f64) -> Self {
        Self { wake, pair: wake.pair(slack, period), after: wake.after_waking(slack, work / period) }
    }

    /// What two causes do together.
    pub(super) fn more_than_one(&self, us: f64) -> f64 {
        self.pair.map_or(0.0, |law| law.later_than(us)) + self.after.map_or(0.0, |law| law.later_than(us))
    }
}

impl DelayLaw for TwoCauses<'_> {
    fn log_later_than(&self, us: f64) -> f64 {
        let alone = self.wake.log_later_than(us);
        if us < 0.0 || self.pair.is_none() && self.after.is_none() {
            return alone;
        }
        // Where a bounded tail has ended two together may still last longer.
        (alone.exp() + self.more_than_one(us)).max(f64::MIN_POSITIVE).ln()
    }

    fn fall(&self, us: f64) -> f64 {
        self.wake.fall(us)
    }

    fn longest(&self) -> Option<f64> {
        let single = self.wake.longest()?;
        let times = if self.pair.is_some() { 2.0 } else { 1.0 };
        let woken = if self.after.is_some() { self.wake.threshold } else { 0.0 };
        Some(times * single + woken)
    }

    fn kinks(&self) -> impl Iterator<Item = f64> {
        self.wake.kinks()
    }
}

impl Wake {
    /// P(wake-up delay + `work` × pace + interruptions of it > `t`): of a block that finds its thread asleep, where one is
    /// due every `period`.
    #[must_use]
    pub fn late(&self, work: f64, t: f64, period: f64) -> f64 {
        let slack = t - work;
        let law = TwoCauses::of(self, work, slack, period);
        (self.pace.later_than(&law, work, t) + self.struck(slack, work)).min(1.0)
    }

    /// P(late wake-up + interruptions of so much work > `us`): what delays a block whose thread sleeps.
    pub(super) fn asleep(&self, work: f64, us: f64, period: f64) -> f64 {
        (self.later_than(us) + self.struck(us, work) + self.more_than_one(work, us, period)).min(1.0)
    }

    /// What two causes do together: two interruptions, or one of a block that woke late.
    pub(super) fn more_than_one(&self, work: f64, us: f64, period: f64) -> f64 {
        TwoCauses::of(self, work, us, period).more_than_one(us)
    }
}
