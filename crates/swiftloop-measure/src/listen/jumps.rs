//! Breaks in the run of a sound: samples of a channel come in, clicks, skips and slips go out. A break is
//! a surprise that stays alone. Attacks and the pulses of a voice surprise as well, but more of the same follows them
//! or came before; after a crackle the sound goes on as predictably as it did.

use super::predict::{CELL, burg, coefficients, correlation, extrapolate, highest_left};
use super::{ChannelMarks, CrackleKind};

/// Frames predicted with the same coefficients.
const STRETCH: usize = 2048;
/// Frames on either side that are looked at as well for the coefficients.
const SIDE: usize = 256;
/// Frames over which what is looked at rises from nothing, and falls to it.
const FADE: usize = 2 * SIDE;
/// Neighbours on either side, in seconds, that must be calm.
const CALM_S: f64 = 0.03;
/// A break surprises so many times more than anything near.
const ALONE: f32 = 5.0;
/// And by so many of the smallest steps.
const STEPS: f32 = 24.0;
/// Frames before a break from which the way on is extrapolated, and the order of that.
const PAST: usize = 1024;
const HIGH_ORDER: usize = 48;
/// Frames after a break over which ways on are compared.
const AHEAD: usize = 40;
/// A way on is believed when it leaves less than this share of the surprise.
const FITS: f64 = 0.15;
/// A break that no way on explains surprises so many times more than anything near.
const UNEXPLAINED: f32 = 6.0;
/// Seen backwards a break stands so far above what is usual there.
const BACKWARDS: f64 = 7.0;
/// Frames after a break over which the old law is tried, and how much worse it may do there.
const SAME_LAW: usize = 320;
const MOST_CHANGE: f64 = 2.5;
/// The same for a break that no change explains.
const LEAST_CHANGE: f64 = 1.35;
/// Longest shift that is told.
const TOLD: i64 = 4;
/// A bend misses at first by no more than this share of what it misses by two frames later.
const BENDS: f64 = 0.55;
/// Longest shift that is tried, in frames.
const SHIFTS: usize = 24;
/// Loudness after a break beside that before it, over so many frames.
const LEVEL_STAYS: std::ops::Range<f64> = 0.25..2.5;
const LOUDNESS: usize = 480;
/// A break is firm when it surprises so many times more than anything near, and so many times more than is usual for the
/// law that the sound keeps. What is weaker is as likely the start of a note as a crackle.
const FIRM: (f32, f64) = (8.0, 400.0);
/// Or when so little of the surprise is left once it is mended: the sound goes on as if nothing had been. (Of starts of notes
/// more is left: of a hundred none had less.)
const MENDED: [(CrackleKind, f64); 3] =
    [(CrackleKind::Click, 0.012), (CrackleKind::Slip, 0.055), (CrackleKind::Skip, 0.015)];
/// What weakness leaves of the confidence.
pub const WEAK: f64 = 0.5;
const LONGEST_CLICK: usize = 12;

#[must_use]
pub fn jumps(samples: &[f32], step: f32, rate: f64) -> Vec<ChannelMarks> {
    let cells = surprises(samples);
    let calm = ((CALM_S * rate) as usize / CELL).max(8);
    let mut found = Vec::new();
    let mut k = calm;
    while k + calm < cells.len() {
        let here = cells[k];
        // A break rings through the predictor for as many frames as it has coefficients: the next cell is not asked.
        let highest = here >= cells[k - 1] && here > cells[k + 1];
        if highest && here > STEPS * step && alone(&cells, k, calm) {
            found.extend(judge(samples, k * CELL, here, &cells, k));
        }
        k += 1;
    }
    found
}

/// The cell surprises far more than any near it but its direct neighbours.
fn alone(cells: &[f32], k: usize, calm: usize) -> bool {
    let most = cells[k] / ALONE;
    cells[k - calm..k - 1].iter().all(|c| *c < most) && cells[k + 3..=k + calm].iter().all(|c| *c < most)
}

/// The largest surprise in each cell.
fn surprises(samples: &[f32]) -> Vec<f32> {
    let mut cells = vec![0.0; samples.len() / CELL];
    let mut windowed = vec![0.0f32; STRETCH + 2 * SIDE];
    let rises = |i: usize| 0.5 - 0.5 * ((i as f32 + 0.5) / FADE as f32 * std::f32::consts::PI).cos();
    let fade: Vec<f32> = (0..FADE).map(rises).collect();
    for from in (STRETCH..samples.len()).step_by(STRETCH) {
        let around = from - SIDE..(from + STRETCH + SIDE).min(samples.len());
        let windowed = &mut windowed[..around.len()];
        windowed.copy_from_slice(&samples[around]);
        let edges = windowed.len().min(2 * FADE) / 2;
        windowed.iter_mut().zip(&fade[..edges]).for_each(|(w, f)| *w *= f);
        windowed.iter_mut().rev().zip(&fade[..edges]).for_each(|(w, f)| *w *= f);
        let mut r = correlation(windowed);
        // As much white noise as the sums' own rounding: keeps the coefficients tame.
        r[0] = r[0] * (1.0 + 1e-7) + 1e-20;
        let to = (from + STRETCH).min(samples.len());
        highest_left(samples, from, &coefficients(&r), &mut cells[from / CELL..to / CELL]);
    }
    cells
}

