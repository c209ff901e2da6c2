//! What the crackles of a recording point to. Events come in, a cause goes out, with how sure it is. A
//! driver can only lose whole blocks at block boundaries, so lengths and starts share a divisor; clocks lose one frame
//! at a time, at regular intervals; a cable or a processor breaks one channel, a driver all of them.

use super::{Crackle, CrackleKind};
use swiftloop_units::stats::median;
use swiftloop_units::{Block, Frames, Hz, Ppm};

/// What is to blame.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CrackleCause {
    /// Blocks that were not ready in time.
    Buffer,
    /// Two clocks that are not locked.
    Clock,
    /// Something on the way of one channel.
    SingleChannel,
    /// The pattern fits nothing known.
    Unknown,
    /// There are no crackles.
    None,
}

impl CrackleCause {
    /// The word in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Buffer => "buffer",
            Self::Clock => "clock",
            Self::SingleChannel => "single_channel",
            Self::Unknown => "unknown",
            Self::None => "none",
        }
    }
}

/// A cause and what speaks for it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Attribution {
    /// What is to blame.
    pub cause: CrackleCause,
    /// The block that explains lengths and places.
    pub block: Option<Block>,
    pub channel: Option<usize>,
    /// How far the clocks are apart, from the time between slips.
    pub drift: Option<Ppm>,
    pub interval: Option<Frames>,
    /// From 0 to 1.
    pub confidence: f64,
}

/// Blocks that are tried.
const BLOCKS: std::ops::RangeInclusive<u64> = 16..=8192;
/// So many events say enough.
const ENOUGH: usize = 200;
/// Larger blocks that are no power of two no driver has, nor longer ones, in seconds.
const LARGEST: u64 = 4096;
const LONGEST_S: f64 = 0.05;
/// A block is named from this confidence on.
const SURE: f64 = 0.8;

#[must_use]
pub fn attribute(events: &[Crackle], channels: usize, rate: Hz) -> Attribution {
    let nothing = Attribution {
        cause: CrackleCause::None,
        block: None,
        channel: None,
        drift: None,
        interval: None,
        confidence: 1.0,
    };
    if events.is_empty() {
        return nothing;
    }
    if let Some(clock) = clock(events) {
        return Attribution { cause: CrackleCause::Clock, ..clock };
    }
    let (block, confidence) = block(events, rate);
    if confidence >= SURE {
        return Attribution { cause: CrackleCause::Buffer, block: Some(block), confidence, ..nothing };
    }
    if let Some((channel, share)) = single(events).filter(|_| channels > 1) {
        return Attribution {
            cause: CrackleCause::SingleChannel,
            channel: Some(channel),
            confidence: share,
            ..nothing
        };
    }
    Attribution { cause: CrackleCause::Unknown, confidence: 1.0 - confidence, ..nothing }
}

/// The channel on which alone nine in ten events are heard.
fn single(events: &[Crackle]) -> Option<(usize, f64)> {
    let first = events.iter().find(|e| e.channels.len() == 1)?.channels[0];
    let alone = events.iter().filter(|e| e.channels == [first]).count();
    let share = alone as f64 / events.len() as f64;
    // One event says little: Laplace's rule of succession.
    (share >= 0.9).then(|| (first, (alone + 1) as f64 / (events.len() + 2) as f64))
}

/// Slips at regular intervals.
fn clock(events: &[Crackle]) -> Option<Attribution> {
    let slips: Vec<u64> = events.iter().filter(|e| e.kind == CrackleKind::Slip).map(|e| e.start).collect();
    if slips.len() < 3 || slips.len() * 4 < events.len() * 3 {
        return None;
    }
    let gaps: Vec<f64> = slips.windows(2).map(|w| (w[1] - w[0]) as f64).collect();
    let interval = median(gaps.iter().copied());
    // A slip that was not heard makes one interval twice as long.
    let regular = |g: &&f64| {
        let times = (**g / interval).round().max(1.0);
        (**g / interval / times - 1.0).abs() < 0.15
    };
    let share = gaps.iter().filter(regular).count() as f64 / gaps.len() as f64;
    let earlier = events.iter().filter_map(|e| e.shift).sum::<i64>() < 0;
    (share >= 0.75).then_some(Attribution {
        cause: CrackleCause::Clock,
        block: None,
        channel: None,
        drift: Some(Ppm::new(1e6 / interval * if earlier { -1.0 } else { 1.0 })),
        interval: Some(Frames::new(interval)),
        confidence: share * (1.0 - 0.5f64.powi(gaps.len() as i32)),
    })
}

/// The block that explains starts and lengths best, and the posterior probability of it.
fn block(events: &[Crackle], rate: Hz) -> (Block, f64) {
    let events: Vec<&Crackle> = events.iter().filter(|e| e.kind != CrackleKind::Slip).take(ENOUGH).collect();
    let scores: Vec<(u64, f64)> = BLOCKS.map(|n| (n, evidence(&events, n) + usual(n, rate).ln())).collect();
    // No block at all: as likely beforehand as a usual one.
    let most = scores.iter().map(|s| s.1).fold(4f64.ln(), f64::max);
    let all: f64 = scores.iter().map(|s| (s.1 - most).exp()).sum::<f64>() + (4f64.ln() - most).exp();
    let best = scores.iter().max_by(|a, b| a.1.total_cmp(&b.1)).copied().unwrap_or((1, 0.0));
    (Block::new(best.0 as u32), (best.1 - most).exp() / all)
}

