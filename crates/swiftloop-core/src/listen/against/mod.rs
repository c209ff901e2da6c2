//! A recording beside its original: both come in, every frame that differs goes out as part of an event. The one idea:
//! first learn what the way does to sound when it works (delay, gain, filter, noise), then walk along both; where
//! they part, the smallest change that brings them together again says what happened.

mod rejoin;
mod signal_path;

use super::attribution::{Attribution, attribute};
use super::{AudioSource, Event};
use crate::units::{Decibels, Frames, Seconds};
use rejoin::{LONGEST, MARGIN, Window};
use signal_path::{ChannelPath, LESSON, TAPS, energy, place};

/// What was found.
#[derive(Debug, Clone, PartialEq)]
pub struct Comparison {
    /// Every difference, in order.
    pub events: Vec<Event>,
    /// What they point to.
    pub attribution: Attribution,
    /// How much later the first channel of the recording holds what the original has.
    pub delay: Frames,
    /// Level beside the original.
    pub gain: Decibels,
    /// Standard deviation of what the way adds, as a level; none when it adds nothing at all.
    pub noise: Option<Decibels>,
}

/// Why the two cannot be compared.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum AgainstRefusal {
    /// They have nothing in common.
    Unrelated,
    /// Different rates.
    Rates,
    /// From a place on nothing fits any more.
    Lost {
        /// From here on.
        from: Seconds,
    },
}

/// So alike, and no other lesson is asked.
const PLAIN: f64 = 0.98;
/// Less alike, and the recording is of something else.
const LEAST_ALIKE: f64 = 0.5;
/// Lessons at most.
const LESSONS: usize = 40;
/// Farthest that the two may begin apart, in seconds.
const APART_S: usize = 10;
/// Frames walked in one go.
const STRIDE: usize = 1 << 16;
/// More often astray than this, and nothing fits any more.
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
pub fn compare<R: AudioSource, O: AudioSource>(
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
    let first = &way.paths[0];
    Ok(Comparison {
        events,
        attribution,
        delay: Frames::new(way.delay as f64 + first.part()),
        gain: Decibels::of_amplitude(first.gain()),
        noise: (first.noise > 0.0).then(|| Decibels::of_amplitude(first.noise)),
    })
}

/// What the way does to sound when it works.
struct SignalPath {
    /// Recording frame = original frame + delay.
    delay: i64,
    /// Of each channel that both have.
    paths: Vec<ChannelPath>,
}

struct Pair<'a, R, O> {
    recording: &'a R,
    original: &'a O,
}

/// A vector for each channel, or why not.
type Fetched<R, O> = Result<Vec<Vec<f32>>, Failed<<R as AudioSource>::Error, <O as AudioSource>::Error>>;

/// A stretch of a programme, with silence where it has none.
fn stretch<P: AudioSource>(programme: &P, from: i64, to: i64) -> Result<Vec<Vec<f32>>, P::Error> {
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

impl<R: AudioSource, O: AudioSource> Pair<'_, R, O> {
    fn recorded(&self, from: i64, to: i64) -> Fetched<R, O> {
        stretch(self.recording, from, to).map_err(Failed::Recording)
    }

    fn played(&self, from: i64, to: i64) -> Fetched<R, O> {
        stretch(self.original, from, to).map_err(Failed::Original)
    }

    /// Finds the delay from the loudest channel of the first lesson that fits, then the way of every channel.
    fn learn(&self) -> Result<SignalPath, Failed<R::Error, O::Error>> {
        let rate = self.recording.rate().get() as usize;
        let reach = (APART_S * rate) as i64;
        let channels = self.recording.channels().min(self.original.channels());
        let lessons = (self.original.frames() as usize / LESSON).clamp(1, LESSONS);
        let mut best: Option<(f64, i64, i64)> = None;
        for from in (0..lessons).map(|i| (i * LESSON) as i64) {
            let played = self.played(from, from + LESSON as i64)?;
            let recorded = self.recorded(from - reach, from + reach + LESSON as i64)?;
            let loudness = |c: &usize| energy(&played[*c]);
            let loudest = (0..channels).max_by(|a, b| loudness(a).total_cmp(&loudness(b))).unwrap_or(0);
            let Some((likeness, at)) = place(&recorded[loudest], &played[loudest]) else { continue };
            if best.is_none_or(|b| likeness > b.0 + 0.02) {
                best = Some((likeness, at as i64 - reach, from));
            }
            if best.is_some_and(|b| b.0 > PLAIN) {
                break;
            }
        }
        let (_, delay, from) =
            best.filter(|b| b.0 > LEAST_ALIKE).ok_or(Failed::Refused(AgainstRefusal::Unrelated))?;
        let margin = TAPS as i64;
        let played = self.played(from - margin, from + LESSON as i64 + margin)?;
        let recorded = self.recorded(from + delay, from + delay + LESSON as i64)?;
        let step = self.recording.step().max(self.original.step());
        // A channel that is silent in the lesson goes, as far as we know, the way of the others.
        let learned: Vec<Option<Option<ChannelPath>>> = (0..channels)
            .map(|c| (energy(&played[c]) > 1e-9).then(|| ChannelPath::learn(&recorded[c], &played[c], step)))
            .collect();
        let second = (from + delay).max(0) as f64 / rate as f64;
        let lost = || Failed::Refused(AgainstRefusal::Lost { from: Seconds::new(second) });
        let usual = learned.iter().flatten().flatten().next().cloned().ok_or_else(lost)?;
        let path =
            |own: Option<Option<ChannelPath>>| own.unwrap_or_else(|| Some(usual.clone())).ok_or_else(lost);
        Ok(SignalPath { delay, paths: learned.into_iter().map(path).collect::<Result<_, _>>()? })
    }

    /// Walks along both.
    fn walk(&self, way: &SignalPath) -> Result<Vec<Event>, Failed<R::Error, O::Error>> {
        let rate = f64::from(self.recording.rate().get());
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
            let margin = MARGIN as i64;
            let played = self.played(from - delay - margin, to - delay + margin)?;
            let expected: Vec<Vec<f32>> = way.paths.iter().zip(&played).map(|(p, x)| p.through(x)).collect();
            let window = Window { paths: &way.paths, recorded: &recorded, expected: &expected };
            let last = (end(delay) - from).clamp(0, (LONGEST + STRIDE) as i64) as usize;
            let Some(first) = window.parts(LONGEST, last) else {
                at = from + last as i64;
                continue;
            };
            let Some(found) = window.rejoin(first) else {
                astray += 1;
                if astray > ASTRAY {
                    return Err(Failed::Refused(AgainstRefusal::Lost {
                        from: Seconds::new((from + first as i64) as f64 / rate),
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