fn level(values: impl Iterator<Item = f64>) -> f64 {
    let (mut sum, mut count) = (0.0, 0.0);
    for v in values {
        sum += v * v;
        count += 1.0;
    }
    f64::sqrt(sum / f64::max(count, 1.0))
}

/// Looks closely at a break near `cell`: where exactly, and of what kind.
fn judge(samples: &[f32], cell: usize, height: f32, cells: &[f32], k: usize) -> Option<ChannelMarks> {
    let from = cell.checked_sub(PAST + CELL)?;
    let past: Vec<f64> = samples.get(from..cell - CELL)?.iter().map(|x| f64::from(*x)).collect();
    let a = burg(&past, HIGH_ORDER);
    let exact: Vec<f64> =
        samples.get(cell - CELL - HIGH_ORDER..cell + 3 * CELL)?.iter().map(|x| f64::from(*x)).collect();
    let errors: Vec<f64> = (HIGH_ORDER..exact.len()).map(|n| surprise(&exact, n, &a).abs()).collect();
    let usual = level(errors[..CELL].iter().copied());
    let top = errors[..3 * CELL].iter().copied().fold(0.0, f64::max);
    let first = errors.iter().position(|e| *e > (0.05 * top).max(6.0 * usual))?;
    let start = cell - CELL + first;
    let change = change_of_law(samples, start, &a, usual)?;
    if !breaks_backwards(samples, start)? || change > MOST_CHANGE {
        return None;
    }
    let rest = cells[k.saturating_sub(8)..k - 1].iter().chain(&cells[k + 3..(k + 11).min(cells.len())]);
    let near = rest.fold(1e-9f32, |m, c| m.max(*c));
    let (kind, length, shift, left) = match mended(samples, start, &a, usual)? {
        Some(way) => (way.kind, way.length, way.shift, way.left),
        // A break that no change explains has to stand out more to be one.
        None if height > UNEXPLAINED * near && change < LEAST_CHANGE => (CrackleKind::Skip, 0, None, 1.0),
        None => return None,
    };
    if kind == CrackleKind::Skip && only_bends(samples, start, &a)? {
        return None;
    }
    // A note that begins or ends changes how loud it is; a crackle does not.
    if !LEVEL_STAYS.contains(&level_ratio(samples, start)?) {
        return None;
    }
    let stands_out = height >= FIRM.0 * near && top >= FIRM.1 * usual;
    let firm = stands_out || MENDED.iter().any(|m| m.0 == kind && left < m.1);
    let confidence = (1.0 - f64::from(ALONE * near / height).min(1.0) * 0.5) * if firm { 1.0 } else { WEAK };
    Some(ChannelMarks { start, length, kind, shift, confidence })
}

/// How loud it is in the hundredth of a second after a break, beside the one before it.
fn level_ratio(samples: &[f32], start: usize) -> Option<f64> {
    let of = |range: std::ops::Range<usize>| Some(level(samples.get(range)?.iter().map(|x| f64::from(*x))));
    let after = of(start + LONGEST_CLICK..start + LONGEST_CLICK + LOUDNESS)?;
    Some(after / of(start.checked_sub(LOUDNESS)?..start)?.max(1e-9))
}

/// After a break the sound keeps the law it had before: its own past still predicts it. A new note brings a new law.
/// How many times worse the old law does.
fn change_of_law(samples: &[f32], start: usize, a: &[f64], usual: f64) -> Option<f64> {
    let from = start + LONGEST_CLICK;
    let after: Vec<f64> =
        samples.get(from..from + HIGH_ORDER + SAME_LAW)?.iter().map(|x| f64::from(*x)).collect();
    Some(level((HIGH_ORDER..after.len()).map(|n| surprise(&after, n, a))) / usual.max(1e-12))
}

/// Seen from its future, the sound breaks here as well. An attack does not: what follows it tells nothing before it,
/// or, if it swells, goes on smoothly into the past.
fn breaks_backwards(samples: &[f32], start: usize) -> Option<bool> {
    let from = start + LONGEST_CLICK;
    let future: Vec<f64> = samples
        .get(start.checked_sub(LONGEST_CLICK)?..from + PAST)?
        .iter()
        .rev()
        .map(|x| f64::from(*x))
        .collect();
    let a = burg(&future[..PAST], HIGH_ORDER);
    let errors = |range: std::ops::Range<usize>| range.map(|n| surprise(&future, n, &a).abs());
    let usual = level(errors(PAST - 4 * CELL..PAST));
    let top = errors(PAST..future.len()).fold(0.0, f64::max);
    Some(top > BACKWARDS * usual)
}

