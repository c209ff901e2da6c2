//! A recording beside its original: both come in, every frame that differs goes out as part of an event. The one idea:
//! first learn what the way does to sound when it works (delay, gain, filter, noise), then walk along both; where
//! they part, the smallest change that brings them together again says what happened.

use super::attribution::{Attribution, attribute};
use super::{Event, Kind, Programme};
use crate::stats::cholesky;
use crate::units::{Decibels, Frames};
use realfft::RealFftPlanner;

/// What was found.
#[derive(Debug, Clone, PartialEq)]
pub struct Comparison {
    /// Every difference, in order.
    pub events: Vec<Event>,
    /// What they point to.
    pub attribution: Attribution,
    /// How much later the recording holds what the original has.
    pub delay: Frames,
    /// Level beside the original.
    pub gain: Decibels,
    /// Standard deviation of what the way adds, as a level; none when it adds nothing at all.
    pub noise: Option<Decibels>,
    /// Frames compared.
    pub frames: u64,
}

/// Why the two cannot be compared.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
pub enum AgainstRefusal {
    /// They have nothing in common.
    #[error("the recording does not hold the original, or begins more than ten seconds off")]
    Unrelated,
    /// Different rates.
    #[error("recording and original have different sample rates")]
    Rates,
    /// From a place on nothing fits any more.
    #[error(
        "from {second:.3} s on the recording no longer follows the original: two clocks, or another take"
    )]
    Lost {
        /// Where.
        second: f64,
    },
}

/// What the way adds may be this share of the sound; more, and it is not understood.
const LOOSEST: f32 = 0.05;
/// So alike, and no other lesson is asked.
const PLAIN: f64 = 0.98;
/// Frames in which the way is learned.
const LESSON: usize = 1 << 14;
/// Parts of a lesson; the worse half is left out, in case something broke there.
const PARTS: usize = 16;
/// Farthest that the two may begin apart, in seconds.
const APART_S: usize = 10;
/// Taps on either side of a filter that describes the way.
const TAPS: usize = 32;
/// A difference has to be so many standard deviations of the noise.
const DEVIATIONS: f32 = 8.0;
/// Frames that must agree before the two count as together again.
const AGREE: usize = 32;
/// Longest disturbance that is followed.
const LONGEST: usize = 16_384;
/// Frames walked in one go.
const STRIDE: usize = 1 << 16;
/// More frames in a row than this astray, in one recording, and nothing fits any more.
const ASTRAY: usize = 8;

/// Why no comparison: the two themselves, or a file.
#[derive(Debug)]
pub enum Failed<A, B> {
    /// The two.
    Refused(AgainstRefusal),
    /// The recording could not be read.
    Recording(A),
    /// The original could not be read.
    Original(B),
}

/// Compares every channel that both have.
///
/// # Errors
/// [`Failed`].
pub fn compare<R: Programme, O: Programme>(
    recording: &R,
    original: &O,
) -> Result<Comparison, Failed<R::Error, O::Error>> {
    if recording.rate() != original.rate() {
        return Err(Failed::Refused(AgainstRefusal::Rates));
    }
    let pair = Pair { recording, original };
    let way = pair.learn()?;
    let events = pair.walk(&way)?;
    let attribution = attribute(&events, recording.channels(), recording.rate());
    // The first moment of a filter is its delay at low frequencies.
    let (moment, sum) = way.taps.iter().enumerate().fold((0.0, 0.0), |(a, b), (i, t)| {
        let weight = f64::from(*t);
        (a + weight * (i as f64 - TAPS as f64), b + weight)
    });
    let centre = if sum == 0.0 { 0.0 } else { moment / sum };
    let gain = way.taps.iter().map(|t| f64::from(*t).powi(2)).sum::<f64>().sqrt();
    Ok(Comparison {
        events,
        attribution,
        delay: Frames(way.delay as f64 + centre),
        gain: Decibels::of_amplitude(gain),
        noise: (way.noise > 0.0).then(|| Decibels::of_amplitude(f64::from(way.noise))),
        frames: recording.frames(),
    })
}

/// What the way does to sound when it works.
struct Way {
    /// Recording frame = original frame + delay.
    delay: i64,
    /// Filter, [`TAPS`] on either side of the middle; a single one when the way is exact.
    taps: Vec<f32>,
    /// Standard deviation of what it adds.
    noise: f32,
    /// Differences up to this mean nothing.
    tolerance: f32,
    /// Channels that both have.
    channels: usize,
}

