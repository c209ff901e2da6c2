//! Where recording and expectation part and how they come together again: a window of both comes in, the place, the
//! kind and the length of the next disturbance go out. Of all changes that could have happened (frames
//! wrong, lost, put in), the smallest after which both agree for a while is the one that did.

use super::signal_path::ChannelPath;
use crate::listen::CrackleKind;

/// Longest disturbance that is followed.
pub const LONGEST: usize = 16_384;
/// Frames by which the expectation begins earlier than the recording, and ends later.
pub const MARGIN: usize = 2 * LONGEST;
/// Frames that must agree before the two count as together again.
const AGREE: usize = 32;

/// Recording and expectation side by side; the expectation begins [`MARGIN`] before the recording.
pub struct Window<'a> {
    /// The way of each channel.
    pub paths: &'a [ChannelPath],
    pub recorded: &'a [Vec<f32>],
    /// What should have been.
    pub expected: &'a [Vec<f32>],
}

/// How the two came together again.
pub struct Rejoined {
    pub kind: CrackleKind,
    /// Wrong frames.
    pub wrong: usize,
    /// By how much everything later is shifted.
    pub shift: i64,
    /// Channels on which it shows.
    pub channels: Vec<usize>,
}

impl Window<'_> {
    fn expected(&self, channel: usize, frame: usize, shift: i64) -> f32 {
        let at = frame as i64 + MARGIN as i64 - shift;
        usize::try_from(at).ok().and_then(|n| self.expected[channel].get(n)).copied().unwrap_or(0.0)
    }

    fn differs(&self, channel: usize, frame: usize, shift: i64) -> bool {
        let difference = self.recorded[channel][frame] - self.expected(channel, frame, shift);
        difference.abs() > self.paths[channel].tolerance
    }

    /// The first frame that differs on any channel.
    pub fn parts(&self, from: usize, to: usize) -> Option<usize> {
        (0..self.paths.len()).filter_map(|c| (from..to).find(|n| self.differs(c, *n, 0))).min()
    }

    /// All channels agree for a while from `frame` on, and there is something to agree about.
    fn agrees(&self, frame: usize, shift: i64) -> bool {
        let mut moving = false;
        for n in frame..frame + 4 * AGREE {
            for (c, path) in self.paths.iter().enumerate() {
                if self.differs(c, n, shift) {
                    return false;
                }
                let moved = self.expected(c, n, shift) - self.expected(c, frame, shift);
                moving |= moved.abs() > 4.0 * path.tolerance;
            }
            if moving && n + 1 >= frame + AGREE {
                return true;
            }
        }
        // Silence agrees with anything: only the plainest reading may build on it.
        shift == 0
    }

    /// The channels on which a disturbance shows: frames that are only missing are missing everywhere.
    pub fn hit(&self, first: usize, wrong: usize) -> Vec<usize> {
        let differs = |c: &usize| wrong == 0 || (first..first + wrong).any(|n| self.differs(*c, n, 0));
        (0..self.paths.len()).filter(differs).collect()
    }

    /// The smallest change after which both go together again.
    pub fn rejoin(&self, first: usize) -> Option<Rejoined> {
        (1..LONGEST).find_map(|size| {
            let n = size as i64;
            let (wrong, shift) = [(size, 0), (0, -n), (size, n)]
                .into_iter()
                .find(|(wrong, shift)| self.agrees(first + wrong, *shift))?;
            Some(self.named(first, wrong, shift))
        })
    }

    fn named(&self, first: usize, wrong: usize, shift: i64) -> Rejoined {
        let during = first..first + wrong;
        let channels = self.hit(first, wrong);
        // Every wrong frame, on every channel that was hit, has this value or nearly.
        let all = |value: &dyn Fn(&[f32], usize) -> f32, slack: f32| {
            channels.iter().all(|c| {
                let (r, most) = (&self.recorded[*c], slack * self.paths[*c].tolerance);
                during.clone().all(|n| (r[n] - value(r, n)).abs() <= most)
            })
        };
        let copied = |lag: usize| lag <= first && all(&|r, n| r[n - lag], 2.0);
        let kind = if wrong == 0 {
            if shift == -1 { CrackleKind::Slip } else { CrackleKind::Skip }
        } else if shift == 1 {
            CrackleKind::Slip
        } else if all(&|_, _| 0.0, 1.0) {
            CrackleKind::Gap
        } else if all(&|r, _| r[first - 1], 1.0) {
            CrackleKind::Hold
        // What was recorded as many frames before; or farther off, should the ends agree with the original by chance.
        } else if wrong > 1 && (copied(wrong) || (wrong.max(8)..LONGEST).any(copied)) {
            CrackleKind::Repeat
        } else {
            CrackleKind::Click
        };
        Rejoined { kind, wrong, shift, channels }
    }
}
