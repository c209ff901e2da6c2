//! `R(N) = k·N + c`: a line through measured round trips. k says how many blocks the driver really holds,
//! c what it delays whatever the buffer. Plain least squares; two points give the line exactly.

use swiftloop_units::{Block, Frames};

/// The line through measured round trips.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RoundTripLine {
    /// Blocks held, in and out together.
    pub blocks: f64,
    /// Frames that do not depend on the buffer.
    pub fixed: Frames,
    /// Largest distance of a measured point from the line.
    pub unexplained: Frames,
    /// How many different buffers were measured.
    pub buffers: usize,
}

/// Why a line cannot be that of a driver.
#[derive(Debug, Clone, PartialEq)]
pub enum UnusableFit {
    /// A larger buffer came back no later than a smaller one.
    Shrinks { smaller: Block, larger: Block },
    /// Less than one block in and one out: no driver holds fewer.
    TooFewBlocks,
    /// Less than nothing remains beside the blocks.
    NothingFixed,
    /// One round trip is shorter than one block in and one out: it was compensated, or belongs to another buffer.
    TooSoon { block: Block, trip: Frames },
    /// Fewer blocks than a driver of this model can hold.
    BelowModel {
        /// What the line says.
        blocks: f64,
        /// What such a driver holds at the least.
        least: f64,
        model: String,
    },
}

/// The least that a driver holds: one block in and one out; a hair less where buffers are not exactly what they say.
const FEWEST_BLOCKS: f64 = 1.9;

/// Whether a round trip can be one at all: shorter than one block in and one out it cannot.
///
/// # Errors
/// [`UnusableFit::TooSoon`].
pub fn possible_trip(block: Block, trip: Frames) -> Result<(), UnusableFit> {
    if trip < block.frames() * FEWEST_BLOCKS { Err(UnusableFit::TooSoon { block, trip }) } else { Ok(()) }
}

impl RoundTripLine {
    /// The line, if it can be that of a driver of `model`, which holds at least so many blocks in and out.
    ///
    /// # Errors
    /// [`UnusableFit::BelowModel`].
    pub fn of_model(&self, model: &str, least: f64) -> Result<(), UnusableFit> {
        /// Buffers are not always exactly what they say.
        const HAIR: f64 = 0.1;
        if self.blocks < least - HAIR {
            return Err(UnusableFit::BelowModel { blocks: self.blocks, least, model: model.into() });
        }
        Ok(())
    }

    /// The line, if it can be that of a driver; `points` are those that it was fitted to.
    ///
    /// # Errors
    /// [`UnusableFit`]: the recordings were mixed up, or something takes delay off before it is measured.
    pub fn usable(self, points: &[(Block, Frames)]) -> Result<Self, UnusableFit> {
        for (block, trip) in points {
            let quicker = points.iter().find(|(other, t)| other > block && t <= trip);
            if let Some((larger, _)) = quicker {
                return Err(UnusableFit::Shrinks { smaller: *block, larger: *larger });
            }
        }
        if self.blocks < FEWEST_BLOCKS {
            return Err(UnusableFit::TooFewBlocks);
        }
        // As far below nothing as the points lie off the line is chance.
        if self.fixed.raw() < -self.unexplained.raw() - 1.0 {
            return Err(UnusableFit::NothingFixed);
        }
        Ok(self)
    }

    /// The blocks held, when they are a whole number (within a fiftieth); else something in the way works in blocks of
    /// its own, or the buffers were not what they were called.
    #[must_use]
    pub fn whole_blocks(&self) -> Option<i64> {
        let near = self.blocks.round();
        ((self.blocks - near).abs() < 0.02).then_some(near as i64)
    }
}

/// Fits the line, or nothing when fewer than two different buffers were measured.
///
/// ```
/// use swiftloop_measure::probe::fit;
/// use swiftloop_units::{Block, Frames};
///
/// // Two buffers, measured through a cable: the driver holds three blocks, and converters and cable take 40 frames.
/// let trips = [(Block::new(128), Frames::new(424.0)), (Block::new(256), Frames::new(808.0))];
/// let line = fit(&trips).expect("two buffers").usable(&trips).expect("a driver's");
/// assert_eq!((line.whole_blocks(), line.fixed.raw()), (Some(3), 40.0));
/// ```
#[must_use]
pub fn fit(points: &[(Block, Frames)]) -> Option<RoundTripLine> {
    let mut sizes: Vec<Block> = points.iter().map(|p| p.0).collect();
    sizes.sort_unstable();
    sizes.dedup();
    if sizes.len() < 2 {
        return None;
    }
    let n = points.len() as f64;
    let mean_x = points.iter().map(|p| p.0.frames().raw()).sum::<f64>() / n;
    let mean_y = points.iter().map(|p| p.1.raw()).sum::<f64>() / n;
    let (mut xy, mut xx) = (0.0, 0.0);
    for (block, trip) in points {
        let x = block.frames().raw() - mean_x;
        xy += x * (trip.raw() - mean_y);
        xx += x * x;
    }
    let blocks = xy / xx;
    let fixed = mean_y - blocks * mean_x;
    let miss = |p: &(Block, Frames)| (p.1.raw() - blocks * p.0.frames().raw() - fixed).abs();
    let unexplained = points.iter().map(miss).fold(0.0, f64::max);
    Some(RoundTripLine {
        blocks,
        fixed: Frames::new(fixed),
        unexplained: Frames::new(unexplained),
        buffers: sizes.len(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_line_is_found_again(k in 0.5f64..8.0, c in 0.0f64..500.0, sizes in prop::collection::btree_set(1u32..4096, 2..8)) {
            let points: Vec<_> = sizes.iter().map(|&n| (Block::new(n), Frames::new(k * f64::from(n) + c))).collect();
            let line = fit(&points).unwrap();
            prop_assert!((line.blocks - k).abs() < 1e-6 && (line.fixed.raw() - c).abs() < 1e-3);
            prop_assert!(line.unexplained.raw() < 1e-3);
        }
    }

    #[test]
    fn a_line_that_no_driver_can_have_is_refused() {
        let of = |trips: &[(u32, f64)]| {
            let points: Vec<_> = trips.iter().map(|&(n, t)| (Block::new(n), Frames::new(t))).collect();
            fit(&points).unwrap().usable(&points)
        };
        assert!(of(&[(128, 424.4), (256, 808.4), (512, 1576.4)]).is_ok());
        // Two recordings changed places.
        assert!(matches!(of(&[(128, 1576.4), (512, 424.4)]), Err(UnusableFit::Shrinks { .. })));
        assert!(matches!(of(&[(128, 808.4), (256, 424.4), (512, 1576.4)]), Err(UnusableFit::Shrinks { .. })));
        // The recorder takes most of the delay off.
        assert_eq!(of(&[(128, 30.0), (256, 31.0)]), Err(UnusableFit::TooFewBlocks));
        assert_eq!(of(&[(128, 100.0), (256, 500.0)]), Err(UnusableFit::NothingFixed));
    }

    #[test]
    fn one_buffer_gives_no_line() {
        assert_eq!(fit(&[(Block::new(64), Frames::new(300.0)), (Block::new(64), Frames::new(301.0))]), None);
    }

    #[test]
    fn what_the_line_does_not_explain_is_said() {
        let line = fit(&[
            (Block::new(0x40), Frames::new(100.0)),
            (Block::new(0x80), Frames::new(200.0)),
            (Block::new(0xc0), Frames::new(330.0)),
        ])
        .unwrap();
        assert!((line.unexplained.raw() - 10.0).abs() < 1e-9, "{line:?}");
    }
}
