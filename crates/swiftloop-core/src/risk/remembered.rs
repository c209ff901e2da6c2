//! What was worked out before: a question goes in as its numbers, the answer comes out, from memory where somebody asked
//! before. Phases of a plan ask much of the same (and each asks again with what is printed anyway, or with more
//! thought); an answer from memory counts on the meter as it did the first time, so a search ends at the same place whoever
//! asked first.

use std::collections::HashMap;
use std::hash::{DefaultHasher, Hasher};
use std::sync::{Mutex, PoisonError};

/// Answers that are kept at the most: some 50 bytes each.
const MOST: usize = 1 << 18;

/// Everything an answer depends on, as 128 bits of a hash: two questions that share them are not to be expected before there
/// are some 2⁶⁴.
#[derive(Debug)]
pub(super) struct RiskKey([DefaultHasher; 2]);

impl RiskKey {
    /// So many kinds of questions there are; their numbers tell them apart.
    pub(super) fn new(kind: u8) -> Self {
        let mut both = [DefaultHasher::new(), DefaultHasher::new()];
        for (k, hasher) in both.iter_mut().enumerate() {
            hasher.write_u8(k as u8);
            hasher.write_u8(kind);
        }
        Self(both)
    }

    pub(super) fn number(&mut self, x: f64) {
        self.0.iter_mut().for_each(|h| h.write_u64(x.to_bits()));
    }

    pub(super) fn count(&mut self, n: usize) {
        self.0.iter_mut().for_each(|h| h.write_usize(n));
    }

    fn key(&self) -> [u64; 2] {
        [self.0[0].finish(), self.0[1].finish()]
    }
}

/// An answer with what it cost, in steps of the meter.
#[derive(Debug, Clone, Copy)]
pub(super) struct RememberedRisk {
    pub(super) value: f64,
    pub(super) steps: u64,
}

/// Answers by their questions.
#[derive(Debug, Default)]
pub struct Remembered(Mutex<HashMap<[u64; 2], RememberedRisk>>);

impl Remembered {
    /// The answer, worked out where nobody asked before. Two who ask at once both work it out.
    pub(super) fn answer(&self, question: &RiskKey, of: impl FnOnce() -> RememberedRisk) -> RememberedRisk {
        let key = question.key();
        let known = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(answer) = known().get(&key).copied() {
            return answer;
        }
        let answer = of();
        let mut known = known();
        if known.len() < MOST {
            known.insert(key, answer);
        }
        answer
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_question_is_worked_out_once_and_costs_the_same_twice() {
        let remembered = Remembered::default();
        let asked = std::cell::Cell::new(0);
        let ask = |kind, numbers: &[f64]| {
            let mut question = RiskKey::new(kind);
            numbers.iter().for_each(|x| question.number(*x));
            let answer = remembered.answer(&question, || {
                asked.set(asked.get() + 1);
                RememberedRisk { value: numbers.iter().sum(), steps: 7 }
            });
            (answer.value, answer.steps)
        };
        assert_eq!(ask(0, &[1.0, 2.0]), (3.0, 7));
        assert_eq!((ask(0, &[1.0, 2.0]), asked.get()), ((3.0, 7), 1));
        // Another kind, another order, one number more or less, another sign of nothing: other questions.
        for (kind, numbers) in
            [(1, vec![1.0, 2.0]), (0, vec![2.0, 1.0]), (0, vec![1.0, 2.0, 0.0]), (0, vec![1.0, 2.0, -0.0])]
        {
            let before = asked.get();
            ask(kind, &numbers);
            assert_eq!(asked.get(), before + 1, "{kind} {numbers:?}");
        }
    }
}
