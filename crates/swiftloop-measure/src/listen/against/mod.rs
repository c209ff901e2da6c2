//! A recording beside its original: both come in, every frame that differs goes out as part of an event. First learn what the way does to sound when it works (delay, gain, filter, noise), then walk along both; where
//! they part, the smallest change that brings them together again says what happened.

mod rejoin;
mod signal_path;

use super::attribution::{Attribution, attribute};
use super::{AudioSource, Crackle, banks};
use rejoin::{LONGEST, MARGIN, Rejoined, Window};
use signal_path::{ChannelPath, LESSON, TAPS, energy, place};
use std::ops::Range;
use swiftloop_units::{Decibels, Frames, Seconds};

#[derive(Debug, Clone, PartialEq)]
pub struct RecordingComparison {
    /// Every difference, in order.
    pub events: Vec<Crackle>,
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
    Rates,
    /// From a place on nothing fits any more.
    Lost {
        from: Seconds,
    },
}

/// So alike, and no other lesson is asked.
const PLAIN: f64 = 0.98;
/// Less alike, and the recording is of something else.
const LEAST_ALIKE: f64 = 0.5;
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
) -> Result<RecordingComparison, Failed<R::Error, O::Error>> {
    if recording.rate() != original.rate() {
        return Err(Failed::Refused(AgainstRefusal::Rates));
    }
    let pair = PieceOfBoth { recording, original };
    let way = pair.learn()?;
    let events = pair.walk(&way)?;
    let attribution = attribute(&events, recording.channels(), recording.rate());
    let first = &way.paths[0];
    Ok(RecordingComparison {
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

struct PieceOfBoth<'a, R, O> {
    recording: &'a R,
    original: &'a O,
}

/// What two programmes say, or why not.
type PieceVerdict<T, R, O> = Result<T, Failed<<R as AudioSource>::Error, <O as AudioSource>::Error>>;
/// A vector for each channel, or why not.
type Fetched<R, O> = PieceVerdict<Vec<Vec<f32>>, R, O>;

/// Where the two part, with how they come together again if they do; or why it cannot be said.
type Parted<R, O> = PieceVerdict<Option<(usize, Option<Rejoined>)>, R, O>;

/// A bank of channels of both, side by side.
struct Beside<'w> {
    paths: &'w [ChannelPath],
    recorded: Vec<Vec<f32>>,
    expected: Vec<Vec<f32>>,
}

impl<'w> Beside<'w> {
    fn of<R: AudioSource, O: AudioSource>(
        pair: &PieceOfBoth<'_, R, O>,
        way: &'w SignalPath,
        (from, delay): (i64, i64),
        bank: &Range<usize>,
    ) -> PieceVerdict<Self, R, O> {
        let to = from + (STRIDE + 4 * LONGEST) as i64;
        let margin = MARGIN as i64;
        let recorded = pair.recorded(from, to, bank)?;
        let played = pair.played(from - delay - margin, to - delay + margin, bank)?;
        let paths = &way.paths[bank.clone()];
        let expected = paths.iter().zip(&played).map(|(p, x)| p.through(x)).collect();
        Ok(Self { paths, recorded, expected })
    }

    fn window(&self) -> Window<'_> {
        Window { paths: self.paths, recorded: &self.recorded, expected: &self.expected }
    }
}

/// A stretch of some channels of a programme, with silence where it has none.
fn stretch<P: AudioSource>(
    programme: &P,
    (from, to): (i64, i64),
    of: &Range<usize>,
) -> Result<Vec<Vec<f32>>, P::Error> {
    let last = programme.frames() as i64;
    let (inner_from, inner_to) = (from.clamp(0, last), to.clamp(0, last));
    let inner = programme.fetch_of(inner_from as u64, inner_to.max(inner_from) as u64, of.clone())?;
    let pad = |samples: Vec<f32>| {
        let mut all = vec![0.0; (inner_from - from).min(to - from).max(0) as usize];
        all.extend(samples);
        all.resize((to - from).max(0) as usize, 0.0);
        all
    };
    Ok(inner.into_iter().map(pad).collect())
}

