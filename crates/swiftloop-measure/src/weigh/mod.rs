//! Weighing: how long calls of a processor took comes in, block by block, each between two looks at how fast the machine was, by two yardsticks;
//! what a call costs, what a frame costs, and whether it works in bursts go out. A machine that is
//! disturbed is slow at everything, so a call counts only when what was timed just before and just after it was as fast
//! as it ever is.

mod burst;
mod cost;
mod found;
mod voices;
mod yardsticks;

pub use burst::{BurstFound, burst};
pub use cost::{ProcessorCostFound, as_it_is, weighed};
pub use found::{AtRate, Bursts, DelayAt, Line, NanosRange, ProcessorDelay, VoiceCost};
pub use voices::{Voices, voices};
pub use yardsticks::Yardsticks;

/// Calls at one block, one after another.
#[derive(Debug, Clone, PartialEq)]
pub struct Timed {
    /// Frames of each.
    pub block: u32,
    pub calls: Vec<Call>,
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Call {
    /// What it took, in nanoseconds.
    pub ns: f64,
    /// What the slower of the yardsticks before and after it took, of each kind.
    pub beside: Yardsticks,
}

/// So much slower than its floor a yardstick may be for a call to count.
const NEAR: f64 = 1.1;

impl Timed {
    /// The least that the yardsticks took beside any call.
    #[must_use]
    pub fn floor(&self) -> Yardsticks {
        self.calls.iter().map(|c| c.beside).fold(Yardsticks::NONE, Yardsticks::least)
    }

    /// The calls beside yardsticks that lie near `floor`, both of them.
    #[must_use]
    pub fn undisturbed(&self, floor: Yardsticks) -> Vec<f64> {
        self.calls.iter().filter(|c| c.beside.over(floor) <= NEAR).map(|c| c.ns).collect()
    }

    /// The calls that nothing disturbed; where they are fewer than `fewest`, those in the calmest moments.
    #[must_use]
    pub fn calm(&self, floor: Yardsticks, fewest: usize) -> Vec<f64> {
        let undisturbed = self.undisturbed(floor);
        if undisturbed.len() >= fewest {
            return undisturbed;
        }
        let mut order = self.calls.clone();
        order.sort_by(|a, b| a.beside.over(floor).total_cmp(&b.beside.over(floor)));
        order.iter().take(fewest).map(|c| c.ns).collect()
    }

    /// Without the bursts, which are told by themselves: the calls between them, where there are such; else with what they take
    /// in the mean taken off.
    #[must_use]
    pub fn between(mut self, burst: Option<BurstFound>) -> Self {
        let Some(burst) = burst else { return self };
        if self.block < burst.frames {
            self.calls.retain(|c| c.ns < burst.ns / 2.0);
        } else {
            let each = burst.ns * f64::from(self.block) / f64::from(burst.frames);
            self.calls.iter_mut().for_each(|c| c.ns = (c.ns - each).max(0.0));
        }
        self
    }
}
