//! What breaks recordings, done to samples on purpose, with the truth kept.

use swiftloop_measure::listen::CrackleKind;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Damage {
    /// How: a skip loses frames, a slip one frame, a repeat stands in place of what belongs there.
    pub kind: CrackleKind,
    /// First frame that is wrong, or first that comes after the lost ones, in the damaged recording.
    pub start: usize,
    /// Frames that are wrong or lost.
    pub length: usize,
}

/// Breaks all `channels` at `start` (a place in the samples as they are now).
/// What does not fit is left alone.
pub fn damage(
    channels: &mut [Vec<f32>],
    kind: CrackleKind,
    start: usize,
    length: usize,
    random: &mut fastrand::Rng,
) {
    let frames = channels.iter().map(Vec::len).min().unwrap_or(0);
    if start < length.max(1) || start + length >= frames {
        return;
    }
    let wrong = (0.05 + 0.2 * random.f32()) * if random.bool() { 1.0 } else { -1.0 };
    for samples in channels {
        match kind {
            CrackleKind::Gap => samples[start..start + length].fill(0.0),
            CrackleKind::Hold => {
                let last = samples[start - 1];
                samples[start..start + length].fill(last);
            }
            CrackleKind::Repeat => samples.copy_within(start - length..start, start),
            CrackleKind::Skip => drop(samples.drain(start..start + length)),
            CrackleKind::Slip => drop(samples.remove(start)),
            CrackleKind::Click => {
                for (i, x) in samples[start..start + length].iter_mut().enumerate() {
                    *x += wrong * if i % 2 == 0 { 1.0 } else { -0.6 };
                }
            }
        }
    }
}

/// A recording whose driver misses blocks of `block` frames about every `every` frames: each miss is a gap, a repeat or
/// a skip of a block or two, on the grid of blocks. Returns the truth, in order.
pub fn crackle(channels: &mut [Vec<f32>], block: usize, every: usize, seed: u64) -> Vec<Damage> {
    let mut random = fastrand::Rng::with_seed(seed);
    let phase = random.usize(0..block);
    let mut all = Vec::new();
    let mut at = phase + block * (2 + every / block);
    while at + 4 * block < channels.first().map_or(0, Vec::len) {
        let kind = [CrackleKind::Gap, CrackleKind::Repeat, CrackleKind::Skip][random.usize(0..3)];
        let length = block * if random.u32(0..4) == 0 { 2 } else { 1 };
        damage(channels, kind, at, length, &mut random);
        all.push(Damage { kind, start: at, length });
        at += length + block * (1 + (every as f64 / block as f64 * (0.5 + random.f64())) as usize);
    }
    all
}
