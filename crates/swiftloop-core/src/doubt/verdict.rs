//! What is said of a share of rigs.

use serde::Serialize;
use swiftloop_units::Share;

/// From this share on it is said without a but.
pub const SURE: Share = Share::new(0.9);
/// Below this share the opposite is said.
pub const SELDOM: Share = Share::new(0.1);
/// Below this share it is called impossible.
pub const HOPELESS: Share = Share::new(0.01);

/// In which share of rigs a performer's delay stays under the two figures of the limit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DelayShares {
    /// It is not noticed.
    pub immediate: Share,
    /// It can be played with.
    pub playable: Share,
}

/// What a performer's delay is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum DelayVerdict {
    /// Not noticed in 9 of 10 rigs.
    Immediate,
    /// Playable in 9 of 10 rigs.
    Playable,
    /// It cannot be told yet.
    Open,
    /// Playable in fewer than 1 of 10 rigs.
    Late,
}

impl DelayShares {
    pub const ALWAYS: Self = Self { immediate: Share::new(1.0), playable: Share::new(1.0) };

    /// What is said of them.
    #[must_use]
    pub fn verdict(&self) -> DelayVerdict {
        if self.immediate >= SURE {
            DelayVerdict::Immediate
        } else if self.playable >= SURE {
            DelayVerdict::Playable
        } else if self.playable < SELDOM {
            DelayVerdict::Late
        } else {
            DelayVerdict::Open
        }
    }
}

impl DelayVerdict {
    /// The word used in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Immediate => "immediate",
            Self::Playable => "playable",
            Self::Open => "open",
            Self::Late => "late",
        }
    }
}

/// What dropouts are beside what is allowed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum DropoutVerdict {
    /// No more than allowed in 9 of 10 rigs.
    Holds,
    /// It cannot be told yet.
    Open,
    /// No more than allowed in fewer than 1 of 10 rigs.
    Breaks,
}

impl DropoutVerdict {
    /// What is said where so many rigs have no more than allowed.
    #[must_use]
    pub fn of(holds: Share) -> Self {
        if holds >= SURE {
            Self::Holds
        } else if holds < SELDOM {
            Self::Breaks
        } else {
            Self::Open
        }
    }

    /// The word used in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Holds => "holds",
            Self::Open => "open",
            Self::Breaks => "breaks",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nine_of_ten_are_enough_and_one_of_ten_is_not_late() {
        let said = |immediate, playable| {
            let of = Share::new;
            DelayShares { immediate: of(immediate), playable: of(playable) }.verdict()
        };
        assert_eq!(said(0.9, 1.0), DelayVerdict::Immediate);
        assert_eq!(said(0.899, 0.9), DelayVerdict::Playable);
        assert_eq!(said(0.0, 0.899), DelayVerdict::Open);
        assert_eq!(said(0.0, 0.1), DelayVerdict::Open);
        assert_eq!(said(0.0, 0.099), DelayVerdict::Late);
        let all = [0.0, 0.099, 0.1, 0.5, 0.899, 0.9, 1.0].map(|s| DropoutVerdict::of(Share::new(s)));
        assert!(all.windows(2).all(|w| w[1] <= w[0]));
    }
}