impl<R: AudioSource, O: AudioSource> PieceOfBoth<'_, R, O> {
    fn recorded(&self, from: i64, to: i64, of: &Range<usize>) -> Fetched<R, O> {
        stretch(self.recording, (from, to), of).map_err(Failed::Recording)
    }

    fn played(&self, from: i64, to: i64, of: &Range<usize>) -> Fetched<R, O> {
        stretch(self.original, (from, to), of).map_err(Failed::Original)
    }

    /// Channels that both have.
    fn channels(&self) -> usize {
        self.recording.channels().min(self.original.channels())
    }

    /// The channel that is loudest in a lesson, and what was played on it.
    fn loudest(&self, from: i64) -> PieceVerdict<(usize, Vec<f32>), R, O> {
        let mut best: Option<(f64, usize, Vec<f32>)> = None;
        for bank in banks(self.channels()) {
            let played = self.played(from, from + LESSON as i64, &bank)?;
            for (c, samples) in bank.zip(played) {
                let own = energy(&samples);
                if best.as_ref().is_none_or(|(most, ..)| own >= *most) {
                    best = Some((own, c, samples));
                }
            }
        }
        Ok(best.map_or_else(|| (0, Vec::new()), |(_, c, samples)| (c, samples)))
    }

    /// Finds the delay from the loudest channel of the first lesson that fits, then the way of every channel.
    fn learn(&self) -> PieceVerdict<SignalPath, R, O> {
        let rate = self.recording.rate().get() as usize;
        let reach = (APART_S * rate) as i64;
        let lessons = (self.original.frames() as usize / LESSON).clamp(1, LESSONS);
        let mut best: Option<(f64, i64, i64)> = None;
        for from in (0..lessons).map(|i| (i * LESSON) as i64) {
            let (loudest, played) = self.loudest(from)?;
            let alone = loudest..loudest + 1;
            let recorded = self.recorded(from - reach, from + reach + LESSON as i64, &alone)?;
            let Some((likeness, at)) = place(&recorded[0], &played) else { continue };
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
        let step = self.recording.step().max(self.original.step());
        // A channel that is silent in the lesson goes, as far as we know, the way of the others.
        let mut learned: Vec<Option<Option<ChannelPath>>> = Vec::new();
        for bank in banks(self.channels()) {
            let played = self.played(from - margin, from + LESSON as i64 + margin, &bank)?;
            let recorded = self.recorded(from + delay, from + delay + LESSON as i64, &bank)?;
            learned.extend(recorded.iter().zip(&played).map(|(recorded, played)| {
                (energy(played) > 1e-9).then(|| ChannelPath::learn(recorded, played, step))
            }));
        }
        let second = (from + delay).max(0) as f64 / rate as f64;
        let lost = || Failed::Refused(AgainstRefusal::Lost { from: Seconds::new(second) });
        let usual = learned.iter().flatten().flatten().next().cloned().ok_or_else(lost)?;
        let path =
            |own: Option<Option<ChannelPath>>| own.unwrap_or_else(|| Some(usual.clone())).ok_or_else(lost);
        Ok(SignalPath { delay, paths: learned.into_iter().map(path).collect::<Result<_, _>>()? })
    }

    /// The first frame before `last` of the window that begins at `from` in which the two part, and how they come together
    /// again. The channels are looked at bank by bank, and the bank that parts first says what happened: a device that is
    /// late is late on all of them.
    fn parts(&self, way: &SignalPath, from: i64, delay: i64, last: usize) -> Parted<R, O> {
        let all: Vec<Range<usize>> = banks(way.paths.len()).collect();
        let mut first: Option<(usize, Option<Rejoined>, &Range<usize>)> = None;
        for bank in &all {
            let until = first.as_ref().map_or(last, |f| f.0);
            let beside = Beside::of(self, way, (from, delay), bank)?;
            if let Some(n) = beside.window().parts(LONGEST, until) {
                first = Some((n, beside.window().rejoin(n), bank));
            }
        }
        let Some((first, mut found, told)) = first else { return Ok(None) };
        if let Some(found) = found.as_mut().filter(|_| all.len() > 1) {
            found.channels.clear();
            for bank in &all {
                let beside = Beside::of(self, way, (from, delay), bank)?;
                // Where lost frames alone tell, all channels lost them.
                found
                    .channels
                    .extend(beside.window().hit(first, found.wrong).into_iter().map(|c| bank.start + c));
            }
            debug_assert!(found.channels.iter().any(|c| told.contains(c)));
        }
        Ok(Some((first, found)))
    }

    fn walk(&self, way: &SignalPath) -> PieceVerdict<Vec<Crackle>, R, O> {
        let rate = f64::from(self.recording.rate().get());
        let mut events: Vec<Crackle> = Vec::new();
        // Where the original begins in the recording, until both have something.
        let mut at = way.delay.max(0);
        let mut delay = way.delay;
        let end = |delay: i64| (self.recording.frames() as i64).min(self.original.frames() as i64 + delay);
        let mut astray = 0;
        while at < end(delay) {
            let from = at - LONGEST as i64;
            let last = (end(delay) - from).clamp(0, (LONGEST + STRIDE) as i64) as usize;
            let Some((first, found)) = self.parts(way, from, delay, last)? else {
                at = from + last as i64;
                continue;
            };
            let Some(found) = found else {
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
            events.push(Crackle {
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