/// How usual a block is: powers of two, whole milliseconds, multiples of 16, anything. What no driver has (beats of music have
/// such lengths) is as good as ruled out beforehand.
fn usual(n: u64, rate: Hz) -> f64 {
    const NOBODY: f64 = 1e-6;
    let millisecond = u64::from(rate.get()) / 1000;
    match n {
        _ if n.is_power_of_two() => 8.0,
        _ if n > LARGEST || n as f64 > LONGEST_S * f64::from(rate.get()) => NOBODY,
        _ if millisecond > 0 && n.is_multiple_of(millisecond) => 3.0,
        _ if n.is_multiple_of(32) => 2.0,
        _ if n.is_multiple_of(16) => 1.0,
        _ => 0.02,
    }
}

/// Logarithm of how much likelier the events are with blocks of `n` than at random places with random lengths.
fn evidence(events: &[&Crackle], n: u64) -> f64 {
    let mut hits: Vec<u64> = events.iter().map(|e| e.start % n).collect();
    hits.sort_unstable();
    // The phase of the grid: the commonest remainder.
    let mut phase = (0, 0);
    let mut i = 0;
    while i < hits.len() {
        let j = i + hits[i..].iter().take_while(|h| **h == hits[i]).count();
        if j - i > phase.0 {
            phase = (j - i, hits[i]);
        }
        i = j;
    }
    let starts: f64 = hits.iter().map(|h| worth(h.abs_diff(phase.1), n)).sum();
    // One of them set the phase: it proves nothing.
    let free = worth(0, n);
    let lengths: f64 = events
        .iter()
        .filter(|e| matches!(e.kind, CrackleKind::Gap | CrackleKind::Hold | CrackleKind::Repeat))
        .map(|e| if e.length + 1 < n { worth(n / 2, n) } else { worth(e.length % n, n) })
        .sum();
    starts - free + lengths
}

/// What one remainder is worth: exact, off by one (an edge that looked right by chance), or elsewhere.
fn worth(off: u64, n: u64) -> f64 {
    let n_f = n as f64;
    match off.min(n - off) {
        0 => (0.8 * n_f).ln(),
        1 => (0.08 * n_f / 2.0).ln(),
        _ => (0.12 / (1.0 - 3.0 / n_f)).ln(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn event(start: u64, length: u64, kind: CrackleKind) -> Crackle {
        Crackle { start, length, kind, channels: vec![0, 1], shift: None, confidence: 1.0 }
    }

    proptest! {
        #[test]
        fn a_grid_of_blocks_is_found(n in prop::sample::select(vec![32u64, 64, 96, 128, 144, 256, 441, 480, 512, 1024]),
                                     phase in 0u64..1000, places in prop::collection::btree_set(3u64..5000, 10..30)) {
            let events: Vec<Crackle> = places.iter().map(|k| event(k * n + phase, n, if k % 3 == 0 { CrackleKind::Gap } else { CrackleKind::Repeat })).collect();
            let found = attribute(&events, 2, Hz::new(48_000));
            prop_assert_eq!((found.cause, found.block), (CrackleCause::Buffer, Some(Block::new(n as u32))));
        }

        #[test]
        fn random_places_have_no_block(seed in 0u64..500) {
            let mut random = fastrand::Rng::with_seed(seed);
            let events: Vec<Crackle> = (0..12).map(|_| event(random.u64(0..10_000_000), random.u64(20..2000), CrackleKind::Gap)).collect();
            let found = attribute(&events, 2, Hz::new(48_000));
            prop_assert_ne!(found.cause, CrackleCause::Buffer, "{:?}", found);
        }
    }

    #[test]
    fn slips_at_regular_intervals_are_clocks() {
        let events: Vec<Crackle> = (1..9)
            .map(|k| Crackle { shift: Some(-1), ..event(k * 25_000 + k % 3, 0, CrackleKind::Slip) })
            .collect();
        let found = attribute(&events, 2, Hz::new(48_000));
        assert_eq!(found.cause, CrackleCause::Clock);
        assert!((found.drift.map_or(0.0, |d| d.raw()) + 40.0).abs() < 0.1, "{found:?}");
    }

    #[test]
    fn one_channel_alone_is_a_cable_or_a_processor() {
        let places = [1003, 40_211, 90_500, 133_333, 250_001, 300_007];
        let events: Vec<Crackle> =
            places.map(|s| Crackle { channels: vec![1], ..event(s, 3, CrackleKind::Click) }).to_vec();
        let found = attribute(&events, 2, Hz::new(48_000));
        assert_eq!((found.cause, found.channel), (CrackleCause::SingleChannel, Some(1)));
        assert_eq!(attribute(&[], 2, Hz::new(48_000)).cause, CrackleCause::None);
    }
}