struct Pair<'a, R, O> {
    recording: &'a R,
    original: &'a O,
}

/// A vector for each channel, or why not.
type Fetched<R, O> = Result<Vec<Vec<f32>>, Failed<<R as Programme>::Error, <O as Programme>::Error>>;

/// A stretch of a programme, with silence where it has none.
fn stretch<P: Programme>(programme: &P, from: i64, to: i64) -> Result<Vec<Vec<f32>>, P::Error> {
    let last = programme.frames() as i64;
    let (inner_from, inner_to) = (from.clamp(0, last), to.clamp(0, last));
    let inner = programme.fetch(inner_from as u64, inner_to.max(inner_from) as u64)?;
    let pad = |samples: Vec<f32>| {
        let mut all = vec![0.0; (inner_from - from).min(to - from).max(0) as usize];
        all.extend(samples);
        all.resize((to - from).max(0) as usize, 0.0);
        all
    };
    Ok(inner.into_iter().map(pad).collect())
}

impl<R: Programme, O: Programme> Pair<'_, R, O> {
    fn recorded(&self, from: i64, to: i64) -> Fetched<R, O> {
        stretch(self.recording, from, to).map_err(Failed::Recording)
    }

    fn played(&self, from: i64, to: i64) -> Fetched<R, O> {
        stretch(self.original, from, to).map_err(Failed::Original)
    }

    /// Finds the delay, then the filter and the noise, from the loudest lesson near the beginning that fits.
    fn learn(&self) -> Result<Way, Failed<R::Error, O::Error>> {
        let rate = self.recording.rate().0 as usize;
        let reach = (APART_S * rate) as i64;
        let channels = self.recording.channels().min(self.original.channels());
        let lessons = (self.original.frames() as usize / LESSON).clamp(1, 40);
        let mut best: Option<(f64, i64, i64)> = None;
        for lesson in 0..lessons {
            let from = (lesson * LESSON) as i64;
            let played = self.played(from, from + LESSON as i64)?;
            let recorded = self.recorded(from - reach, from + reach + LESSON as i64)?;
            let Some((likeness, at)) = place(&recorded[0], &played[0]) else { continue };
            if best.is_none_or(|b| likeness > b.0 + 0.02) {
                best = Some((likeness, at as i64 - reach, from));
            }
            if best.is_some_and(|b| b.0 > PLAIN) {
                break;
            }
        }
        let (_, delay, from) =
            best.filter(|b| b.0 > 0.5).ok_or(Failed::Refused(AgainstRefusal::Unrelated))?;
        let margin = TAPS as i64;
        let played = self.played(from - margin, from + LESSON as i64 + margin)?;
        let recorded = self.recorded(from + delay, from + delay + LESSON as i64)?;
        let mut way = Way { delay, taps: vec![0.0; 2 * TAPS + 1], noise: 0.0, tolerance: 0.0, channels };
        way.taps[TAPS] = usual_gain(&recorded[0], &played[0][TAPS..TAPS + LESSON]);
        let step = self.recording.step().max(self.original.step());
        let mut left = typical(&way.difference(&recorded[0], &played[0]));
        if left > 2.0 * step {
            // A delay between two frames is the commonest way, and the surest to hold for other sounds than the lesson's.
            let shifted = way.shifted(&recorded[0], &played[0]);
            let mut filtered = Way { taps: shifted.taps.clone(), ..way };
            for _ in 0..2 {
                let good = filtered.better_half(&recorded[0], &played[0]);
                filtered.taps = filter(&recorded[0], &played[0], &good);
            }
            let [by_shift, by_filter] =
                [&shifted, &filtered].map(|w| typical(&w.difference(&recorded[0], &played[0])));
            (way, left) =
                if by_filter < 0.5 * by_shift { (filtered, by_filter) } else { (shifted, by_shift) };
        }
        let loud = (dot(&recorded[0], &recorded[0]) / LESSON as f64).sqrt() as f32;
        if left > LOOSEST * loud {
            let second = (from + delay).max(0) as f64 / rate as f64;
            return Err(Failed::Refused(AgainstRefusal::Lost { second }));
        }
        way.noise = if left > step { left } else { 0.0 };
        way.tolerance = (DEVIATIONS * way.noise).max(1.5 * step);
        Ok(way)
    }

    /// Walks along both.
    fn walk(&self, way: &Way) -> Result<Vec<Event>, Failed<R::Error, O::Error>> {
        let rate = f64::from(self.recording.rate().0);
        let mut events: Vec<Event> = Vec::new();
        // Where the original begins in the recording, until both have something.
        let mut at = way.delay.max(0);
        let mut delay = way.delay;
        let end = |delay: i64| (self.recording.frames() as i64).min(self.original.frames() as i64 + delay);
        let mut astray = 0;
        while at < end(delay) {
            let from = at - LONGEST as i64;
            let to = at + STRIDE as i64 + 3 * LONGEST as i64;
            let recorded = self.recorded(from, to)?;
            let played = self.played(from - delay - 2 * LONGEST as i64, to - delay + 2 * LONGEST as i64)?;
            let expected: Vec<Vec<f32>> = played.iter().take(way.channels).map(|p| way.through(p)).collect();
            let window = Window { way, recorded: &recorded[..way.channels], expected: &expected };
            let last = (end(delay) - from).clamp(0, (LONGEST + STRIDE) as i64) as usize;
            let Some(first) = window.parts(LONGEST, last) else {
                at = from + last as i64;
                continue;
            };
            let Some(found) = window.rejoin(first) else {
                astray += 1;
                if astray > ASTRAY {
                    return Err(Failed::Refused(AgainstRefusal::Lost {
                        second: (from + first as i64) as f64 / rate,
                    }));
                }
                at = from + first as i64 + LONGEST as i64;
                continue;
            };
            let start = (from + first as i64) as u64;
            // The end of the original is no loss.
            if start as i64 + found.wrong as i64 >= end(delay) {
                break;
            }
            events.push(Event {
                start,
                length: found.wrong as u64,
                kind: found.kind,
                channels: found.channels,
                shift: Some(found.shift),
                confidence: 1.0,
            });
            delay += found.shift;
            at = from + (first + found.wrong) as i64;
        }
        Ok(events)
    }
}

