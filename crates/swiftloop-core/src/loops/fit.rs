//! `R(N) = k·N + c`: a line through measured round trips. k says how many blocks the driver really holds,
//! c what it delays whatever the buffer. Plain least squares; two points give the line exactly.

use crate::units::{Block, Frames};

/// The line through measured round trips.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fit {
    /// Blocks held, in and out together.
    pub blocks: f64,
    /// Frames that do not depend on the buffer.
    pub fixed: Frames,
    /// Largest distance of a measured point from the line.
    pub unexplained: Frames,
    /// How many different buffers were measured.
    pub buffers: usize,
}

impl Fit {
    /// The blocks held, when they are a whole number (within a fiftieth); else something in the way works in blocks of
    /// its own, or the buffers were not what they were called.
    #[must_use]
    pub fn whole_blocks(&self) -> Option<i64> {
        let near = self.blocks.round();
        ((self.blocks - near).abs() < 0.02).then_some(near as i64)
    }
}

/// Fits the line, or nothing when fewer than two different buffers were measured.
#[must_use]
pub fn fit(points: &[(Block, Frames)]) -> Option<Fit> {
    let mut sizes: Vec<Block> = points.iter().map(|p| p.0).collect();
    sizes.sort_unstable();
    sizes.dedup();
    if sizes.len() < 2 {
        return None;
    }
    let n = points.len() as f64;
    let mean_x = points.iter().map(|p| p.0.frames().0).sum::<f64>() / n;
    let mean_y = points.iter().map(|p| p.1.0).sum::<f64>() / n;
    let (mut xy, mut xx) = (0.0, 0.0);
    for (block, trip) in points {
        let x = block.frames().0 - mean_x;
        xy += x * (trip.0 - mean_y);
        xx += x * x;
    }
    let blocks = xy / xx;
    let fixed = mean_y - blocks * mean_x;
    let miss = |p: &(Block, Frames)| (p.1.0 - blocks * p.0.frames().0 - fixed).abs();
    let unexplained = points.iter().map(miss).fold(0.0, f64::max);
    Some(Fit { blocks, fixed: Frames(fixed), unexplained: Frames(unexplained), buffers: sizes.len() })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_line_is_found_again(k in 0.5f64..8.0, c in 0.0f64..500.0, sizes in prop::collection::btree_set(1u32..4096, 2..8)) {
            let points: Vec<_> = sizes.iter().map(|&n| (Block(n), Frames(k * f64::from(n) + c))).collect();
            let line = fit(&points).unwrap();
            prop_assert!((line.blocks - k).abs() < 1e-6 && (line.fixed.0 - c).abs() < 1e-3);
            prop_assert!(line.unexplained.0 < 1e-3);
        }
    }

    #[test]
    fn one_buffer_gives_no_line() {
        assert_eq!(fit(&[(Block(64), Frames(300.0)), (Block(64), Frames(301.0))]), None);
    }

    #[test]
    fn what_the_line_does_not_explain_is_said() {
        let line =
            fit(&[(Block(0x40), Frames(100.0)), (Block(0x80), Frames(200.0)), (Block(0xc0), Frames(330.0))])
                .unwrap();
        assert!((line.unexplained.0 - 10.0).abs() < 1e-9, "{line:?}");
    }
}
