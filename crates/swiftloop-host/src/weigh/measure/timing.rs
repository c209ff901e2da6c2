//! Timing calls: a processor comes in; what calls at a block took go out, each with the two yardsticks beside it.

use super::super::Running;
use super::ended::{Ended, check};
use super::sweep::Sweep;
use crate::soak::{Filters, now_ns};
use swiftloop_measure::weigh::{Call, Timed};

/// Calls before any counts.
const WARM: usize = 24;
/// Time that all calls at one block may take, in nanoseconds; a processor that is very dear gets fewer calls.
const TIME_NS: u64 = 120_000_000;
/// The block at which bursts show, and calls of it.
pub(super) const SMALL: u32 = 32;
const ROW: usize = 6_000;
/// Both yardsticks beside a call take so many nanoseconds, on the reference core.
const YARDSTICKS_NS: u64 = 8_000;

#[derive(Clone, Copy, PartialEq)]
pub(super) enum InputSound {
    /// Noise at a usual level, that keeps a processor busy.
    Noise,
    Silence,
    /// Noise so faint that its numbers are not normal any more.
    Denormal,
}

impl InputSound {
    fn level(self) -> f32 {
        match self {
            Self::Noise => 0.25,
            Self::Silence => 0.0,
            Self::Denormal => 1e-39,
        }
    }

    pub(super) fn fill(self, plugin: &mut dyn Running, frames: usize, random: &mut fastrand::Rng) {
        let level = self.level();
        for channel in plugin.inputs() {
            for s in &mut channel[..frames] {
                *s = if self == Self::Silence { 0.0 } else { level * (random.f32() * 2.0 - 1.0) };
            }
        }
    }
}

/// How calls are made.
pub(super) struct CallPattern<'s> {
    pub calls: usize,
    pub sound: InputSound,
    /// Caches are swept before each.
    pub sweep: Option<&'s mut Sweep>,
}

/// Calls at one block, each between two looks at the yardsticks.
pub(super) fn timed(
    plugin: &mut dyn Running,
    block: u32,
    mut way: CallPattern<'_>,
    filters: &mut Filters,
) -> Result<Timed, Ended> {
    let frames = block as usize;
    let mut random = fastrand::Rng::with_seed(u64::from(block));
    way.sound.fill(plugin, frames, &mut random);
    let begun = now_ns();
    for _ in 0..WARM {
        plugin.work(frames);
        if now_ns() - begun > TIME_NS / 2 {
            break;
        }
    }
    check(plugin, frames)?;
    let mut timed = Timed { block, calls: Vec::with_capacity(way.calls) };
    let mut before = filters.yardsticks(YARDSTICKS_NS);
    for _ in 0..way.calls {
        way.sound.fill(plugin, frames, &mut random);
        if let Some(sweep) = &mut way.sweep {
            sweep.caches();
        }
        let from = now_ns();
        plugin.work(frames);
        let ns = (now_ns() - from) as f64;
        let after = filters.yardsticks(YARDSTICKS_NS);
        timed.calls.push(Call { ns, beside: before.most(after) });
        before = after;
        if now_ns() - begun > TIME_NS {
            break;
        }
    }
    check(plugin, frames)?;
    Ok(timed)
}

/// A long row of small calls, from the first on.
pub(super) fn row(plugin: &mut dyn Running) -> Vec<f64> {
    let frames = SMALL as usize;
    let mut random = fastrand::Rng::with_seed(7);
    let begun = now_ns();
    let mut all = Vec::with_capacity(ROW);
    for _ in 0..ROW {
        InputSound::Noise.fill(plugin, frames, &mut random);
        let from = now_ns();
        plugin.work(frames);
        all.push((now_ns() - from) as f64);
        if now_ns() - begun > 3 * TIME_NS {
            break;
        }
    }
    all
}
