//! The grain of a sound: the smallest step between two of its values near a place, which may be far larger than the step of
//! the file it lies in (a fade in 16 bits that was turned up afterwards, silence with dither). Samples come in, a step for
//! any place goes out. Where values have a grain no two neighbours differ by less, and where they have none
//! the smallest difference of thousands is as good as none.

use std::cell::RefCell;

/// Frames that are looked at together.
const PIECE: usize = 2048;

/// The grain of a stretch of samples; each piece of it is looked at once.
#[derive(Debug)]
pub struct Grain<'a> {
    samples: &'a [f32],
    step: f32,
    pieces: RefCell<Vec<Option<f32>>>,
}

impl<'a> Grain<'a> {
    /// Of samples in a file whose values have this step.
    #[must_use]
    pub fn new(samples: &'a [f32], step: f32) -> Self {
        Self { samples, step, pieces: RefCell::new(vec![None; samples.len().div_ceil(PIECE)]) }
    }

    /// The grain around a frame.
    #[must_use]
    pub fn at(&self, frame: usize) -> f32 {
        let piece = frame / PIECE;
        let last = self.samples.len().div_ceil(PIECE);
        let least = (piece.saturating_sub(1)..(piece + 2).min(last))
            .map(|p| self.of(p))
            .fold(f32::INFINITY, f32::min);
        // Where all stands still there is nothing to be seen of a grain.
        if least.is_finite() { least.max(self.step) } else { self.step }
    }

    fn of(&self, piece: usize) -> f32 {
        if let Some(known) = self.pieces.borrow()[piece] {
            return known;
        }
        let from = piece * PIECE;
        let to = (from + PIECE + 1).min(self.samples.len());
        let steps = self.samples[from..to].windows(2).map(|w| (w[1] - w[0]).abs());
        // What lies nearer than half a step of the file is rounding.
        let least = steps.filter(|d| *d > 0.5 * self.step).fold(f32::INFINITY, f32::min);
        self.pieces.borrow_mut()[piece] = Some(least);
        least
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_rounded_and_turned_up_has_a_coarse_grain() {
        let file = 1.0 / 8_388_608.0;
        let coarse = 1.0 / 32_768.0;
        let wave = |n: usize| 0.01 * (n as f32 * 0.01).sin();
        let plain: Vec<f32> = (0..20_000).map(|n| (wave(n) / file).round() * file).collect();
        assert!(Grain::new(&plain, file).at(9000) < 8.0 * file);
        let turned: Vec<f32> =
            (0..20_000).map(|n| ((wave(n) / coarse).round() * coarse * 2.83 / file).round() * file).collect();
        let found = Grain::new(&turned, file).at(9000) / (2.83 * coarse);
        assert!((0.98..1.02).contains(&found), "{found}");
        assert_eq!(Grain::new(&[0.0; 5000], file).at(100), file);
    }
}
