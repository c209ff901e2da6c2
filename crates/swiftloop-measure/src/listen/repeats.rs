//! Stretches played twice: samples of a channel come in, repeats go out. Noise makes every sixteen
//! frames of a recording unique, so sixteen that come again to the bit were copied. Places to compare are picked by
//! the samples themselves (those whose fingerprint is small), so that a copy picks the same ones.

use super::{ChannelMarks, CrackleKind, Grain};

/// Shortest copy that is found for certain.
pub const SHORTEST: usize = 16;
/// Frames that make a fingerprint.
const PRINT: usize = 4;
/// A place is kept when its fingerprint is the smallest of some so many in a row that hold it (winnowing: Schleimer, Wilkerson and
/// Aiken 2003): two of eleven are, and the thirteen of the shortest copy always hold one, at the same place as its original's.
const ROW: usize = 10;
/// Frames whose fingerprints are made in one go.
const GO: usize = 1024;
/// Room for them, and for the rows that reach over both ends.
const WIDE: usize = GO + 2 * (ROW - 1);
/// Farthest that a copy may lie behind its original, in frames.
pub const FARTHEST: usize = 8192;
/// Slots of the memory for places, as a power of two.
const SLOTS_LOG2: u32 = 13;
/// From this length on no sound rounds alike by chance.
const LONG: usize = 64;
/// The frames beside a copy have to differ from those beside its original by this much of the level there.
const DIFFERENT: f32 = 0.02;

#[must_use]
pub fn repeats(samples: &[f32], grain: &Grain<'_>) -> Vec<ChannelMarks> {
    let mut found: Vec<ChannelMarks> = Vec::new();
    // Where each fingerprint was seen last, beside the fingerprint: most others end at that.
    let mut memory = vec![(u32::MAX, 0u32); 1 << SLOTS_LOG2];
    let mut done = 0;
    places(samples, |at, print| {
        let slot = &mut memory[(print.wrapping_mul(0x27d4_eb2f) >> (32 - SLOTS_LOG2)) as usize];
        let (seen, before) = std::mem::replace(slot, (print, at as u32));
        let before = before as usize;
        if seen != print || at < done || at - before > FARTHEST {
            return;
        }
        if samples[at..at + PRINT] != samples[before..before + PRINT] {
            return;
        }
        if let Some(mark) = judge(samples, at, at - before, grain) {
            done = mark.start + mark.length;
            found.push(mark);
        }
    });
    found
}

/// Calls `each` for every place whose fingerprint is kept.
fn places(samples: &[f32], mut each: impl FnMut(usize, u32)) {
    let count = samples.len().saturating_sub(PRINT - 1);
    // Beyond both ends there is nothing to be smaller than.
    let (mut marks, mut kept) = ([u32::MAX; WIDE], [0u8; GO]);
    for from in (0..count).step_by(GO) {
        let (before, after) = (from.min(ROW - 1), (count - from).min(GO + ROW - 1));
        let here = &samples[from - before..from + after + PRINT - 1];
        marks[..ROW - 1 - before].fill(u32::MAX);
        marks[ROW - 1 + after..].fill(u32::MAX);
        prints(here, &mut marks[ROW - 1 - before..ROW - 1 + after]);
        smallest(&marks, &mut kept);
        // Which are kept cannot be foretold, so no branch asks each: they are the ones of a mask.
        for (word, kept) in kept.as_chunks::<64>().0.iter().enumerate() {
            let mut mask = ones(kept);
            while mask != 0 {
                let i = 64 * word + mask.trailing_zeros() as usize;
                mask &= mask - 1;
                each(from + i, marks[ROW - 1 + i]);
            }
        }
    }
}

/// Which fingerprints are the smallest of some row that holds them (1 or 0). What does not move is none: in rows of it all are the
/// largest number there is.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn smallest(marks: &[u32; WIDE], kept: &mut [u8; GO]) {
    let mut least = *marks;
    // The smallest of 2, 4, 8 and then all of a row, which begins at each fingerprint.
    with_later::<1, WIDE>(&mut least, u32::min);
    with_later::<2, WIDE>(&mut least, u32::min);
    with_later::<4, WIDE>(&mut least, u32::min);
    with_later::<{ ROW - 8 }, WIDE>(&mut least, u32::min);
    // The largest of the smallest of all rows that hold one is itself, if it is the smallest of any.
    with_later::<1, WIDE>(&mut least, u32::max);
    with_later::<2, WIDE>(&mut least, u32::max);
    with_later::<4, WIDE>(&mut least, u32::max);
    with_later::<{ ROW - 8 }, WIDE>(&mut least, u32::max);
    for ((kept, own), most) in kept.iter_mut().zip(&marks[ROW - 1..]).zip(&least) {
        *kept = u8::from(own == most) & u8::from(*own != u32::MAX);
    }
}

/// Each with the one so many places after it; the last ones stay as they are.
#[inline(always)]
fn with_later<const STEP: usize, const ALL: usize>(all: &mut [u32; ALL], of: impl Fn(u32, u32) -> u32) {
    for i in 0..ALL - STEP {
        all[i] = of(all[i], all[i + STEP]);
    }
}