/// Recording and expectation side by side; the expectation begins two [`LONGEST`] before the recording.
struct Window<'a> {
    way: &'a Way,
    recorded: &'a [Vec<f32>],
    expected: &'a [Vec<f32>],
}

struct Rejoined {
    kind: Kind,
    wrong: usize,
    shift: i64,
    channels: Vec<usize>,
}

impl Window<'_> {
    fn expected(&self, channel: usize, frame: usize, shift: i64) -> f32 {
        let at = frame as i64 + 2 * LONGEST as i64 - shift;
        usize::try_from(at).ok().and_then(|n| self.expected[channel].get(n)).copied().unwrap_or(0.0)
    }

    fn differs(&self, channel: usize, frame: usize, shift: i64) -> bool {
        (self.recorded[channel][frame] - self.expected(channel, frame, shift)).abs() > self.way.tolerance
    }

    /// The first frame that differs.
    fn parts(&self, from: usize, to: usize) -> Option<usize> {
        (0..self.recorded.len()).filter_map(|c| (from..to).find(|n| self.differs(c, *n, 0))).min()
    }

    /// All channels agree for a while from `frame` on, and there is something to agree about.
    fn agrees(&self, frame: usize, shift: i64) -> bool {
        let mut moving = false;
        let first = self.expected(0, frame, shift);
        for n in 0..4 * AGREE {
            for c in 0..self.recorded.len() {
                if self.differs(c, frame + n, shift) {
                    return false;
                }
            }
            moving |= (self.expected(0, frame + n, shift) - first).abs() > 4.0 * self.way.tolerance;
            if moving && n + 1 >= AGREE {
                return true;
            }
        }
        // Silence agrees with anything: only the plainest reading may build on it.
        shift == 0
    }

    /// The smallest change after which both go together again.
    fn rejoin(&self, first: usize) -> Option<Rejoined> {
        for size in 1..LONGEST {
            let n = size as i64;
            for (wrong, shift) in [(size, 0), (0, -n), (size, n)] {
                if self.agrees(first + wrong, shift) {
                    return Some(self.name(first, wrong, shift));
                }
            }
        }
        None
    }

    fn name(&self, first: usize, wrong: usize, shift: i64) -> Rejoined {
        let channels: Vec<usize> = (0..self.recorded.len())
            .filter(|c| wrong == 0 || (first..first + wrong).any(|n| self.differs(*c, n, 0)))
            .collect();
        let all = |test: &dyn Fn(&[f32], usize) -> bool| {
            channels.iter().all(|c| (first..first + wrong).all(|n| test(&self.recorded[*c], n)))
        };
        let near = |a: f32, b: f32| (a - b).abs() <= self.way.tolerance;
        let kind = if wrong == 0 {
            if shift == -1 { Kind::Slip } else { Kind::Skip }
        } else if shift == 1 {
            Kind::Slip
        } else if all(&|r, n| near(r[n], 0.0)) {
            Kind::Gap
        } else if all(&|r, n| near(r[n], r[first - 1])) {
            Kind::Hold
        } else if self.copied(first, wrong, &channels) {
            Kind::Repeat
        } else {
            Kind::Click
        };
        Rejoined { kind, wrong, shift, channels }
    }

    /// The wrong frames are what was recorded some frames before: as many as they are, or anything farther off.
    fn copied(&self, first: usize, wrong: usize, channels: &[usize]) -> bool {
        let same = |lag: usize| {
            channels.iter().all(|c| {
                let r = &self.recorded[*c];
                (first..first + wrong)
                    .all(|n| n >= lag && (r[n] - r[n - lag]).abs() <= 2.0 * self.way.tolerance)
            })
        };
        // The first or last wrong frames may agree with the original by chance.
        wrong > 1 && (same(wrong) || (wrong.max(8)..LONGEST.min(first)).any(same))
    }
}

