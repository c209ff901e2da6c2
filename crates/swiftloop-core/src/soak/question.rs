//! Does this block hold? Wald's sequential probability ratio test (1945) on the misses of a Poisson process: "as many as
//! are bearable" against "too many". It stops as soon as the answer is known; both wrong answers are as rare as stated.

use crate::units::{PerHour, Seconds};

/// The question and its error rate.
///
/// ```
/// use swiftloop_core::soak::{Decision, Question};
/// use swiftloop_core::units::{PerHour, Seconds};
///
/// // You allow one miss an hour; a minute without any cannot promise that, but it rules out 180 an hour.
/// let minute = Seconds::new(60.0);
/// let question = Question::within(minute, PerHour::new(1.0), 0.05);
/// assert!((177.0..178.0).contains(&question.too_many.raw()));
/// assert_eq!(question.answer(0, minute), Decision::Holds);
/// assert_eq!(question.answer(1, minute), Decision::Undecided);
/// assert_eq!(question.answer(3, minute), Decision::Breaks);
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Question {
    /// Misses that are allowed.
    pub allowed: PerHour,
    /// Misses that are too many. In between, either answer is right.
    pub too_many: PerHour,
    /// How often each of the two wrong answers is given, at most.
    pub error: f64,
}

/// What is known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Decision {
    /// Not too many misses.
    Holds,
    /// More than are bearable.
    Breaks,
    /// Not known yet.
    Undecided,
}

impl Decision {
    /// The word used in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Holds => "holds",
            Self::Breaks => "breaks",
            Self::Undecided => "undecided",
        }
    }
}

/// Less than this ratio between too many and bearable takes longer than anybody waits.
const LEAST_RATIO: f64 = 2.0;

impl Question {
    /// The sharpest question that a stretch of `length` without a miss can answer with "holds".
    #[must_use]
    pub fn within(length: Seconds, allowed: PerHour, error: f64) -> Self {
        let too_many = allowed + PerHour::counted(((1.0 - error) / error).ln(), length);
        Self { allowed, too_many: too_many.max(allowed * LEAST_RATIO), error }
    }

    /// The answer after so many misses in a time t: `ln Λ = k·ln(λ₁/λ₀) − (λ₁ − λ₀)·t` against `± ln((1−ε)/ε)`.
    #[must_use]
    pub fn answer(&self, misses: u64, time: Seconds) -> Decision {
        let likely = misses as f64 * (self.too_many / self.allowed).ln()
            - (self.too_many - self.allowed).raw() * time.hours();
        let sure = ((1.0 - self.error) / self.error).ln();
        // A hair of rounding must not cost another look.
        if likely >= sure {
            Decision::Breaks
        } else if likely <= -sure * (1.0 - 1e-12) {
            Decision::Holds
        } else {
            Decision::Undecided
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_quiet_stretch_of_the_asked_length_is_just_enough() {
        for (seconds, allowed) in [(10.0, 1.0), (60.0, 0.2), (3600.0, 0.5)] {
            let length = Seconds::new(seconds);
            let question = Question::within(length, PerHour::new(allowed), 0.05);
            assert_eq!(question.answer(0, length), Decision::Holds, "{seconds}");
            assert_eq!(question.answer(0, length * 0.9), Decision::Undecided, "{seconds}");
            assert_eq!(question.answer(50, length), Decision::Breaks, "{seconds}");
        }
    }

    /// Poisson processes walked until the test stops: both wrong answers stay below what is stated.
    #[test]
    fn both_errors_are_as_rare_as_stated() {
        let question = Question::within(Seconds::new(60.0), PerHour::new(5.0), 0.05);
        let mut random = fastrand::Rng::with_seed(4);
        for (rate, wrong) in [(question.allowed, Decision::Breaks), (question.too_many, Decision::Holds)] {
            let trials = 4000;
            let mut errors = 0;
            for _ in 0..trials {
                let (mut misses, mut time) = (0, Seconds::new(0.0));
                let pause =
                    |random: &mut fastrand::Rng| Seconds::new(-random.f64().ln() / rate.raw() * 3600.0);
                let mut next = pause(&mut random);
                let answer = loop {
                    time += Seconds::new(0.5);
                    while next <= time {
                        misses += 1;
                        next += pause(&mut random);
                    }
                    match question.answer(misses, time) {
                        Decision::Undecided => {}
                        known => break known,
                    }
                };
                errors += u32::from(answer == wrong);
            }
            // Wald: error/(1 − error), and three standard deviations of 4000 trials.
            assert!(f64::from(errors) / f64::from(trials) < 0.05 / 0.95 + 0.0105, "{wrong:?}: {errors}");
        }
    }
}
