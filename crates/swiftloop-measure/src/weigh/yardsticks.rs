//! Two yardsticks: what a piece of work takes that waits for each step before the next, and one that only has to get through.
//! How long they take on a machine says how fast it is now beside its best, and how its speed compares with that of
//! another: no real work is bound by more than the two, so it lies between them.

use serde::{Deserialize, Serialize};

/// How long the yardsticks took.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Yardsticks {
    /// Bound by latency: one second-order filter section over one frame, in nanoseconds.
    pub latency_ns: f64,
    /// Bound by throughput: one sample scaled and added to another, in nanoseconds.
    pub throughput_ns: f64,
}

impl Yardsticks {
    /// What they take on the reference core, a 2020 desktop core at 4 GHz: a section waits for an addition, a multiplication and
    /// a subtraction, four cycles each; of samples four a cycle are scaled and added (128-bit vectors, two operations a cycle).
    pub const REFERENCE: Self = Self { latency_ns: 3.0, throughput_ns: 0.0625 };
    /// Nothing was measured yet.
    pub const NONE: Self = Self { latency_ns: f64::INFINITY, throughput_ns: f64::INFINITY };

    /// The less of each.
    #[must_use]
    pub fn least(self, other: Self) -> Self {
        Self {
            latency_ns: self.latency_ns.min(other.latency_ns),
            throughput_ns: self.throughput_ns.min(other.throughput_ns),
        }
    }

    /// The more of each.
    #[must_use]
    pub fn most(self, other: Self) -> Self {
        Self {
            latency_ns: self.latency_ns.max(other.latency_ns),
            throughput_ns: self.throughput_ns.max(other.throughput_ns),
        }
    }

    /// How many times `floor` the slower of them took.
    #[must_use]
    pub fn over(self, floor: Self) -> f64 {
        (self.latency_ns / floor.latency_ns).max(self.throughput_ns / floor.throughput_ns)
    }

    /// So many times as long as `other` work takes here: bound by latency, half and half, bound by throughput; in rising order.
    #[must_use]
    pub fn beside(self, other: Self) -> [f64; 3] {
        let (a, b) = (self.latency_ns / other.latency_ns, self.throughput_ns / other.throughput_ns);
        [a.min(b), (a * b).sqrt(), a.max(b)]
    }

    #[must_use]
    pub fn is_possible(self) -> bool {
        [self.latency_ns, self.throughput_ns].iter().all(|ns| ns.is_finite() && *ns > 0.0)
    }
}

#[cfg(test)]
mod tests {
    use super::Yardsticks;

    #[test]
    fn work_lies_between_its_yardsticks_and_the_slower_one_counts() {
        let floor = Yardsticks::REFERENCE;
        let slow = Yardsticks { latency_ns: 3.3, throughput_ns: 0.125 };
        assert!((slow.over(floor) - 2.0).abs() < 1e-12);
        let [low, typical, high] = slow.beside(floor);
        assert!((low - 1.1).abs() < 1e-12 && (high - 2.0).abs() < 1e-12 && low < typical && typical < high);
        assert_eq!(slow.least(floor), floor);
        assert_eq!(slow.most(floor), slow);
        assert!(slow.is_possible() && !Yardsticks::NONE.is_possible());
        // Whatever is compared with itself is as it was.
        assert_eq!(slow.beside(slow), [1.0; 3]);
    }
}