impl Way {
    /// What the recording should be, given the original.
    fn through(&self, played: &[f32]) -> Vec<f32> {
        let simple = self.taps.iter().enumerate().all(|(i, t)| i == TAPS || *t == 0.0);
        if simple {
            return played.iter().map(|x| x * self.taps[TAPS]).collect();
        }
        let mut out = vec![0.0; played.len()];
        for (i, tap) in self.taps.iter().enumerate() {
            // out[n] += tap · played[n + TAPS − i]
            let (to, from) = (i.saturating_sub(TAPS), TAPS.saturating_sub(i));
            let count = played.len() - to - from;
            for (o, x) in out[to..to + count].iter_mut().zip(&played[from..from + count]) {
                *o += tap * x;
            }
        }
        out
    }

    /// The same way with a delay of a fraction of a frame, the one that fits best.
    fn shifted(&self, recorded: &[f32], played: &[f32]) -> Self {
        let with = |part: f64| {
            let mut way = Self { taps: sinc(part), ..*self };
            let expected = way.through(played);
            let gain = usual_gain(recorded, &expected[TAPS..TAPS + recorded.len()]);
            way.taps.iter_mut().for_each(|t| *t *= gain);
            let error = typical(&way.difference(recorded, played));
            (way, error)
        };
        let mut best = (0.0, f32::MAX);
        let mut step = 0.125;
        // Each round looks at both sides of the best, half as far as the one before.
        for round in 0..14 {
            let places: Vec<f64> = if round == 0 {
                (-6..=6).map(|i| f64::from(i) * step).collect()
            } else {
                vec![best.0 - step, best.0 + step]
            };
            for part in places {
                let error = with(part).1;
                if error < best.1 {
                    best = (part, error);
                }
            }
            step /= 2.0;
        }
        with(best.0).0
    }

    /// Where the parts of a lesson begin in which recorded and expected agree best.
    fn better_half(&self, recorded: &[f32], played: &[f32]) -> Vec<usize> {
        let difference = self.difference(recorded, played);
        let size = recorded.len() / PARTS;
        let error = |at: usize| dot(&difference[at..at + size], &difference[at..at + size]);
        let mut parts: Vec<(f64, usize)> = (0..PARTS).map(|i| (error(i * size), i * size)).collect();
        parts.sort_by(|a, b| a.0.total_cmp(&b.0));
        parts.truncate(PARTS / 2);
        parts.into_iter().map(|p| p.1).collect()
    }

    /// Recorded minus expected; `played` has [`TAPS`] more frames on either side.
    fn difference(&self, recorded: &[f32], played: &[f32]) -> Vec<f32> {
        self.through(played)[TAPS..].iter().zip(recorded).map(|(e, r)| r - e).collect()
    }
}