/// Sixty-four bytes that are one or zero as bits, the first the lowest.
fn ones(bytes: &[u8; 64]) -> u64 {
    // The product puts the lowest bit of byte i into bit 56 + i.
    let eight = |b: &[u8; 8]| u64::from_le_bytes(*b).wrapping_mul(0x0102_0408_1020_4080) >> 56;
    bytes.as_chunks::<8>().0.iter().rev().fold(0, |all, b| all << 8 | eight(b))
}

/// A number for every four frames in a row, the largest there is when they do not move.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn prints(samples: &[f32], into: &mut [u32]) {
    for (i, print) in into.iter_mut().enumerate() {
        let four = &samples[i..i + PRINT];
        let [a, b, c, d] = [four[0].to_bits(), four[1].to_bits(), four[2].to_bits(), four[3].to_bits()];
        let mix = (a ^ b.rotate_left(11) ^ c.rotate_left(21) ^ d.rotate_left(5)).wrapping_mul(0x9e37_79b1);
        let mixed = (mix ^ (mix >> 15)).wrapping_mul(0x85eb_ca77);
        *print = if a == b || c == d { u32::MAX } else { mixed };
    }
}

/// The whole copy around `at`, if it is one.
fn judge(samples: &[f32], at: usize, lag: usize, grain: &Grain<'_>) -> Option<ChannelMarks> {
    let same = |n: usize| samples[n] == samples[n - lag];
    let mut from = at;
    while from > lag && same(from - 1) && at - from <= FARTHEST {
        from -= 1;
    }
    let mut to = at + PRINT;
    while to < samples.len() && same(to) && to - from <= FARTHEST {
        to += 1;
    }
    let length = to - from;
    // A longer match than its distance is a sound that is periodic to the bit, not a copy; two frames may be chance.
    if length < SHORTEST || length > lag + 2 {
        return None;
    }
    let stretch = &samples[from..to];
    let step = grain.at(at);
    let least = if length < LONG { 2.5 * step } else { 0.5 * step };
    let moving = stretch.windows(2).filter(|w| (w[1] - w[0]).abs() >= least).count();
    if moving * 3 < stretch.len() {
        return None;
    }
    // Beside the copy the two places must not look alike, else it is a steady sound that happens to round alike.
    let apart = |range: std::ops::Range<usize>| {
        let count = range.len().max(1) as f32;
        range
            .filter(|n| *n >= lag && *n < samples.len())
            .map(|n| (samples[n] - samples[n - lag]).abs())
            .sum::<f32>()
            / count
    };
    let level = (stretch.iter().map(|x| x * x).sum::<f32>() / length as f32).sqrt();
    // What is long cannot be alike by chance.
    let least = 4.0 * step + if length < LONG { DIFFERENT * level } else { 0.0 };
    if apart(from.saturating_sub(12)..from) < least || apart(to..(to + 12).min(samples.len())) < least {
        return None;
    }
    let confidence = 1.0 - 0.5f64.powf(length as f64 / 4.0);
    Some(ChannelMarks { start: from, length, kind: CrackleKind::Repeat, shift: None, confidence })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_become_bits_in_order() {
        for i in 0..64 {
            let mut bytes = [0u8; 64];
            (bytes[i], bytes[63 - i]) = (1, 1);
            assert_eq!(ones(&bytes), 1 << i | 1 << (63 - i));
        }
        assert_eq!(ones(&[1; 64]), u64::MAX);
    }

    /// Every row of fingerprints that move holds a kept one, and a copy keeps what its original keeps.
    #[test]
    fn every_row_has_a_place_that_is_kept_and_a_copy_the_same_ones() {
        let mut random = fastrand::Rng::with_seed(5);
        for length in [PRINT, 20, 1023, 1024, 1033, 5000] {
            let mut samples: Vec<f32> = (0..length).map(|_| random.f32() - 0.5).collect();
            let copied = length > 4000;
            if copied {
                samples.copy_within(1000..1040, 2030);
                samples[3000..3050].fill(0.25);
            }
            let mut kept = Vec::new();
            places(&samples, |at, _| kept.push(at));
            let count = length + 1 - PRINT;
            let still = |at: usize| copied && (2990..3050).contains(&at);
            for row in (0..count.saturating_sub(ROW - 1)).filter(|row| !still(*row)) {
                assert!(kept.iter().any(|k| (row..row + ROW).contains(k)), "{length}: nothing of {row}");
            }
            // Beside both ends rows are short, and more is kept.
            assert!(
                kept.iter().all(|k| *k < count) && kept.len() * 4 < count + 4 * ROW,
                "{length}: {}",
                kept.len()
            );
            if copied {
                let within = |from: usize| -> Vec<usize> {
                    let whole = from + ROW - 1..from + 40 - PRINT - ROW + 2;
                    kept.iter().filter(|k| whole.contains(k)).map(|k| k - from).collect()
                };
                assert!(!within(1000).is_empty());
                assert_eq!(within(1000), within(2030));
            }
        }
    }
}