/// The sound turns a corner without a jump: strings do, lost frames hardly ever. What the past foretold is missed by
/// more and more instead of at once.
fn only_bends(samples: &[f32], start: usize, a: &[f64]) -> Option<bool> {
    let past: Vec<f64> =
        samples.get(start.checked_sub(HIGH_ORDER)?..start)?.iter().map(|x| f64::from(*x)).collect();
    let said = extrapolate(&past, a, 3);
    let missed = |i: usize| (f64::from(samples[start + i]) - said[i]).abs();
    Some(missed(0) < BENDS * missed(2))
}

/// How far frame `n` lies from what its past says.
fn surprise(samples: &[f64], n: usize, a: &[f64]) -> f64 {
    samples[n] - a.iter().enumerate().map(|(i, c)| c * samples[n - 1 - i]).sum::<f64>()
}

/// A change that makes the sound go on as predictably as before.
struct Mended {
    kind: CrackleKind,
    length: usize,
    shift: Option<i64>,
    /// Share of the surprise that it leaves.
    left: f64,
}

/// Which change makes the sound go on as predictably as before: frames put right (a click), put in (they were
/// lost) or taken out (they were doubled). Nothing within `Some` when none does.
#[allow(clippy::option_option)]
fn mended(samples: &[f32], start: usize, a: &[f64], usual: f64) -> Option<Option<Mended>> {
    let wide = |range: std::ops::Range<usize>| {
        Some(samples.get(range)?.iter().map(|x| f64::from(*x)).collect::<Vec<f64>>())
    };
    let past = wide(start.checked_sub(HIGH_ORDER)?..start)?;
    let after = wide(start..start + LONGEST_CLICK + HIGH_ORDER + AHEAD)?;
    let left = |unknown: usize, from: usize| rest_after_mending(&past, unknown, &after[from..], a);
    let nothing = left(0, 0);
    let clicks: Vec<f64> = (1..=LONGEST_CLICK).map(|n| left(n, n)).collect();
    let best_click = clicks.iter().copied().fold(f64::MAX, f64::min);
    let lost = (1..=SHIFTS).map(|s| (left(s, 0), -(s as i64)));
    let doubled = (1..=SHIFTS).map(|s| (left(0, s), s as i64));
    let shifts: Vec<(f64, i64)> = lost.chain(doubled).collect();
    let best_shift = shifts.iter().map(|s| s.0).fold(f64::MAX, f64::min);
    let good = |e: f64| e < 4.0 * usual || e < FITS * nothing;
    let near = |e: f64, best: f64| e <= 1.5 * best;
    Some(if good(best_shift) && best_shift < best_click {
        let (_, shift) = *shifts.iter().filter(|s| near(s.0, best_shift)).min_by_key(|s| s.1.abs())?;
        let kind = if shift.abs() == 1 { CrackleKind::Slip } else { CrackleKind::Skip };
        // Many unknown frames fit anything: that far the number is not to be trusted.
        let told = (shift.abs() <= TOLD).then_some(shift);
        let length = usize::try_from(told.unwrap_or(0).max(0)).unwrap_or(0);
        Some(Mended { kind, length, shift: told, left: best_shift / nothing.max(1e-12) })
    } else if good(best_click) {
        let left = best_click / nothing.max(1e-12);
        let at = clicks.iter().position(|e| near(*e, best_click));
        at.map(|n| Mended { kind: CrackleKind::Click, length: n + 1, shift: Some(0), left })
    } else {
        None
    })
}

/// Root mean square of what stays unpredicted when `unknown` frames between `past` and `after` take the values that
/// are predicted best (least squares; Janssen, Veldhuis and Vries 1986).
fn rest_after_mending(past: &[f64], unknown: usize, after: &[f64], a: &[f64]) -> f64 {
    let order = a.len();
    let rows = unknown + order.min(AHEAD);
    let mut all = past.to_vec();
    all.resize(past.len() + unknown, 0.0);
    all.extend(&after[..rows - unknown]);
    let base = past.len();
    let known: Vec<f64> = (0..rows).map(|r| surprise(&all, base + r, a)).collect();
    // Row r sees unknown u with weight 1 if r = u, −a[r − u − 1] if r > u.
    let weight = |r: usize, u: usize| match r.checked_sub(u) {
        Some(0) => 1.0,
        Some(d) => a.get(d - 1).map_or(0.0, |c| -c),
        None => 0.0,
    };
    let pair = |u: usize, v: usize| (u.max(v)..rows).map(|r| weight(r, u) * weight(r, v)).sum::<f64>();
    let matrix: Vec<Vec<f64>> = (0..unknown).map(|u| (0..unknown).map(|v| pair(u, v)).collect()).collect();
    let right: Vec<f64> =
        (0..unknown).map(|u| -(u..rows).map(|r| weight(r, u) * known[r]).sum::<f64>()).collect();
    let values = swiftloop_units::stats::cholesky(matrix, right);
    let error = |r: usize| known[r] + values.iter().enumerate().map(|(u, x)| weight(r, u) * x).sum::<f64>();
    let squares: f64 = (0..rows).map(|r| error(r).powi(2)).sum();
    (squares / (rows - unknown).max(1) as f64).sqrt()
}