fn dot(a: &[f32], b: &[f32]) -> f64 {
    a.iter().zip(b).map(|(x, y)| f64::from(*x) * f64::from(*y)).sum()
}

/// Standard deviation by the median of magnitudes: a few crackles do not move it.
fn typical(differences: &[f32]) -> f32 {
    let mut all: Vec<f32> = differences.iter().map(|x| x.abs()).collect();
    all.sort_by(f32::total_cmp);
    all.get(all.len() / 2).copied().unwrap_or(0.0) * 1.4826
}

/// Where in `field` the `piece` lies, and how alike they are there (1: the same but for gain).
fn place(field: &[f32], piece: &[f32]) -> Option<(f64, usize)> {
    let energy = dot(piece, piece);
    if energy < 1e-9 {
        return None;
    }
    let size = (field.len() + piece.len()).next_power_of_two();
    let mut planner = RealFftPlanner::<f32>::new();
    let (forward, back) = (planner.plan_fft_forward(size), planner.plan_fft_inverse(size));
    let spectrum = |samples: &[f32]| {
        let (mut time, mut out) = (forward.make_input_vec(), forward.make_output_vec());
        time[..samples.len()].copy_from_slice(samples);
        let _ = forward.process(&mut time, &mut out);
        out
    };
    let mut product: Vec<_> =
        spectrum(field).iter().zip(&spectrum(piece)).map(|(a, b)| a * b.conj() / size as f32).collect();
    for edge in [0, size / 2] {
        product[edge].im = 0.0;
    }
    let mut correlation = back.make_output_vec();
    let _ = back.process(&mut product, &mut correlation);
    let places = field.len() + 1 - piece.len();
    let at = (0..places).max_by(|a, b| correlation[*a].abs().total_cmp(&correlation[*b].abs()))?;
    let there = &field[at..at + piece.len()];
    let own = dot(there, there);
    Some((dot(there, piece).abs() / (own * energy).sqrt().max(1e-30), at))
}

/// Taps that delay by a part of a frame: a windowed sinc.
fn sinc(part: f64) -> Vec<f32> {
    use std::f64::consts::PI;
    (0..=2 * TAPS)
        .map(|i| {
            let t = i as f64 - TAPS as f64 - part;
            let window = (PI * t / (2.0 * TAPS as f64 + 2.0)).cos().powi(2);
            (if t.abs() < 1e-9 { 1.0 } else { (PI * t).sin() / (PI * t) * window }) as f32
        })
        .collect()
}

/// The median ratio of recorded to played where the sound is loud.
fn usual_gain(recorded: &[f32], played: &[f32]) -> f32 {
    let loud = (dot(played, played) / played.len().max(1) as f64).sqrt() as f32;
    let pairs = recorded.iter().zip(played).filter(|(_, p)| p.abs() > loud);
    let mut ratios: Vec<f32> = pairs.map(|(r, p)| r / p).collect();
    ratios.sort_by(f32::total_cmp);
    ratios.get(ratios.len() / 2).copied().unwrap_or(0.0)
}

/// The filter of [`TAPS`] on either side that turns `played` into `recorded` with the least square error, over the parts
/// of the lesson that begin at `parts`.
fn filter(recorded: &[f32], played: &[f32], parts: &[usize]) -> Vec<f32> {
    let size = 2 * TAPS + 1;
    let count = recorded.len() / PARTS;
    // Tap i multiplies played[n + 2·TAPS − i] (played begins TAPS earlier).
    let lagged = |i: usize, at: usize| &played[2 * TAPS - i + at..2 * TAPS - i + at + count];
    let over = |of: &dyn Fn(usize) -> f64| parts.iter().map(|at| of(*at)).sum::<f64>();
    let auto: Vec<f64> = (0..size).map(|k| over(&|at| dot(lagged(0, at), lagged(k, at)))).collect();
    let cross: Vec<f64> =
        (0..size).map(|i| over(&|at| dot(&recorded[at..at + count], lagged(i, at)))).collect();
    let mut matrix: Vec<Vec<f64>> =
        (0..size).map(|i| (0..size).map(|j| auto[i.abs_diff(j)]).collect()).collect();
    for (i, row) in matrix.iter_mut().enumerate() {
        // What the sound does not excite stays at zero.
        row[i] += auto[0] * 1e-7 + 1e-30;
    }
    cholesky(matrix, cross).iter().map(|t| *t as f32).collect()
}
