//! What is left of a delay after the recorder has shifted the take by what the driver claims.

use swiftloop_units::Frames;

#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Residual(Frames);

impl Residual {
    /// From what was measured and what the recorder takes off.
    #[must_use]
    pub fn new(measured: Frames, reported: Frames) -> Self {
        Self(measured - reported)
    }

    /// How far takes land off: above zero late, below early.
    #[must_use]
    pub fn frames(self) -> Frames {
        self.0
    }

    /// Takes land later than what they were played to.
    #[must_use]
    pub fn late(self) -> bool {
        self.0.raw() > 0.0
    }

    /// Takes land within half a frame: nothing to enter.
    #[must_use]
    pub fn nothing(self) -> bool {
        self.0.raw().abs() < 0.5
    }

    /// The shift in whole frames that makes takes line up: below zero moves them earlier.
    #[must_use]
    pub fn offset_to_enter(self) -> i64 {
        -(self.0.raw().round() as i64)
    }
}
