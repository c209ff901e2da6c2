//! Stretches that stand still: samples of a channel come in, gaps (zeros) and holds (any other value) go out. In moving sound two neighbours are seldom equal, so a long run of equal ones is a break, unless the
//! sound around it hardly moves either (silence, the last bits of a fade) or the run is a flat top.

use super::{ChannelMarks, CrackleKind, Grain};

/// Frames that are looked at in one go: most hold no four alike. A multiple of four.
const LOOK: usize = 256;
/// Shortest run that is looked at.
const SHORTEST: usize = 8;
/// Frames on either side that have to move.
const AROUND: usize = 32;
/// A flat top is the highest value this far around.
const WIDE: usize = 4096;
/// They have to move by so many steps a frame, on the average, so that the run is no accident of rounding.
const MOVING: f32 = 4.0;
/// Runs shorter than 16 frames have to stand out more.
const MOVING_SHORT: f32 = 32.0;
/// Share of frames that are like the one before, from which on a sound is one of plateaus.
const PLATEAUS: f32 = 0.75;
/// On either side the sound has to be so many steps away from the value at which it stands.
const APART: f32 = 8.0;
/// So many others at the same extreme make it no accident.
const COMPANY: usize = 6;
/// A longer silence is meant (in seconds) unless both its edges are loud.
const LONGEST_S: f64 = 0.25;

#[must_use]
pub fn runs(samples: &[f32], grain: &Grain<'_>, rate: f64) -> Vec<ChannelMarks> {
    let mut found = Vec::new();
    let mut done = 0;
    // A run of eight holds four neighbours that begin at a multiple of four.
    let fours =
        samples.chunks(LOOK).enumerate().filter(|(_, look)| alike(look) >= 3).flat_map(|(i, look)| {
            look.chunks_exact(4).enumerate().map(move |(k, four)| (i * LOOK + 4 * k, four))
        });
    for (at, four) in fours {
        if four[0] != four[1] || four[1] != four[2] || four[2] != four[3] || at < done {
            continue;
        }
        let same = |x: &&f32| **x == four[0];
        let from = at - samples[..at].iter().rev().take_while(same).count();
        let to = at + samples[at..].iter().take_while(same).count();
        if to - from >= SHORTEST {
            found.extend(judge(samples, from, to, grain, rate));
        }
        done = to;
    }
    found
}

/// How many frames are like the next.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn alike(samples: &[f32]) -> u32 {
    let nexts = samples.get(1..).unwrap_or_default();
    samples.iter().zip(nexts).map(|(x, next)| u32::from(x == next)).sum()
}

/// Mean change from frame to frame.
fn movement(samples: &[f32]) -> f32 {
    let steps = samples.len().saturating_sub(1).max(1);
    samples.windows(2).map(|w| (w[1] - w[0]).abs()).sum::<f32>() / steps as f32
}

fn judge(samples: &[f32], from: usize, to: usize, grain: &Grain<'_>, rate: f64) -> Option<ChannelMarks> {
    let step = grain.at(from);
    // The edges of the recording are no crackles.
    let before = samples.get(from.checked_sub(AROUND)?..from)?;
    let after = samples.get(to..to + AROUND)?;
    let value = samples[from];
    let length = to - from;
    let least = step * if length < 16 { MOVING_SHORT } else { MOVING };
    let (moved_before, moved_after) = (movement(before), movement(after));
    // Into a run and out of it the sound steps: a crest that rounds flat does not.
    let edge = (samples[from] - samples[from - 1]).abs().max((samples[to] - value).abs());
    let moves = moved_before >= least && moved_after >= least && edge >= 3.0 * step;
    let breaks = length >= 16 && edge >= 6.0 * step.max(moved_before).max(moved_after);
    if !moves && !breaks {
        return None;
    }
    // Sound that hardly leaves the value by itself (the end of a fade, the pause before a note) stands still of its own.
    let apart =
        |side: &[f32]| (side.iter().map(|x| (x - value).powi(2)).sum::<f32>() / side.len() as f32).sqrt();
    if apart(before).min(apart(after)) < APART * step {
        return None;
    }
    // A dropout that long is one only if the sound breaks off and sets in again at full level.
    let level = |range: std::ops::Range<usize>| {
        let count = range.len().max(1) as f32;
        (samples[range].iter().map(|x| x * x).sum::<f32>() / count).sqrt()
    };
    let abrupt = || {
        let (far_before, far_after) = (from.saturating_sub(WIDE)..from, to..(to + WIDE).min(samples.len()));
        let (near_before, near_after) = (level(from - AROUND..from), level(to..to + AROUND));
        near_before > 0.5 * level(far_before) && near_after > 0.5 * level(far_after) && near_before > 1e-3
    };
    if length as f64 > LONGEST_S * rate && !(value == 0.0 && abrupt()) {
        return None;
    }
    let wide = &samples[from.saturating_sub(WIDE)..(to + WIDE).min(samples.len())];
    let top = wide.iter().fold(0.0f32, |m, x| m.max(x.abs()));
    let crest = |side: f32| side.abs() < value.abs() && (value - side) * value > 0.0;
    if value.abs() >= top && value.abs() > 0.25 && crest(samples[from - 1]) && crest(samples[to]) {
        return None; // A flat top: clipped.
    }
    // Where others around stand at the same extreme, something holds the sound there: a limiter, a clip, a square wave.
    let (least, most) = wide.iter().fold((f32::MAX, f32::MIN), |(l, m), x| (l.min(*x), m.max(*x)));
    let extreme = value != 0.0 && (value <= least || value >= most);
    if extreme && wide.iter().filter(|x| x.abs() == value.abs()).count() >= length + COMPANY {
        return None;
    }
    // A sound that is made of plateaus stands still all the time.
    let still =
        |side: &[f32]| side.windows(2).filter(|w| w[0] == w[1]).count() as f32 / (side.len() - 1) as f32;
    if value != 0.0 && still(before).max(still(after)) > PLATEAUS {
        return None;
    }
    // The first value of a hold is right, the rest repeat it.
    let (kind, start) = if value == 0.0 { (CrackleKind::Gap, from) } else { (CrackleKind::Hold, from + 1) };
    let surplus = (moved_before.min(moved_after) / step).max(2.0);
    let confidence = 1.0 - (1.0 / f64::from(surplus)).powf((length as f64 / 8.0).min(4.0));
    Some(ChannelMarks { start, length: to - start, kind, shift: None, confidence })
}
