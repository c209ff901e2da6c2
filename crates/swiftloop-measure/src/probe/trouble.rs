//! What makes a reading no round trip that anybody should write down: a reading comes in, the worst of its troubles goes
//! out. A figure that is right for one moment, or right after something was taken off it, is a wrong answer.

use super::ProbeReading;
use serde::Serialize;
use swiftloop_units::Frames;

/// What is wrong, the worst first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Trouble {
    /// Recording and playing run by two clocks.
    TwoClocks,
    /// Frames were lost or put in on the way.
    Slips,
    /// It came back sooner than any block allows: the recorder took its latency off.
    Compensated,
}

/// One block in and one out of the smallest that anybody has.
const SOONEST: Frames = Frames::new(32.0);

impl ProbeReading {
    /// The worst trouble of all channels. `expected`: the recorder is known to take its latency off.
    #[must_use]
    pub fn trouble(&self, expected: bool) -> Option<Trouble> {
        let of = |c: &super::ChannelReading| {
            if c.drifts {
                Some(Trouble::TwoClocks)
            } else if !c.slips.is_empty() {
                Some(Trouble::Slips)
            } else {
                (!expected && c.latency.typical() < SOONEST).then_some(Trouble::Compensated)
            }
        };
        self.channels.iter().filter_map(of).min()
    }
}
