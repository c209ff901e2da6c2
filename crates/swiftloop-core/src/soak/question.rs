//! Does this block hold? Wald's sequential probability ratio test (1945) on the misses of a Poisson process: "as many as
//! are bearable" against "too many". It stops as soon as the answer is known; both wrong answers are as rare as stated.

/// The question and its error rate.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Question {
    /// Misses per hour that are borne.
    pub bearable_per_hour: f64,
    /// Misses per hour that are too many. In between, either answer is right.
    pub too_many_per_hour: f64,
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
    /// The sharpest question that `seconds` without a miss can answer with "holds".
    #[must_use]
    pub fn within(seconds: f64, bearable_per_hour: f64, error: f64) -> Self {
        let hours = seconds / 3600.0;
        let too_many = bearable_per_hour + ((1.0 - error) / error).ln() / hours;
        Self { bearable_per_hour, too_many_per_hour: too_many.max(LEAST_RATIO * bearable_per_hour), error }
    }

    /// The answer after so many misses in so many hours: `ln Λ = k·ln(λ₁/λ₀) − (λ₁ − λ₀)·t` against `± ln((1−ε)/ε)`.
    #[must_use]
    pub fn answer(&self, misses: u64, hours: f64) -> Decision {
        let (fair, many) = (self.bearable_per_hour, self.too_many_per_hour);
        let likely = misses as f64 * (many / fair).ln() - (many - fair) * hours;
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
        for (seconds, bearable) in [(10.0, 1.0), (60.0, 0.2), (3600.0, 0.5)] {
            let question = Question::within(seconds, bearable, 0.05);
            let hours = seconds / 3600.0;
            assert_eq!(question.answer(0, hours), Decision::Holds, "{seconds}");
            assert_eq!(question.answer(0, hours * 0.9), Decision::Undecided, "{seconds}");
            assert_eq!(question.answer(50, hours), Decision::Breaks, "{seconds}");
        }
    }

    /// Poisson processes walked until the test stops: both wrong answers stay below what is stated.
    #[test]
    fn both_errors_are_as_rare_as_stated() {
        let question = Question::within(60.0, 5.0, 0.05);
        let mut random = fastrand::Rng::with_seed(4);
        for (rate, wrong) in
            [(question.bearable_per_hour, Decision::Breaks), (question.too_many_per_hour, Decision::Holds)]
        {
            let trials = 4000;
            let mut errors = 0;
            for _ in 0..trials {
                let (mut misses, mut hours) = (0, 0.0);
                let mut next = -random.f64().ln() / rate;
                let answer = loop {
                    hours += 0.5 / 3600.0;
                    while next <= hours {
                        misses += 1;
                        next += -random.f64().ln() / rate;
                    }
                    match question.answer(misses, hours) {
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
