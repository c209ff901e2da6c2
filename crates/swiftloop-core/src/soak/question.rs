//! Does this block hold? How many misses came in how long, and how many are allowed, come in; an answer goes out only where
//! what was seen rules out its opposite, however often one looks. A bet that is fair if there are just as
//! many misses as allowed grows by a factor of 1/ε in one case of 1/ε at the most (Ville 1939), so whoever waits for that to
//! happen is wrong as rarely as stated. Two bets run: on fewer, and on more.

use statrs::distribution::{ContinuousCDF, Gamma};
use swiftloop_units::{PerHour, Seconds};

/// The question and its error rate.
///
/// ```
/// use swiftloop_core::soak::{Decision, SoakTest};
/// use swiftloop_units::{PerHour, Seconds};
///
/// // You allow one miss an hour: a quiet minute shows nothing of the kind, an afternoon does.
/// let question = SoakTest { allowed: PerHour::new(1.0), error: 0.05 };
/// let minute = Seconds::new(60.0);
/// assert_eq!(question.answer(0, minute), Decision::Open);
/// assert!((179.0..181.0).contains(&question.fewer_than(0, minute).raw()));
/// assert!((3.0..4.0).contains(&question.settled_after(0).hours()));
/// assert_eq!(question.answer(0, question.settled_after(0)), Decision::Holds);
/// assert_eq!(question.answer(3, minute), Decision::Breaks);
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SoakTest {
    /// Misses that are allowed.
    pub allowed: PerHour,
    /// How often each of the two wrong answers is given, at most.
    pub error: f64,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Decision {
    /// No more misses than are allowed.
    Holds,
    /// More than are allowed.
    Breaks,
    Open,
}

impl Decision {
    /// The word used in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Holds => "holds",
            Self::Breaks => "breaks",
            Self::Open => "open",
        }
    }
}

/// What the bets are on, beside what is allowed, each with its share of the stake.
const FEWER: [(f64, f64); 4] = [(0.0, 0.5), (0.1, 0.2), (0.3, 0.2), (0.6, 0.1)];
const MORE: [(f64, f64); 5] = [(1.7, 0.2), (4.0, 0.2), (20.0, 0.2), (300.0, 0.2), (10_000.0, 0.2)];
/// Halvings of the time after which a question is settled.
const HALVINGS: u32 = 60;

impl SoakTest {
    /// The answer after so many misses in a time.
    #[must_use]
    pub fn answer(&self, misses: u64, time: Seconds) -> Decision {
        let expected = self.allowed.raw() * time.hours();
        let sure = (1.0 / self.error) * (1.0 - 1e-12);
        if gain(&MORE, misses, expected) >= sure {
            Decision::Breaks
        } else if gain(&FEWER, misses, expected) >= sure {
            Decision::Holds
        } else {
            Decision::Open
        }
    }

    /// The rate that so many misses in a time rule out just about: there are fewer (Garwood 1936, one-sided).
    #[must_use]
    pub fn fewer_than(&self, misses: u64, time: Seconds) -> PerHour {
        let of = |misses: f64| {
            Gamma::new(misses + 1.0, 1.0).map_or(f64::INFINITY, |g| g.inverse_cdf(1.0 - self.error))
        };
        PerHour::counted(of(misses as f64), time.max(Seconds::new(1e-6)))
    }

    /// How long it takes in all, with no more than so many misses, until "holds" can be said.
    #[must_use]
    pub fn settled_after(&self, misses: u64) -> Seconds {
        // From `misses / allowed` on a longer time only speaks for it.
        let hour = Seconds::new(3600.0) * (1.0 / self.allowed.raw().max(1e-9));
        let holds = |time: Seconds| self.answer(misses, time) == Decision::Holds;
        let mut long = hour * (misses as f64 + 1.0);
        while !holds(long) && long.raw() < 1e15 {
            long = long * 2.0;
        }
        let mut short = hour * misses as f64;
        for _ in 0..HALVINGS {
            let middle = (short + long) * 0.5;
            if holds(middle) { long = middle } else { short = middle }
        }
        long
    }
}

/// What a stake of one has become: `Σ share · (λ/λ₀)^k · exp(−(λ − λ₀)·t)`.
fn gain(bets: &[(f64, f64)], misses: u64, expected: f64) -> f64 {
    let of = |&(times, share): &(f64, f64)| {
        let won = if misses == 0 { 0.0 } else { misses as f64 * times.ln() };
        share * (won - (times - 1.0) * expected).exp()
    };
    bets.iter().map(of).sum()
}

/// The chance that nothing happens in a time, at a rate.
#[must_use]
pub fn none_in(time: Seconds, rate: PerHour) -> f64 {
    (-rate.raw() * time.hours()).exp()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn question(allowed: f64) -> SoakTest {
        SoakTest { allowed: PerHour::new(allowed), error: 0.05 }
    }

    #[test]
    fn holds_is_never_said_above_what_was_asked() {
        for allowed in [0.2, 1.0, 30.0] {
            for misses in [0, 1, 7, 40] {
                let q = question(allowed);
                let settled = q.settled_after(misses);
                assert_eq!(q.answer(misses, settled), Decision::Holds);
                assert_eq!(q.answer(misses, settled * 0.99), Decision::Open, "{allowed} {misses}");
                // By then the count alone rules out more than is allowed.
                assert!(q.fewer_than(misses, settled) <= q.allowed, "{allowed} {misses}");
                assert!(misses as f64 / settled.hours() < allowed);
            }
        }
    }

    #[test]
    fn a_quiet_stretch_rules_out_what_the_textbook_says() {
        // −ln 0.05 = 2.996 misses.
        let twelve = question(1.0).fewer_than(0, Seconds::new(12.0)).raw();
        assert!((twelve - 2.9957 * 300.0).abs() < 0.1, "{twelve}");
        assert!((none_in(Seconds::new(7200.0), PerHour::new(0.5)) - (-1.0f64).exp()).abs() < 1e-12);
    }

    /// Poisson processes watched again and again: both wrong answers stay as rare as stated.
    #[test]
    fn both_errors_are_as_rare_as_stated() {
        let q = question(5.0);
        let mut random = fastrand::Rng::with_seed(4);
        let trials = 3000;
        for (rate, wrong) in
            [(q.allowed, Decision::Breaks), (q.allowed, Decision::Holds), (q.allowed * 3.0, Decision::Holds)]
        {
            let mut errors = 0;
            for _ in 0..trials {
                let (mut misses, mut time) = (0, Seconds::new(0.0));
                let pause =
                    |random: &mut fastrand::Rng| Seconds::new(-random.f64().ln() / rate.raw() * 3600.0);
                let mut next = pause(&mut random);
                while time.hours() < 20.0 {
                    time += Seconds::new(60.0);
                    while next <= time {
                        misses += 1;
                        next += pause(&mut random);
                    }
                    let said = q.answer(misses, time);
                    if said != Decision::Open {
                        errors += u32::from(said == wrong);
                        break;
                    }
                }
            }
            // Three standard deviations of 3000 trials.
            assert!(f64::from(errors) / f64::from(trials) < 0.05 + 0.012, "{wrong:?}: {errors}");
        }
    }
}
